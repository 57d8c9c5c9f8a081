// The stations of the run strip: what each shows of the project's present state.
#pragma once

#include "app/theme/tokens.hpp"
#include "core/machine/machine.hpp"

#include <QString>

#include <array>

namespace wexilum::app {

class Workspace;

enum class Station { toolpath, machine, setup, language, rules, code, replay };
inline constexpr std::size_t station_count = 7;

struct StationState {
    QString name;
    QString figure; ///< the key figure
    QString status; ///< one word or two
    State state = State::waits;
    bool old = false; ///< older than the last edit
};

/// The names under which stations are called from outside ("--view machine").
[[nodiscard]] const std::array<const char*, station_count>& station_keys();
[[nodiscard]] QString name_of(Station station);
/// A program that is read by itself has a machine and code alone.
[[nodiscard]] bool station_is_there(const Workspace& workspace, Station station);
[[nodiscard]] StationState station_state(const Workspace& workspace, Station station);

/// The format's own folder that an error's file lies in decides which station shows it.
[[nodiscard]] Station station_of_file(const std::string& path);

/// A number in groups of three, with a thin space between.
[[nodiscard]] QString grouped(std::uint64_t number);
/// A reading with its unit: mm with three decimals, degrees with four.
[[nodiscard]] QString reading_text(const Joint& joint, double reading, bool unit = true);

} // namespace wexilum::app
