// Spindle and coolant: as the path wants them, and as the program has them.
#pragma once

#include "core/events/event_notes.hpp"
#include "core/write/motion_writer.hpp"

namespace wexilum {

class SpindleAndCoolant final : public WritePart {
public:
    /// All must outlive the object.
    SpindleAndCoolant(const Assembly& assembly, WordEmitter& emitter, MotionWriter& motion, EventNotes& notes)
        : WritePart(motion.log()), assembly_(assembly), emitter_(emitter), motion_(motion), notes_(notes)
    {}

    /// What the path asks for; what it switches off is switched off at once.
    void want(const record::Spindle& spindle);
    void want(const record::Coolant& coolant);
    /// Before the tool moves: both as they are wanted.
    void ready();
    void switch_spindle_off();
    void switch_coolant_off();
    /// A tool change has stopped the spindle.
    void stopped() { spindle_ = record::SpindleState::off; }
    /// Text or a rule has written words.
    void after_text(const TextEffect& effect);
    /// What such words have turned on or off stays so until the path says otherwise.
    void keep(const TextEffect& effect);
    /// The speed is stated again before the next motion, or is this one now (rpm).
    void forget_speed() { speed_ = -1; }
    void speed_is(double rpm) { speed_ = rpm; }

    [[nodiscard]] record::SpindleState spindle() const { return spindle_; }
    [[nodiscard]] double wanted_rpm() const { return wanted_spindle_.speed_rpm; }
    [[nodiscard]] record::CoolantState coolant() const { return coolant_; }

    [[nodiscard]] bool leaves_cuts_plain() const override { return !must_turn() && !must_cool(); }

private:
    [[nodiscard]] bool must_turn() const;
    [[nodiscard]] bool must_cool() const;
    void turn();
    void check_coolant();

    const Assembly& assembly_;
    WordEmitter& emitter_;
    MotionWriter& motion_;
    EventNotes& notes_;
    record::Spindle wanted_spindle_;
    record::SpindleState spindle_ = record::SpindleState::off;
    double speed_ = 0;
    record::CoolantState wanted_coolant_ = record::CoolantState::off;
    record::CoolantState coolant_ = record::CoolantState::off;
};

} // namespace wexilum
