// What each record becomes: the native way, and the rules that take events from it.
#pragma once

#include "core/events/cut_runs.hpp"
#include "core/events/record_events.hpp"
#include "core/write/subprogram_writer.hpp"

namespace wexilum {

class NativeEvents final : private EventActions {
public:
    /// All must outlive the object; `plan` stands before the first motion, `files` are those that sources point into. `own_thread`:
    /// the text is made on a thread of its own. A watch, which may be null, ends rules that go on for long.
    NativeEvents(const Assembly& assembly, const Outline& outline, PlanReader& plan, FindingList& findings,
                 const std::vector<std::string>& files, CodeSink& sink, bool own_thread, const RunWatch* watch);

    void begin();
    /// Handles the next record.
    void handle(const Record& record);
    /// Handles a run. With a probe it ends where the probe has seen its line, or has its answer.
    void handle(const LinearRun& run) { runs_.handle(run); }
    void finish();
    /// Watches for one block. Precondition: before begin().
    void set_probe(EventProbe* probe);
    [[nodiscard]] const WordEmitter& emitter() const { return emitter_; }
    [[nodiscard]] std::vector<LinkMark> take_link_marks() { return motion_.take_link_marks(); }
    [[nodiscard]] std::vector<Excursion> take_excursions() { return excursions_.take(); }
    [[nodiscard]] std::vector<EventTally> tallies() const { return rules_.tallies(); }
    /// line_counts() is wanted. Precondition: before begin().
    void count_lines() { rules_.count_lines(); }
    [[nodiscard]] RuleLineCounts line_counts() const { return rules_.line_counts(); }

private:
    void catch_up() override { runs_.catch_up(); }
    bool waits(EventKind kind) override { return runs_.waits(kind); }
    void happen(const Record& record) override { records_.happen(record); }
    void happen(EventKind kind) override;
    void section(const std::string& name, std::optional<Function> fallback) override;
    void act(SectionAction action) override;

    void happen_or_hand_over(EventKind kind, const std::string* field = nullptr);
    void leave_work() { happen_or_hand_over(EventKind::retract); }
    void end_subprogram();
    [[nodiscard]] const std::string& register_here() const { return assembly_.register_of(motion_.place().posture().work); }
    void check_written();

    const Assembly& assembly_;
    const Outline& outline_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    std::vector<std::string> joint_names_;
    WordEmitter emitter_;
    MotionWriter motion_;
    CycleWriter cycles_;
    SubprogramWriter subprograms_;
    EventNotes notes_;
    ExcursionList excursions_;
    RunCourse course_;
    SpindleAndCoolant spindle_;
    PathMotion path_;
    StatementWriter statements_;
    RunState state_;
    SectionWriter sections_;
    RuleEvents rules_;
    RecordEvents records_;
    CutRuns runs_;
};

} // namespace wexilum
