// Canned cycles: holes that the control drills by itself, leg by leg.
#pragma once

#include "core/control/motions.hpp"

#include <memory>
#include <optional>

namespace wexilum {

class PointCycles {
public:
    /// Both must outlive the object.
    PointCycles(ControlParts& parts, Motions& motions);

    /// A cycle's word comes into force in a block: nothing is known of its depths any more, and it ends where the machine stands.
    void begin(const BlockWords& words);
    /// A block with a hole of the cycle in force; `to` as Motions::targets(). Its legs follow with next_leg(), while on(). The words must
    /// stay until then.
    void run(const BlockWords& words, Readings to);
    [[nodiscard]] bool on() const { return hole_ && hole_->on; }
    /// The next motion of the hole at hand, or its dwell; it may turn out that there is none. Precondition: on().
    void next_leg();

private:
    /// A hole that is being drilled.
    struct Hole {
        enum class Stage { down, over, in, peck, peck_out, peck_back, dwell, back, away };
        Stage stage = Stage::down; ///< that comes next
        bool on = false;
        const CycleMotion* cycle = nullptr;
        double clearance = 0; ///< readings of the joint that drills
        double bottom = 0;
        double reached = 0;
        double step = 0; ///< mm; 0: it goes down at once
        Readings to;     ///< where the hole is
        const BlockWords* words = nullptr;
    };
    [[nodiscard]] std::size_t drilled(const BlockWords& words);
    [[nodiscard]] bool can_run(const BlockWords& words);
    void read_words(const BlockWords& words);
    [[nodiscard]] bool is_whole(bool pecks);
    void leg(double level, bool feed);
    void peck();
    void back_out();
    /// The way out of the hole, 1 or -1, in readings of the joint that drills.
    [[nodiscard]] double outward() const;
    /// Of two readings of the joint that drills, the one further out of the hole.
    [[nodiscard]] double further_out(double a, double b) const;
    void refuse(const char* message, const char* cure);

    ControlParts& parts_;
    Motions& motions_;
    std::size_t joint_; ///< that drills; SIZE_MAX: none
    double initial_level_ = 0;
    std::optional<double> clearance_; ///< of the words in force, as readings
    std::optional<double> bottom_;
    std::optional<double> step_;
    double dwell_ = 0;
    std::unique_ptr<Hole> hole_; ///< null until one has come
};

} // namespace wexilum
