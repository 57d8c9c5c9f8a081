#include "core/events/rule_events.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace wexilum {
namespace {

// What a run's program may have while rules write: so much, and so much more for each record of the path.
constexpr std::pair<std::uint64_t, std::uint64_t> rule_lines{1'000'000, 100};
constexpr std::pair<std::uint64_t, std::uint64_t> rule_bytes{std::uint64_t{32} << 20, 8192}; // of texts
constexpr std::size_t most_reports = 100'000;
constexpr std::size_t most_excursions = 100'000;

/// Events without whose native way there is no tool or no cycle for what follows.
bool needed(EventKind kind) { return kind == EventKind::tool_change || kind == EventKind::cycle; }

std::string_view name_of_event(EventKind kind) { return rule_events()[static_cast<std::size_t>(kind)].name; }

} // namespace

RuleEvents::RuleEvents(const Parts& parts, const RunWatch* watch) : parts_(parts)
{
    if (!parts.assembly.rulebook.empty()) {
        RuleLimits limits;
        limits.watch = watch;
        rules_.emplace(parts.assembly.rulebook, parts.assembly.options, static_cast<RuleHost&>(*this), limits);
    }
}

void RuleEvents::load(FindingList& findings)
{
    const auto fault = rules_ ? rules_->load() : nullptr;
    if (fault) {
        Finding finding =
            Finding::make(Severity::error, "rule-failed", "the rulebook can't be run, the program is made without it: " + fault->text(),
                          "correct the rulebook");
        finding.rule = fault->place;
        findings.add(std::move(finding));
    }
}

void RuleEvents::seen(EventKind kind, std::size_t times)
{
    if (seen_[static_cast<std::size_t>(kind)] == 0) [[unlikely]] {
        order_.push_back(kind);
    }
    seen_[static_cast<std::size_t>(kind)] += times;
}

void RuleEvents::count_lines()
{
    if (rules_) {
        rules_->count_lines();
    }
}

std::vector<EventTally> RuleEvents::tallies() const
{
    std::vector<EventTally> out;
    const auto add = [&](EventKind kind) {
        out.push_back({kind, seen_[static_cast<std::size_t>(kind)], rules_ ? rules_->count(kind) : HandlerCount{}});
    };
    std::for_each(order_.begin(), order_.end(), add);
    for (std::size_t i = 0; i < event_count; ++i) {
        if (seen_[i] == 0 && rules_ && rules_->has(static_cast<EventKind>(i))) {
            add(static_cast<EventKind>(i));
        }
    }
    return out;
}

// --- handing over ---------------------------------------------------------------------------------------------------

void RuleEvents::hand_over(EventKind kind, const Record& record)
{
    fill(kind, record);
    hand_over(kind, &record);
}

bool RuleEvents::taken(EventKind kind, const std::string* field)
{
    if (!offered(kind)) {
        return false;
    }
    Event& event = rules_->event(kind);
    if (field != nullptr) {
        event.text(0, 0, *field);
    }
    hand_over(kind, at_work_.record);
    return true;
}

/// Has the rule take the event that has been filled; `record` is null where none is behind it.
void RuleEvents::hand_over(EventKind kind, const Record* record)
{
    const AtWork before = std::exchange(at_work_, {record, false, false});
    EventNotes& notes = parts_.notes;
    const std::optional<std::string> rule = notes.probe() != nullptr ? std::optional(notes.rule()) : std::nullopt;
    if (const auto problem = rules_->call(kind)) [[unlikely]] {
        fail(kind, *problem);
    } else if (!at_work_.native_done && record != nullptr && needed(kind)) [[unlikely]] {
        left_out(kind);
    }
    if (rule) [[unlikely]] {
        notes.rule(*rule);
    }
    at_work_ = before;
}

void RuleEvents::hand_over_each(EventKind kind, const Record& record, const std::function<bool()>& next)
{
    const AtWork before = std::exchange(at_work_, {&record, false, false});
    const auto filled = [&] {
        if (!next()) {
            return false;
        }
        seen(kind, 1);
        fill(kind, record);
        at_work_.native_done = false;
        return true;
    };
    if (const auto problem = rules_->call_each(kind, filled)) [[unlikely]] {
        fail(kind, *problem);
    }
    at_work_ = before;
}

void RuleEvents::fill(EventKind kind, const Record& record)
{
    Event& event = rules_->event(kind);
    fill_fields(event, kind, record.data);
    const RunCourse& course = parts_.course;
    if (kind == EventKind::cycle_point && parts_.cycles.active()) {
        event.number(6, parts_.cycles.depth());
        event.text(7, 0, parts_.cycles.kind());
    } else if (kind == EventKind::operation) {
        event.number(2, double(course.operations()));
        event.text(3, 2, parts_.assembly.work_of(course.operations() - 1).id);
    } else if (kind == EventKind::tool_change) {
        const std::uint32_t number = std::get<record::ToolChange>(record.data).number;
        event.number(0, number);
        if (const Tool* tool = parts_.assembly.setup.find_tool(number)) {
            event.text(1, 0, tool->name);
            if (tool->length) {
                event.number(2, *tool->length);
            }
        }
        if (const auto next = course.next_tool(1)) {
            event.number(3, *next);
        }
        event.number(4, double(course.calls() + 1));
    }
}

void RuleEvents::answer(std::optional<EventKind> kind, const Record& record)
{
    EventProbe& probe = *parts_.notes.probe();
    if (!kind || !rules_) {
        probe.answer = Error{ErrorKind::value, "there is no event at this record", {}, "choose another one"};
        return;
    }
    fill(*kind, record);
    const Record* const before = std::exchange(at_work_.record, &record);
    probe.answer = rules_->evaluate(*kind, probe.expression);
    at_work_.record = before;
}

/// A rule has taken what all that follows rests on, without the native way: that is done after all, so that the rest can be looked at.
void RuleEvents::left_out(EventKind kind)
{
    parts_.actions.catch_up();
    const std::string event(name_of_event(kind));
    Finding finding = Finding::make(
        Severity::error, "event-left-out",
        fmt::format("the rule for {} ends without event:native(), and what follows needs it (the native way was taken instead)", event),
        "call event:native() where the rule has done its part");
    finding.rule = rules_->count(kind).place;
    parts_.notes.add(std::move(finding), event, SIZE_MAX);
    native(rules_->at_hand(kind));
}

/// What a rule that failed has left undone is done the native way.
void RuleEvents::fail(EventKind kind, const RuleFault& fault)
{
    parts_.actions.catch_up();
    const std::string after = at_work_.native_done ? "what it would have done after that is left out" : "the native way was taken instead";
    const std::string off = fault.limit ? "; it is not called again in this run" : "";
    Finding finding = Finding::make(Severity::error, "rule-failed",
                                    fmt::format("the rule for {} failed: {} ({}{})", name_of_event(kind), fault.text(), after, off),
                                    "correct the rulebook at the place given");
    finding.rule = fault.place;
    parts_.notes.add(std::move(finding), fault.place.text());
    if (!at_work_.native_done) {
        native(rules_->at_hand(kind));
    }
}

void RuleEvents::note_rule_here()
{
    if (parts_.notes.probe() == nullptr || !rules_) {
        return;
    }
    if (const Place place = rules_->here(); place.line > 0) {
        parts_.notes.rule("rule at " + place.text());
    }
}

void RuleEvents::native(Event& event)
{
    at_work_.native_done = true;
    if (parts_.actions.waits(event.kind)) {
        return;
    }
    parts_.actions.catch_up();
    if (parts_.notes.probe() != nullptr) {
        const Place place = rules_->here();
        const std::string_view name = name_of_event(event.kind);
        parts_.notes.rule(place.line > 0 ? fmt::format("native {}, called by the rule at {}", name, place.text())
                                         : fmt::format("native {}", name));
    }
    switch (event.kind) {
    case EventKind::program_start:
    case EventKind::program_end:
    case EventKind::retract:
    case EventKind::rotary_home:
    case EventKind::work_offset: parts_.actions.happen(event.kind); return;
    default: break;
    }
    if (event.changed == 0) {
        parts_.actions.happen(*at_work_.record);
    } else {
        parts_.actions.happen(Record{changed(at_work_.record->data, event), at_work_.record->source});
    }
}

// --- writing --------------------------------------------------------------------------------------------------------

void RuleEvents::begin_writing()
{
    parts_.actions.catch_up();
    note_rule_here();
}

RuleHost::Problem RuleEvents::emit(std::span<const RuleWord> words)
{
    begin_writing();
    return parts_.statements.emit(words);
}

void RuleEvents::text(const std::string& line)
{
    begin_writing();
    parts_.statements.line(line);
}

void RuleEvents::text(const std::string& line, std::span<const Role> changes)
{
    begin_writing();
    parts_.statements.line(line, changes);
}

void RuleEvents::comment(const std::string& text)
{
    begin_writing();
    parts_.statements.comment(text);
}

void RuleEvents::add_to_path(const RecordData& data)
{
    if (!at_work_.happening && rules_ && !rules_->idle()) {
        const std::size_t index = parts_.notes.index();
        parts_.excursions.add({data, parts_.notes.source()}, at_work_.native_done ? index + 1 : index);
    }
}

void RuleEvents::stop(bool optional)
{
    parts_.actions.catch_up();
    optional ? add_to_path(record::OptionalStop{}) : add_to_path(record::Stop{});
    note_rule_here();
    parts_.actions.section(optional ? "optional-stop" : "stop", optional ? Function::optional_stop : Function::stop);
}

RuleHost::Problem RuleEvents::dwell(double seconds)
{
    begin_writing();
    Problem problem = parts_.statements.dwell(seconds);
    if (!problem) {
        add_to_path(record::Dwell{seconds, false});
    }
    return problem;
}

void RuleEvents::forget(std::span<const Role> roles)
{
    parts_.actions.catch_up();
    parts_.statements.forget(roles);
}

void RuleEvents::report(RuleSeverity severity, const std::string& text, const std::string& cure)
{
    parts_.actions.catch_up();
    ++reports_;
    static constexpr std::array severities{Severity::remark, Severity::warning, Severity::error};
    static constexpr std::array<const char*, 3> kinds{"rule-remark", "rule-warning", "rule-error"};
    const auto at = static_cast<std::size_t>(severity);
    Finding finding = Finding::make(severities[at], kinds[at], text, cure.empty() ? "see the rule" : cure);
    finding.rule = rules_->here();
    parts_.notes.add(std::move(finding), text);
}

RuleHost::Problem RuleEvents::full() const
{
    const std::uint64_t records = parts_.course.outline().records;
    if (parts_.emitter.stamp() > rule_lines.first + records * rule_lines.second) {
        return fmt::format("the program has more than {} lines, which is more than rules may make of {} records",
                           rule_lines.first + records * rule_lines.second, records);
    }
    if (parts_.emitter.text_bytes() > rule_bytes.first + records * rule_bytes.second) {
        return fmt::format("the program has more than {} MB of text, which is more than rules may make of {} records",
                           (rule_bytes.first + records * rule_bytes.second) >> 20, records);
    }
    if (reports_ > most_reports || parts_.excursions.size() > most_excursions + records) {
        return "the rules report, or stop the program, without end";
    }
    return std::nullopt;
}

// --- asking ---------------------------------------------------------------------------------------------------------

std::optional<double> RuleEvents::axis(std::string_view joint, bool machine)
{
    parts_.actions.catch_up();
    const Pose* pose = at_work_.record != nullptr ? end_pose(at_work_.record->data) : nullptr;
    const Planned* const choice = parts_.path.choice();
    const auto found = parts_.assembly.machine.find_joint(std::string(joint));
    if (pose == nullptr || choice == nullptr || !found || parts_.course.tool() == nullptr) {
        return std::nullopt;
    }
    const WrittenPlace& place = parts_.motion.place();
    Readings readings = place.now();
    place.solver().take_rotary(readings, choice->readings);
    place.solver().set_linear(readings, parts_.path.in_work(*pose).tip, place.tool_length);
    const double reading = readings[Eigen::Index(found->value)];
    const double value = machine ? reading : place.frame.program_values(readings)[Eigen::Index(found->value)];
    return place.frame.is_rotary()[found->value] ? to_deg(value) : value;
}

expr::Value RuleEvents::state(StateName name)
{
    parts_.actions.catch_up();
    return parts_.state.value(name);
}

std::vector<RuleTool> RuleEvents::tools()
{
    std::vector<RuleTool> out;
    std::map<std::uint32_t, std::size_t> places;
    for (std::size_t i = 0; i < parts_.course.outline().tool_calls.size(); ++i) {
        const std::uint32_t number = parts_.course.outline().tool_calls[i];
        const auto [place, is_new] = places.try_emplace(number, out.size());
        if (is_new) {
            const Tool* tool = parts_.assembly.setup.find_tool(number);
            out.push_back({number, tool != nullptr ? tool->name : "", tool != nullptr ? tool->length : std::nullopt, 0, i + 1});
        }
        ++out[place->second].calls;
    }
    return out;
}

std::vector<RuleOperation> RuleEvents::operations()
{
    std::vector<RuleOperation> out;
    for (const OperationOutline& o : parts_.course.outline().operations) {
        RuleOperation operation{o.id, o.name, parts_.assembly.work_of(out.size()).id, o.records, {}, o.low[0] <= o.high[0], {}, {}};
        for (const std::uint32_t tool : o.tools) {
            if (std::find(operation.tools.begin(), operation.tools.end(), tool) == operation.tools.end()) {
                operation.tools.push_back(tool);
            }
        }
        for (std::size_t k = 0; k < 3; ++k) {
            operation.low[k] = o.low[Eigen::Index(k)];
            operation.high[k] = o.high[Eigen::Index(k)];
        }
        out.push_back(std::move(operation));
    }
    return out;
}

} // namespace wexilum
