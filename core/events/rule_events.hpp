// How events are handed to rules, and what rules can have done.
#pragma once

#include "core/base/watch.hpp"
#include "core/events/rule_fields.hpp"
#include "core/events/section_writer.hpp"

#include <optional>
#include <vector>

namespace wexilum {

class RuleEvents final : public RuleHost {
public:
    /// All must outlive the object. A watch, which may be null, ends rules that go on for long.
    struct Parts {
        const Assembly& assembly;
        WordEmitter& emitter;
        MotionWriter& motion;
        CycleWriter& cycles;
        StatementWriter& statements;
        SectionWriter& sections;
        const RunState& state;
        const RunCourse& course;
        const PathMotion& path;
        EventNotes& notes;
        ExcursionList& excursions;
        EventActions& actions;
    };
    RuleEvents(const Parts& parts, const RunWatch* watch);

    [[nodiscard]] bool any() const { return rules_.has_value(); }
    /// Reads the rulebook. Where it can't be run the program is made without it, which is reported.
    void load(FindingList& findings);
    /// Counts events.
    void seen(EventKind kind, std::size_t times);
    [[nodiscard]] bool takes(EventKind kind) const { return rules_ && rules_->takes(kind); }
    /// Counts an event; whether a rule takes it.
    [[nodiscard]] bool offered(EventKind kind)
    {
        seen(kind, 1);
        return takes(kind);
    }
    /// Has the rule take an event of a record. Precondition: takes(kind).
    void hand_over(EventKind kind, const Record& record);
    /// The same for an event that is not a record; `field`: its text, where it has one. False where no rule takes it.
    bool taken(EventKind kind, const std::string* field = nullptr);
    /// Hands events of one kind to the rule, one after the other: `next` puts each into `record`, and is false where there are no more.
    void hand_over_each(EventKind kind, const Record& record, const std::function<bool()>& next);
    /// Answers the probe's question at a record.
    void answer(std::optional<EventKind> kind, const Record& record);
    /// A record's native way is being done, or has been; what it was before.
    [[nodiscard]] bool set_happening(bool happening) { return std::exchange(at_work_.happening, happening); }
    /// Tells the probe which rule is at work.
    void note_rule_here();

    [[nodiscard]] std::vector<EventTally> tallies() const;
    void count_lines();
    [[nodiscard]] RuleLineCounts line_counts() const { return rules_ ? rules_->line_counts() : RuleLineCounts(); }

    // What sections and records do as well.
    void stop(bool optional) override;
    Problem dwell(double seconds) override;

private:
    [[nodiscard]] Problem full() const override;
    void native(Event& event) override;
    std::optional<double> axis(std::string_view joint, bool machine) override;
    int slot(std::string_view name) override { return parts_.statements.slot(name); }
    Problem emit(std::span<const RuleWord> words) override;
    void text(const std::string& line) override;
    void text(const std::string& line, std::span<const Role> changes) override;
    void comment(const std::string& text) override;
    void section(const std::string& name) override { parts_.actions.section(name, std::nullopt); }
    void set_section(const std::string& name, std::optional<Section> section) override { parts_.sections.set(name, std::move(section)); }
    void reset_section(const std::string& name) override { parts_.sections.reset(name); }
    void act(SectionAction action) override { parts_.actions.act(action); }
    void forget(std::span<const Role> roles) override;
    void report(RuleSeverity severity, const std::string& text, const std::string& cure) override;
    expr::Value state(StateName name) override;
    std::vector<RuleTool> tools() override;
    std::vector<RuleOperation> operations() override;

    /// What the rule at hand has, for as long as it is at work.
    struct AtWork {
        const Record* record = nullptr; ///< of the event
        bool happening = false;         ///< the record at hand is being done
        bool native_done = false;       ///< the event has been done
    };
    void hand_over(EventKind kind, const Record* record);
    void fill(EventKind kind, const Record& record);
    void fail(EventKind kind, const RuleFault& fault);
    void left_out(EventKind kind);
    /// Cuts that wait are written, and the probe is informed.
    void begin_writing();
    /// Makes a stop or dwell that a rule adds part of the agreed path.
    void add_to_path(const RecordData& data);

    Parts parts_;
    std::optional<Rulebook> rules_;
    AtWork at_work_;
    std::size_t reports_ = 0; ///< that rules have made
    std::array<std::uint64_t, event_count> seen_{};
    std::vector<EventKind> order_; ///< in which events first came
};

} // namespace wexilum
