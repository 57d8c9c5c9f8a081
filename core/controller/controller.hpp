// What a control understands and does. The replay reads programs by this definition alone.
#pragma once

#include "core/base/file_units.hpp"
#include "core/controller/addresses.hpp"
#include "core/controller/function.hpp"
#include "core/controller/table.hpp"
#include "core/controller/tilted_plane.hpp"
#include "core/controller/timing.hpp"
#include "core/machine/machine.hpp"

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// A cycle as motions of the control.
struct CycleMotion {
    std::string motion; ///< "drill", "peck", "chip_break", "tap", "bore"
    double gap = 0;     ///< mm: how far above the last depth a peck comes back in rapid, or a chip break backs off
};

struct WordMeaning {
    Function function = Function::rapid;
    std::string work_register; ///< for work_offset
    std::string joint;         ///< for brake_lock and brake_release; for cylinder_surface the one that turns
    char flat = 0;             ///< for cylinder_surface: the letter that gives the way round
    std::string mount;         ///< for tool_mount: its id
    std::string mark;          ///< for wait: the same in the programs of all channels
    CycleMotion cycle;         ///< for cycle
    PlaneForm plane;           ///< for tilted_plane
};

/// A typed-in pair of program lines and where the control goes.
struct ControllerWitness {
    std::string name;
    std::vector<std::string> code;
    std::map<std::string, double> offsets;         ///< joint id -> mm or rad, of the power-on work offset register; 0 where missing
    std::map<std::string, double> readings;        ///< joint id -> expected reading, mm or rad
    std::optional<double> seconds;                 ///< expected duration of the last move
    std::optional<std::vector<double>> arc_middle; ///< expected x, y, z readings half-way along the last move (mm)
    Place place;
};

/// How the control reads an absolute word of a rotary joint. All but `wound` see a circle of one turn: whole turns in the word mean
/// nothing, and where the joint stands there already it stays.
enum class TurnReading : std::uint8_t {
    wound,        ///< every turn counts: the joint goes to that very reading
    shortest_way, ///< there by the shorter way; half a turn has none
    signed_way,   ///< the word's sign is the way, its amount the place
    rising,       ///< always with rising readings
    falling       ///< always with falling readings
};

/// Where a word brings a joint from `from` (rad).
struct Turned {
    double to = 0;
    bool unclear = false; ///< half a turn by the shorter way
};
/// `place`: what the word says with the offset added, rad (of signed_way: its amount with the offset); `negative`: the word has a minus;
/// `increment`: the control's least angle, rad, within which the joint stands there already.
[[nodiscard]] Turned turned_to(TurnReading reads, double from, double place, bool negative, double increment);

/// Linear joints that point the same way (column, ram, quill).
struct AlignedJoints {
    std::vector<std::string> joints; ///< ids; the first is the one that the control's planes, lengths and cycles mean by themselves
    bool summed = false;             ///< a word of the first is a place of the tool: what the others stand at is added up. Otherwise
                                     ///< each has its own coordinate
};

struct Controller : Addresses {
    std::string name;
    std::string description;
    std::map<char, std::string> axes;         ///< address letter -> joint id
    std::map<std::string, TurnReading> turns; ///< joint id -> how its words are read; wound where missing
    std::vector<AlignedJoints> aligned;       ///< planes, lengths and cycles act on the one that the block names
    std::map<std::string, WordMeaning> words; ///< normalised word ("G1", "M30", "G43.4") -> meaning
    std::vector<std::string> power_on;        ///< words in force after power-on

    // How numbers are read.
    double length_increment = 0.001;       ///< in program length units (mm or inch)
    double angle_increment = 0.001;        ///< deg
    double feed_increment = 0.1;           ///< per minute, program units
    double inverse_time_increment = 0.001; ///< 1/min
    double revolution_feed_increment = 0.001;
    double speed_increment = 1;
    double time_increment = 0.001; ///< s
    /// s: the finest that a program can say of time: where rows come by a clock, one of them.
    [[nodiscard]] double shortest_time() const { return table && table->interval > time_increment ? table->interval : time_increment; }
    double direction_increment = 1e-6;      ///< of a tilted plane's angles (deg) and vectors
    bool bare_number_is_increments = false; ///< a number without decimal point counts increments
    int most_digits = 9;

    // Other addresses, beside those of Addresses.
    char sequence_number = 'N';
    char program_number = 'O';
    char comment_open = '(';
    char comment_close = ')';

    // What it does.
    bool rapid_straight = false;     ///< rapid moves all joints in proportion; otherwise each at its own speed
    bool tip_rapid_straight = false; ///< the same while X, Y and Z are coordinates of the tip
    bool has_arcs = true;
    bool arc_centre = true; ///< takes centre words, incremental from the start
    bool arc_radius = true; ///< takes a radius word; positive up to 180 degrees, negative beyond
    bool arc_helix = true;
    std::vector<std::string> arc_planes{"xy", "zx", "yz"};
    double arc_end_tolerance = 0.01;                                        ///< mm between start and end radius before the control stops
    enum class RadiusRule { start, blend } radius_rule = RadiusRule::start; ///< radius kept from the start, or led over to the end's
    enum class RotaryFeed {
        combined,
        linear_only
    } rotary_feed = RotaryFeed::combined; ///< what F per minute means where rotary joints move
    bool tip_by_vector = false; ///< with tool-centre-point control the tool axis stays on the great circle, else each joint in proportion
    bool inverse_time_modal = false;   ///< an F in inverse time holds for later blocks
    bool feed_mode_clears_feed = true; ///< a change of feed mode forgets F
    std::string length_joint = "Z";    ///< the joint that a length register shifts
    bool cycles_across_plane = false;  ///< cycles drill along the axis across the plane in force; otherwise along length_joint
    ReadingForms change_forms;
    std::map<std::string, double> change_position; ///< joint id -> reading at which a tool change is allowed (mm or rad)
    bool tool_change_stops_spindle = true;
    double feed_most = 0;         ///< mm/min; 0 without limit
    double inverse_time_most = 0; ///< 1/min; 0 without limit
    std::size_t line_most = 0;    ///< bytes a line; 0 without limit
    Timing timing;
    std::optional<Table> table; ///< it reads tables; all words are then those of the neutral language, which no program holds
    std::vector<ControllerWitness> witnesses;

    /// The word of a function in force after power-on, nullptr where none of its group is.
    [[nodiscard]] const WordMeaning* power_on_meaning(Group group) const;
    [[nodiscard]] std::optional<char> address_of(const std::string& joint) const;
    /// Whether any of its words does this.
    [[nodiscard]] bool knows(Function function) const;
    /// The joints that share planes, lengths and cycles with this one; nullptr where it stands alone.
    [[nodiscard]] const AlignedJoints* aligned_with(const std::string& joint) const;
    [[nodiscard]] TurnReading turn_reading(const std::string& joint) const
    {
        const auto found = turns.find(joint);
        return found != turns.end() ? found->second : TurnReading::wound;
    }
};

/// The joint that works in place of another: itself where it is one of `moving`, otherwise one of those that the control has aligned
/// with it. Nothing where there is none.
[[nodiscard]] std::optional<JointIndex> working_joint(const Machine& machine, const Controller& controller, JointIndex joint,
                                                      const std::function<bool(JointIndex)>& moving);

/// "g01" -> "G1", "G43.40" -> "G43.4": how words are compared.
[[nodiscard]] std::string normalised_word(std::string_view word);

/// Reads a "controller/1" document. Its witnesses are checked where the machine is known (replay/witness.hpp).
Result<Controller> read_controller(const json::Document& document);

} // namespace wexilum
