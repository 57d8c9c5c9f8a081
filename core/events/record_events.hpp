// The native way of each record.
#pragma once

#include "core/events/rule_events.hpp"

#include <functional>

namespace wexilum {

class RecordEvents {
public:
    /// All must outlive the object. `leave_work`: the tool goes away from the work, by the rule for that where there is one.
    struct Parts {
        const Assembly& assembly;
        WordEmitter& emitter;
        MotionWriter& motion;
        CycleWriter& cycles;
        RunCourse& course;
        SpindleAndCoolant& spindle;
        PathMotion& path;
        StatementWriter& statements;
        SectionWriter& sections;
        RuleEvents& rules;
        EventNotes& notes;
        EventActions& actions;
        std::function<void()> leave_work;
    };
    explicit RecordEvents(const Parts& parts) : parts_(parts), solvers_(parts.assembly) {}

    void happen(const Record& record);
    /// The operation of the next motion, spindle and coolant as the path wants them: before the tool moves.
    void ready();
    /// Writes what a person has to do now.
    void write_tasks();

private:
    void on(const record::From& /*r*/) {}
    void on(const record::Rapid& r) { parts_.path.rapid(r.to); }
    void on(const record::Linear& r) { parts_.path.cut(r.to); }
    template <Curve T>
    void on(const T& r)
    {
        parts_.path.cut_along(r);
    }
    void on(const record::CycleStart& r);
    void on(const record::CyclePoint& r) { parts_.path.hole(r.at); }
    void on(const record::CycleEnd& /*r*/) { parts_.cycles.end(); }
    void on(const record::ToolChange& r);
    void on(const record::Feed& r) { parts_.path.set_feed(r.mode, r.value); }
    void on(const record::Spindle& r);
    void on(const record::Coolant& r) { parts_.spindle.want(r); }
    void on(const record::ProgramName& /*r*/) {} // the job names the program; the toolpath's own name is for its reader
    void on(const record::Operation& r);
    void on(const record::Comment& r) { parts_.emitter.comment(r.text); }
    void on(const record::Stop& /*r*/) { parts_.rules.stop(false); }
    void on(const record::OptionalStop& /*r*/) { parts_.rules.stop(true); }
    void on(const record::Dwell& r);
    void on(const record::InsertedText& r);
    void on(const record::ProgramEnd& /*r*/) {}
    void on(const record::Unknown& /*r*/) {}
    void on(const record::PostureChange& r);

    [[nodiscard]] FrameKind wanted_frame() const;
    void take_mount(const Mount& mount);
    void by_hand(const char* section, const std::vector<std::string>& messages);
    [[nodiscard]] std::vector<std::string> messages_to_set(const Mount& mount, const std::vector<HeldJoint>& joints) const;

    Parts parts_;
    SolverBook solvers_;
    std::vector<std::string> messages_; ///< to a person, in the section at hand
};

} // namespace wexilum
