// What is in force in a control, in words that a person can read.
#pragma once

#include "core/base/ids.hpp"
#include "core/controller/function.hpp"
#include "core/machine/machine.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct Controller;
class ModalWords;

struct ControlState {
    BlockNumber block; ///< that has been done last
    /// A group of words that replace each other.
    struct Group {
        std::string name;        ///< "motion"
        std::string word;        ///< as the controller has it, "G1"; empty: nothing is known to be in force
        std::string does;        ///< its function, "linear"
        bool by_program = false; ///< otherwise since power-on
    };
    std::vector<Group> groups;  ///< those that the controller has words for
    std::optional<double> feed; ///< in its mode's unit: mm/s, mm/rev, 1/s
    Function feed_mode = Function::feed_per_minute;
    std::optional<double> spindle_rpm;
    std::uint32_t tool = 0;
    std::uint32_t selected_tool = 0;
    double tool_length = 0;  ///< mm, of the tool table
    double length_shift = 0; ///< mm, that the control adds
    std::string length_joint;
    std::string mount; ///< that carries the tool
    /// Coordinates of a joint that differ from its readings.
    struct Shifted {
        std::string joint;
        double offset = 0; ///< mm or rad: of the work offset's register
        double shift = 0;  ///< of a word that shifts coordinates
    };
    std::vector<Shifted> coordinates;                       ///< by joint that the program has a word for
    std::optional<double> turned;                           ///< rad, by which coordinates are turned
    bool tip_words = false;                                 ///< X, Y and Z are coordinates of the tip
    BlockNumber loop;                                       ///< that began the loop that is on; 0: none
    std::vector<std::pair<std::string, BlockNumber>> calls; ///< subprograms that are on, and the block that has called each; innermost last
    std::vector<std::string> open_brakes;                   ///< joints that a brake could hold and does not
    bool ended = false;
    Readings readings;
};

/// The groups of a control's state.
[[nodiscard]] std::vector<ControlState::Group> groups_in_force(const Controller& controller, const ModalWords& modal);

} // namespace wexilum
