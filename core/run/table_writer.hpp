// Turns a program of the neutral language into the rows of a table, block by block.
#pragma once

#include "core/control/simulated_control.hpp"
#include "core/controller/controller.hpp"
#include "core/machine/kinematics.hpp"
#include "core/motion/clocked_way.hpp"
#include "core/toolpath/code_sink.hpp"

#include <cstdint>
#include <deque>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct Assembly;

/// The neutral program is run as its words say, and each of its motions becomes a row: where it leads, in the table's numbers, and how long
/// it takes. Where rows come by a clock its motions are timed as far as all of them go on without a stop, and become as many rows as they
/// take intervals; joints then stand still at the ends of rapids and wherever tool, spindle or coolant change. What a table can't hold is a
/// finding.
class TableWriter final : public CodeSink {
public:
    /// All must outlive the writer. `files`: of the path's records. Precondition: the assembly's controller has a table.
    TableWriter(const Assembly& assembly, CodeSink& rows, FindingList& findings, const std::vector<std::string>& files);

    void line(std::string_view text, const Source& source) override;
    /// Behind the last line.
    void finish();
    // Once it is finished:
    /// The row, from 1, with which a line of the neutral program begins; rows() + 1 where it comes later.
    [[nodiscard]] std::uint32_t row_of(std::uint32_t line) const;
    /// The line of the neutral program that a row comes from; 0: none, as of the table's head.
    [[nodiscard]] std::uint32_t line_of(std::uint32_t row) const;
    [[nodiscard]] std::uint32_t rows() const { return rows_; }
    [[nodiscard]] std::uint64_t bytes() const { return bytes_; }

private:
    void take(const Happening& happening, const Source& source);
    void move(const ReplayMove& move, const Source& source);
    void go_by_clock(const ReplayMove& move, double asked, const Source& source);
    [[nodiscard]] const Kinematics& chain(std::uint32_t mount);
    void take_clocked(const Readings& at, std::size_t piece);
    void end_way();
    void dwell(double seconds, const Source& source);
    void message(const std::string& text, const Source& source);
    void put_row(const Readings& at, double seconds, bool cutting, const Source& source);
    void put(const std::string& text, const Source& source);
    [[nodiscard]] std::string number(double value, double step) const;
    void refuse(const char* what, const Source& source);

    const Assembly& assembly_;
    const Table& table_;
    CodeSink& out_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    FindingList of_control_;
    MachineState machine_;
    GivenLines lines_;
    SimulatedControl control_;
    std::vector<std::uint32_t> row_of_line_; ///< of the neutral program, from its line 1 on; 0: not yet known
    std::uint32_t rows_ = 0;
    std::uint64_t bytes_ = 0;
    std::size_t told_ = 0; ///< findings of the control that have been passed on
    std::string open_;     ///< a row of JSON that waits to know whether another follows
    Source open_source_ = no_source;
    std::int64_t time_ = 0; ///< in steps of the table's time
    Readings stand_;
    std::uint32_t tool_ = 0;
    double rpm_ = 0;
    record::CoolantState coolant_ = record::CoolantState::off;
    /// A motion on its way through the clock.
    struct Clocked {
        std::size_t line; ///< of the neutral program
        Source source;
        std::vector<std::string> remarks; ///< that come before it
    };
    std::optional<ClockedWay> clock_; ///< where rows come by one
    std::deque<Clocked> clocked_;     ///< from first_clocked_ on
    std::size_t first_clocked_ = 0;
    bool cutting_ = false;                       ///< the way at hand
    std::vector<std::string> remarks_;           ///< that wait for the next motion
    std::map<std::uint32_t, Kinematics> chains_; ///< by tool mount
};

} // namespace wexilum
