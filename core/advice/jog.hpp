// A machine moved by hand: each axis, the tip held while the rotary joints turn, along and about axes. It stops at the ends of travel and
// at the clearance, goes closer only where that is wanted, never into contact, and out of contact always.
#pragma once

#include "core/job/assembly.hpp"
#include "core/setup/contact_set.hpp"
#include "core/write/program_frame.hpp"

#include <functional>
#include <limits>
#include <optional>
#include <string>

namespace wexilum {

/// Whose axes a jog goes along or about.
enum class JogFrame { machine, part, tool };

/// A way by hand: where the joints stand at each part of it; 0 where it begins, 1 where it is to end, and beyond both. Nothing where the
/// machine can't stand so.
using JogWay = std::function<std::optional<Readings>(double)>;

class Jogger {
public:
    /// Of the assembly's machine as an operation (from 0) has it set. The assembly must be linked, stay where it is and outlive the jogger.
    /// An Error where the machine's list of what is kept apart is wrong.
    static Result<Jogger> make(const Assembly& assembly, std::size_t operation);

    /// The tool in the spindle from here on; null: none. `length` in mm from the gauge point to its tip.
    void fit(const Tool* tool, double length);

    // Ways from where the joints stand. An Error of kind value says why there is none.
    [[nodiscard]] JogWay axis(const Readings& now, JointIndex joint, double to) const;
    /// The same while the tip stays where it is in the part. An Error where no linear joints can hold it.
    [[nodiscard]] Result<JogWay> axis_with_tip_held(const Readings& now, JointIndex joint, double to) const;
    /// The tip goes `mm` along axis 0, 1 or 2; the tool keeps its direction.
    [[nodiscard]] Result<JogWay> along(const Readings& now, JogFrame frame, std::size_t axis, double mm) const;
    /// The tool turns by `rad` about an axis through its tip, which stays.
    [[nodiscard]] Result<JogWay> about(const Readings& now, JogFrame frame, std::size_t axis, double rad) const;

    enum class Stopped { no, travel, clearance, contact, reach };
    struct Outcome {
        Readings readings;
        Stopped stopped = Stopped::no;
        std::string text; ///< why it stopped, for people; empty where it has come through
    };
    /// How far a way can be gone; `closer`: than the clearance, up to just before contact.
    Outcome go(const Readings& now, const JogWay& way, bool closer);

    /// Two solids, how far they are apart and how far they are to be.
    struct Near {
        std::string first;
        std::string second;
        double distance = 0; ///< mm; 0: they touch
        double clearance = 0;
    };
    /// The two that have least to spare; nothing where nothing is kept apart.
    [[nodiscard]] std::optional<Near> nearest(const Readings& now) const;

    /// The tool's pose in the part's frame.
    [[nodiscard]] Pose pose(const Readings& now) const;
    /// What the control shows for each joint in the job's work coordinates, with the tool's length in force, mm or rad; nothing for joints
    /// that it does not know, or that do not work here.
    [[nodiscard]] std::vector<std::optional<double>> work_readings(const Readings& now) const;

private:
    /// A pair that is nearer than it should be.
    struct Held {
        std::size_t pair;
        double distance;
    };
    [[nodiscard]] std::optional<Outcome> keep_clear(const Readings& now, const JogWay& way, bool closer, std::vector<Held>& held);
    [[nodiscard]] std::optional<Outcome> end_of_travel(const Readings& from, const Readings& to) const;
    [[nodiscard]] std::optional<Outcome> hindrance(const Readings& from, const std::optional<Readings>& to, bool closer,
                                                   const std::vector<Held>& held);
    Jogger(const Assembly& assembly, InverseSolver solver, ContactSet contact);
    [[nodiscard]] Vec3 direction(const Readings& now, JogFrame frame, std::size_t axis) const;
    [[nodiscard]] bool in_chain(JointIndex joint) const;
    /// Two solids of a pair, by their places, and how far they are apart; infinitely where the pair has none.
    struct Two {
        std::size_t a = 0;
        std::size_t b = 0;
        double distance = std::numeric_limits<double>::infinity(); ///< mm
    };
    [[nodiscard]] Two closest(std::size_t pair, const Readings& at) const;
    [[nodiscard]] double distance_of(std::size_t pair, const Readings& at) const;
    [[nodiscard]] std::string names_of(std::size_t pair, const Readings& at) const;
    /// A pair that touches comes apart sooner on this way than on the way back.
    [[nodiscard]] bool leads_out(std::size_t pair, const JogWay& way) const;

    const Assembly* assembly_;
    Posture posture_;
    InverseSolver solver_;
    ContactSet contact_;
    const Tool* tool_ = nullptr;
    double length_ = 0;
};

} // namespace wexilum
