// What each record becomes: the native handlers, and the rules that take events from them.
#pragma once

#include "core/base/watch.hpp"
#include "core/path/agreed_path.hpp"
#include "core/path/outline.hpp"
#include "core/rules/rulebook.hpp"
#include "core/solve/path_choice.hpp"
#include "core/task/postures.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/record_source.hpp"
#include "core/write/cycle_writer.hpp"
#include "core/write/subprogram_writer.hpp"

namespace wexilum {

/// The event that a kind of record is, by its index in RecordData; nothing where rules don't see it.
[[nodiscard]] std::optional<EventKind> event_of(std::size_t record_kind);

/// What the events note about the block that an EmitProbe watches for.
struct EventProbe {
    EmitProbe words;
    std::string event;                 ///< what happens as the block is written
    std::string rule;                  ///< what makes blocks of it
    std::optional<std::size_t> record; ///< among the agreed path's
    Source source;
    std::optional<Pose> pose; ///< of the record, part's frame
    Planned planned;          ///< the choice made for it
    Readings stand;           ///< where the joints stood when its record came
    double tool_length = 0;
    Posture posture;
    // A question instead of a line:
    std::optional<std::size_t> asked; ///< record, before anything is made of it
    std::string expression;           ///< of Lua, with `event` and everything that rules have
    std::optional<Result<std::string>> answer;
};

class NativeEvents final : private RuleHost {
public:
    /// All must outlive the object; `plan` stands before the first motion, `files` are those that sources point into. `own_thread`:
    /// the text is made on a thread of its own. A watch, which may be null, ends rules that go on for long.
    NativeEvents(const Assembly& assembly, const Outline& outline, PlanReader& plan, FindingList& findings,
                 const std::vector<std::string>& files, CodeSink& sink, bool own_thread, const RunWatch* watch);

    void begin();
    /// Handles the next record.
    void handle(const Record& record);
    /// Handles a run. With a probe it ends where the probe has seen its line, or has its answer.
    void handle(const LinearRun& run);
    void finish();
    /// Watches for one block. Precondition: before begin().
    void set_probe(EventProbe* probe);
    [[nodiscard]] const WordEmitter& emitter() const { return emitter_; }
    [[nodiscard]] std::vector<LinkMark> take_link_marks() { return motion_.take_link_marks(); }
    [[nodiscard]] std::vector<Excursion> take_excursions() { return std::move(excursions_); }
    [[nodiscard]] std::vector<EventTally> tallies() const;
    /// line_counts() is wanted. Precondition: before begin().
    void count_lines()
    {
        if (rules_) {
            rules_->count_lines();
        }
    }
    [[nodiscard]] RuleLineCounts line_counts() const { return rules_ ? rules_->line_counts() : RuleLineCounts(); }

private:
    void on(const record::From&) {}
    void on(const record::Rapid& r);
    void on(const record::Linear& r) { cut<record::Circular>(r.to, nullptr); }
    void on(const record::Circular& r) { cut(r.to, &r); }
    void on(const record::Wound& r) { cut(r.to, &r); }
    void on(const record::CycleStart& r);
    void on(const record::CyclePoint& r);
    void on(const record::CycleEnd&) { cycles_.end(); }
    void on(const record::ToolChange& r);
    void on(const record::Feed& r);
    void on(const record::Spindle& r);
    void on(const record::Coolant& r);
    void on(const record::ProgramName& r);
    void on(const record::Operation& r);
    void on(const record::Comment& r) { emitter_.comment(r.text); }
    void on(const record::Stop&) { stop(false); }
    void on(const record::OptionalStop&) { stop(true); }
    void on(const record::Dwell& r);
    void on(const record::InsertedText& r);
    void on(const record::ProgramEnd&) {}
    void on(const record::Unknown&) {}
    void on(const record::PostureChange& r);

    void happen(const Record& record);
    void start_program();
    void end_program();

    /// Writes a section; one that nobody supplies is the one word of `fallback`.
    void section(const std::string& name, std::optional<Function> fallback);
    void write_section(const std::string& name, const char* whose, const Section& section);
    /// Whether somebody supplies it, or switches it off.
    [[nodiscard]] const JobWriting::Sections& operation_sections() const;
    [[nodiscard]] bool has_section(const std::string& name) const;
    /// Writes what a person has to do now.
    void tell();
    void write_template(const StatementTemplate& item);
    TextEffect write_line(const std::string& text);
    void after_text(const TextEffect& effect);
    [[nodiscard]] StateValues state_values();

    // --- rules
    /// Counts an event; whether a rule takes it.
    [[nodiscard]] bool offered(EventKind kind)
    {
        seen(kind, 1);
        return rules_ && rules_->takes(kind);
    }
    void seen(EventKind kind, std::size_t times)
    {
        if (seen_[static_cast<std::size_t>(kind)] == 0) [[unlikely]] {
            order_.push_back(kind);
        }
        seen_[static_cast<std::size_t>(kind)] += times;
    }
    /// Has the rule take the event that has been filled; `record` is null where none is behind it.
    void hand_over(EventKind kind, const Record* record);
    /// Both, for an event without fields. False where no rule takes it.
    bool taken(EventKind kind);
    void fill(EventKind kind, const Record& record);
    void answer(std::optional<EventKind> kind, const Record& record);
    void fill_tool(Event& event, std::uint32_t number) const;
    void fail(EventKind kind, const RuleFault& problem);
    void left_out(EventKind kind);
    void begin_operation(const record::Operation& r);
    void fault(EventKind kind, const RuleFault& fault, bool native_done);
    void note_rule_here();
    void leave_work();
    void state_work_offset();
    [[nodiscard]] Problem full() const override;
    void native(Event& event) override;
    std::optional<double> axis(std::string_view joint, bool machine) override;
    int slot(std::string_view name) override;
    Problem emit(std::span<const RuleWord> words) override;
    void text(const std::string& line) override;
    void text(const std::string& line, std::span<const Role> changes) override;
    void comment(const std::string& text) override;
    void section(const std::string& name) override { section(name, std::nullopt); }
    void set_section(const std::string& name, std::optional<Section> section) override;
    void reset_section(const std::string& name) override { own_sections_.erase(name); }
    void act(SectionAction action) override;
    void stop(bool optional) override;
    Problem dwell(double seconds) override;
    void forget(std::span<const Role> roles) override;
    void report(RuleSeverity severity, const std::string& text, const std::string& cure) override;
    expr::Value state(StateName name) override;
    std::vector<RuleTool> tools() override;
    std::vector<RuleOperation> operations() override;
    /// Makes a stop or dwell that a rule adds part of the agreed path.
    void add_to_path(const RecordData& data);
    Problem add_axis(Statement& statement, const RuleWord& word, bool machine);

    void end_subprogram();
    void say(Function function);
    void take_mount(const Mount& mount);
    /// Spindle and coolant as the path wants them, before the tool moves.
    void ready_to_move();
    /// The coordinates in which an operation is written; null: none has begun.
    [[nodiscard]] FrameKind frame_for(const OperationOutline* operation);
    [[nodiscard]] Pose in_work(const Pose& pose) const { return in_work_(pose); }
    void next_choice();
    void plan_cut(std::size_t at);
    void stand_at(std::size_t at);
    [[nodiscard]] bool along_open() const;
    std::size_t cut_along(std::size_t first, std::size_t end);
    void follow_on();
    [[nodiscard]] bool waits_for(std::size_t at);
    std::size_t offer_cuts(std::size_t first);
    void catch_up();
    [[nodiscard]] bool probe_is_done() const { return probe_ != nullptr && (probe_->words.seen || probe_->answer); }
    const Planned* choice_ = nullptr; ///< of the motion at hand
    Planned kept_;                    ///< the choice where the plan has nothing, or that of a run's cut
    bool kept_next_ = false;          ///< it is the next motion's
    LinearRun run_in_work_;           ///< room for a run in the work mount's frame
    std::array<Column, 2> run_turns_{};
    CutsAlong along_;                ///< the part of a run at hand
    const LinearRun* run_ = nullptr; ///< the run at hand, part's frame
    std::size_t run_index_ = 0;      ///< of its first record
    Record run_record_;              ///< one of its records
    std::size_t waiting_ = 0;        ///< its cuts from here to before waiting_end_ wait to be written
    std::size_t waiting_end_ = 0;
    std::size_t waits_at_ = 0; ///< the cut that a rule has
    bool waits_ = false;       ///< and it may wait
    bool cut_done_ = false;    ///< the native way was taken for it, or will be
    /// A straight cut, or along the given arc, from where the path stands.
    template <typename Curve>
    void cut(const Pose& to, const Curve* curve);
    /// Cuts one piece, through a pole where the plan says so.
    void cut_piece(const PathPiece& piece, const Planned& planned);
    /// `inside`: the pole lies on the way to the record at hand, not at its beginning.
    void turn_at_pole(const Pose& pole, const Turns& arrive, const Turns& depart, bool inside);
    void reorient(const Pose& pose, const Turns& depart);
    [[nodiscard]] const OperationSettings& settings() const;
    /// Notes motion (work mount's frame) that belongs before the record at hand.
    void excurse(Record inserted, std::size_t before);
    void note_excursion(const std::vector<std::pair<Pose, bool>>& rapid_or_feed);
    void error(const char* kind, std::string message, std::string cure);
    /// Tells the probe what the following blocks come from.
    void note_event(const char* event, const Record* record);
    void note_rule(const std::string& rule);

    const Assembly& assembly_;
    PoseMap in_work_; ///< from the part's frame
    const Outline& outline_;
    PlanReader& plan_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    std::vector<std::string> joint_names_;
    WordEmitter emitter_;
    SolverBook solvers_;
    MotionWriter motion_;
    CycleWriter cycles_;
    SubprogramWriter subprograms_;
    std::vector<std::string> messages_; ///< to a person, in the section at hand
    std::size_t reports_ = 0;           ///< that rules have made
    Source source_;
    std::size_t index_ = 0;
    EventProbe* probe_ = nullptr;
    std::optional<Rulebook> rules_;
    const Record* record_ = nullptr;                                                    ///< of the event that a rule has
    bool happening_ = false;                                                            ///< the record at hand is being done
    bool native_done_ = false;                                                          ///< the rule at hand has had its event done
    std::map<std::string, std::shared_ptr<const std::optional<Section>>> own_sections_; ///< as rules want them
    std::array<std::uint64_t, event_count> seen_{};
    std::vector<EventKind> order_; ///< in which events first came
    std::vector<Excursion> excursions_;
    std::size_t calls_ = 0;      // tool calls done
    std::size_t operations_ = 0; // begun
    const Tool* tool_ = nullptr;
    std::string operation_; // id and name
    std::string operation_id_;
    std::optional<Pose> pose_;         // part's frame, where the path stands
    std::optional<Pose> pose_in_work_; // the same in the work mount's frame, where it is at hand
    Turns planned_{};                  // exact rotary readings there
    FeedSpec feed_;
    record::Spindle wanted_spindle_;
    record::SpindleState spindle_ = record::SpindleState::off;
    double spindle_speed_ = 0;
    record::CoolantState wanted_coolant_ = record::CoolantState::off;
    record::CoolantState coolant_ = record::CoolantState::off;
};

} // namespace wexilum
