// The native handlers: what each record becomes when no rule takes it.
#pragma once

#include "core/run/cycle_writer.hpp"
#include "core/run/outline.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/path_choice.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/record_source.hpp"

namespace wexilum {

/// What the events note about the block that an EmitProbe watches for.
struct EventProbe {
    EmitProbe words;
    std::array<double, max_joints> exact{}; ///< by joint, the value that its word was rounded from
    std::string event;                      ///< what happens as the block is written
    std::string rule;                       ///< what makes blocks of it
    std::optional<std::size_t> record;      ///< among the agreed path's
    Source source;
    std::optional<Pose> pose; ///< of the record, part's frame
    Planned planned;          ///< the choice made for it
    Readings stand;           ///< where the joints stood when its record came
    double tool_length = 0;
};

class NativeEvents {
public:
    /// All must outlive the object; `plan` stands before the first motion, `files` are those that sources point into. `own_thread`:
    /// the text is made on a thread of its own.
    NativeEvents(const Assembly& assembly, const Outline& outline, PlanReader& plan, FindingList& findings,
                 const std::vector<std::string>& files, CodeSink& sink, bool own_thread);

    void begin();
    /// Handles the next record.
    void handle(const Record& record);
    void finish();
    /// Watches for one block. Precondition: before begin().
    void set_probe(EventProbe* probe);
    [[nodiscard]] const WordEmitter& emitter() const { return emitter_; }
    [[nodiscard]] std::vector<Excursion> take_excursions() { return std::move(excursions_); }

private:
    void on(const record::From&) {}
    void on(const record::Rapid& r);
    void on(const record::Linear& r) { cut(r.to, nullptr); }
    void on(const record::Circular& r) { cut(r.to, &r); }
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
    void on(const record::Stop&) { section("stop", Function::stop); }
    void on(const record::OptionalStop&) { section("optional-stop", Function::optional_stop); }
    void on(const record::Dwell& r);
    void on(const record::InsertedText& r);
    void on(const record::ProgramEnd&) {}
    void on(const record::Unknown&) {}

    /// Writes a section's lines; a section that nobody supplies is the one word of `fallback`.
    void section(const std::string& name, std::optional<Function> fallback = std::nullopt);
    void lines(const std::string& section, const char* whose, const std::vector<std::string>& texts);
    void line(const std::string& text);
    [[nodiscard]] std::optional<std::string> field(const std::string& name) const;
    bool action(const std::string& name);
    void say(Function function);
    /// Spindle and coolant as the path wants them, before the tool moves.
    void ready_to_move();
    [[nodiscard]] Pose in_work(const Pose& pose) const { return in_work_(pose); }
    [[nodiscard]] const Planned& next_choice();
    Planned kept_; ///< what next_choice() gives where the plan has nothing
    /// A straight cut, or along the given arc, from where the path stands.
    void cut(const Pose& to, const record::Circular* circular);
    /// Cuts one piece, through a pole where the plan says so.
    void cut_piece(const PathPiece& piece, const Planned& planned);
    /// `inside`: the pole lies on the way to the record at hand, not at its beginning.
    void turn_at_pole(const Pose& pole, const Turns& arrive, const Turns& depart, bool inside);
    void reorient(const Pose& pose, const Turns& depart);
    [[nodiscard]] const OperationSettings& settings() const;
    /// Notes motion (work mount's frame) that belongs before the record at hand.
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
    MotionWriter motion_;
    CycleWriter cycles_;
    Source source_;
    std::size_t index_ = 0;
    EventProbe* probe_ = nullptr;
    std::vector<Excursion> excursions_;
    std::size_t calls_ = 0;      // tool calls done
    std::size_t operations_ = 0; // begun
    const Tool* tool_ = nullptr;
    std::string operation_;
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
