// The native handlers: what each record becomes when no rule takes it.
#pragma once

#include "core/run/cycle_writer.hpp"
#include "core/run/outline.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/path_choice.hpp"
#include "core/toolpath/arc_piece.hpp"

namespace wexilum {

class NativeEvents {
public:
    NativeEvents(const Assembly& assembly, const Outline& outline, const std::vector<Choice>& choices, FindingList& findings);

    void begin();
    /// Handles record number `index` of the assembly's toolpath; `choice` counts the motion records before it.
    void handle(std::size_t index);
    void finish();
    [[nodiscard]] CodeFile take_file();

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
    void line(const std::string& text);
    [[nodiscard]] std::optional<std::string> field(const std::string& name) const;
    bool action(const std::string& name);
    void say(Function function);
    /// Spindle and coolant as the path wants them, before the tool moves.
    void ready_to_move();
    [[nodiscard]] Pose in_work(const Pose& pose) const { return transformed(assembly_.setup.part, pose); }
    const Choice& next_choice(const Pose& pose);
    /// A straight cut, or along the given arc, from where the path stands.
    void cut(const Pose& to, const record::Circular* circular);
    void error(const char* kind, std::string message, std::string cure);
    void note_sources();

    const Assembly& assembly_;
    const Outline& outline_;
    const std::vector<Choice>& choices_;
    FindingList& findings_;
    std::vector<std::string> joint_names_;
    WordEmitter emitter_;
    MotionWriter motion_;
    CycleWriter cycles_;
    std::vector<Source> sources_;
    std::size_t index_ = 0;
    std::size_t choice_ = 0;
    std::size_t calls_ = 0; // tool calls done
    const Tool* tool_ = nullptr;
    std::string operation_;
    std::optional<Pose> pose_;        // part's frame, where the path stands
    std::optional<Readings> planned_; // exact readings there
    FeedSpec feed_;
    record::Spindle wanted_spindle_;
    record::SpindleState spindle_ = record::SpindleState::off;
    double spindle_speed_ = 0;
    record::CoolantState wanted_coolant_ = record::CoolantState::off;
    record::CoolantState coolant_ = record::CoolantState::off;
};

/// The poses that need a choice of branch, in order: one for each record that moves the tool (From left out).
[[nodiscard]] std::vector<PathTarget> path_targets(const Assembly& assembly, std::vector<std::size_t>& records);

} // namespace wexilum
