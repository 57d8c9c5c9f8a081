// What rules can have done, and how events are handed to them.
#include "core/events/native_events.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

// What a run's program may have while rules write: so much, and so much more for each record of the path.
constexpr std::pair<std::uint64_t, std::uint64_t> rule_lines{1'000'000, 100};
constexpr std::pair<std::uint64_t, std::uint64_t> rule_bytes{std::uint64_t{32} << 20, 8192}; // of texts
constexpr std::size_t most_reports = 100'000;
constexpr std::size_t most_excursions = 100'000;

enum Slot : int { feed_slot, speed_slot, tool_slot, register_slot, dwell_slot, count_slot, first_joint };

void pose_fields(Event& event, const Pose& pose)
{
    for (std::size_t i = 0; i < 3; ++i) {
        event.numbers[i] = pose.tip[Eigen::Index(i)];
        event.numbers[3 + i] = pose.axis[Eigen::Index(i)];
    }
    event.present = 0x3f;
}

constexpr std::array<std::string_view, 3> spindle_states{"off", "clockwise", "counter_clockwise"};

/// Events without whose native way there is no tool or no cycle for what follows.
bool needed(EventKind kind) { return kind == EventKind::tool_change || kind == EventKind::cycle; }

std::size_t position(std::span<const std::string_view> names, std::string_view name)
{
    return std::size_t(std::find(names.begin(), names.end(), name) - names.begin());
}

double feed_unit(FeedMode mode) { return mode == FeedMode::per_revolution ? 1 : 60; }

void fill_fields(Event& event, const record::Circular& r)
{
    pose_fields(event, r.to);
    for (std::size_t i = 0; i < 3; ++i) {
        event.number(6 + i, r.centre[Eigen::Index(i)]);
        event.number(9 + i, r.normal[Eigen::Index(i)]);
    }
    event.number(12, r.radius);
    event.number(13, r.extra_turns);
}

void fill_fields(Event& event, const record::CycleStart& r)
{
    event.text(0, 0, r.kind);
    static constexpr std::array<const char*, 5> names{"depth", "clearance", "step", "dwell", "feed"};
    for (std::size_t i = 0; i < names.size(); ++i) {
        if (const auto found = r.parameters.find(names[i]); found != r.parameters.end()) {
            event.number(i + 1, found->second * (i == 4 ? 60 : 1));
        }
    }
}

void fill_fields(Event& event, const record::Feed& r)
{
    static constexpr std::array<const char*, 3> modes{"per_minute", "per_revolution", "inverse_time"};
    event.number(0, r.value * feed_unit(r.mode));
    event.text(1, 0, modes[static_cast<std::size_t>(r.mode)]);
}

void fill_fields(Event& event, const record::Spindle& r)
{
    event.text(0, 0, spindle_states[static_cast<std::size_t>(r.state)]);
    event.number(1, r.speed_rpm);
}

void fill_fields(Event& event, const record::Dwell& r)
{
    event.number(0, r.amount);
    event.number(1, r.revolutions ? 1 : 0);
}

/// The record with what the rule has set.
RecordData changed(const RecordData& data, const Event& event)
{
    RecordData out = data;
    if (auto* feed = std::get_if<record::Feed>(&out)) {
        feed->value = event.numbers[0] / feed_unit(feed->mode);
    } else if (auto* spindle = std::get_if<record::Spindle>(&out)) {
        spindle->speed_rpm = event.numbers[1];
        spindle->state = static_cast<record::SpindleState>(position(spindle_states, event.texts[0]));
    } else if (auto* coolant = std::get_if<record::Coolant>(&out)) {
        for (const auto state : {record::CoolantState::off, record::CoolantState::flood, record::CoolantState::mist,
                                 record::CoolantState::through, record::CoolantState::air}) {
            coolant->state = event.texts[0] == name_of(state) ? state : coolant->state;
        }
    } else if (auto* dwell = std::get_if<record::Dwell>(&out)) {
        dwell->amount = event.numbers[0];
    } else if (auto* comment = std::get_if<record::Comment>(&out)) {
        comment->text = event.texts[0];
    } else if (auto* text = std::get_if<record::InsertedText>(&out)) {
        text->text = event.texts[0];
    }
    return out;
}

} // namespace

std::optional<EventKind> event_of(std::size_t record_kind)
{
    using enum EventKind;
    static constexpr std::array<std::optional<EventKind>, std::variant_size_v<RecordData>> kinds{
        std::nullopt,  rapid,        linear,          circular,      cycle,
        cycle_point,   cycle_end,    tool_change,     feed,          spindle,
        coolant,
        std::nullopt, // the job names the program, not the toolpath
        operation,     comment,      EventKind::stop, optional_stop, EventKind::dwell,
        inserted_text, std::nullopt, unknown_word,    std::nullopt,  linear}; // no posture; a wound cut has no centre
    return kinds[record_kind];
}

std::vector<EventTally> NativeEvents::tallies() const
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

void NativeEvents::hand_over(EventKind kind, const Record* record)
{
    const Record* const record_before = std::exchange(record_, record);
    const bool done_before = std::exchange(native_done_, false);
    const bool happening_before = std::exchange(happening_, false);
    const std::optional<std::string> rule = probe_ != nullptr ? std::optional(probe_->rule) : std::nullopt;
    if (const auto problem = rules_->call(kind)) [[unlikely]] {
        fail(kind, *problem);
    } else if (!native_done_ && record != nullptr && needed(kind)) [[unlikely]] {
        left_out(kind);
    }
    if (rule) [[unlikely]] {
        note_rule(*rule);
    }
    record_ = record_before;
    native_done_ = done_before;
    happening_ = happening_before;
}

/// A rule has taken what all that follows rests on, without the native way: that is done after all, so that the rest can be looked at.
void NativeEvents::left_out(EventKind kind)
{
    catch_up();
    const std::string_view event = rule_events()[static_cast<std::size_t>(kind)].name;
    Finding finding = Finding::make(
        Severity::error, "event-left-out",
        fmt::format("the rule for {} ends without event:native(), and what follows needs it (the native way was taken instead)", event),
        "call event:native() where the rule has done its part");
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1;
    finding.rule = rules_->count(kind).place;
    findings_.add(std::move(finding), std::string(event), index_, SIZE_MAX);
    native(rules_->at_hand(kind));
}

/// What a rule that failed has left undone is done the native way.
void NativeEvents::fail(EventKind kind, const RuleFault& problem)
{
    fault(kind, problem, native_done_);
    if (!native_done_) {
        native(rules_->at_hand(kind));
    }
}

bool NativeEvents::taken(EventKind kind)
{
    if (!offered(kind)) {
        return false;
    }
    (void)rules_->event(kind); // without fields
    hand_over(kind, record_);
    return true;
}

void NativeEvents::fill(EventKind kind, const Record& record)
{
    Event& event = rules_->event(kind);
    switch (kind) {
    case EventKind::rapid:
    case EventKind::linear: pose_fields(event, *end_pose(record.data)); break;
    case EventKind::circular: fill_fields(event, std::get<record::Circular>(record.data)); break;
    case EventKind::cycle: fill_fields(event, std::get<record::CycleStart>(record.data)); break;
    case EventKind::cycle_point:
        pose_fields(event, *end_pose(record.data));
        if (cycles_.active()) {
            event.number(6, cycles_.depth());
            event.text(7, 0, cycles_.kind());
        }
        break;
    case EventKind::feed: fill_fields(event, std::get<record::Feed>(record.data)); break;
    case EventKind::spindle: fill_fields(event, std::get<record::Spindle>(record.data)); break;
    case EventKind::coolant: event.text(0, 0, name_of(std::get<record::Coolant>(record.data).state)); break;
    case EventKind::dwell: fill_fields(event, std::get<record::Dwell>(record.data)); break;
    case EventKind::comment: event.text(0, 0, std::get<record::Comment>(record.data).text); break;
    case EventKind::inserted_text: event.text(0, 0, std::get<record::InsertedText>(record.data).text); break;
    case EventKind::unknown_word:
        event.text(0, 0, std::get<record::Unknown>(record.data).word);
        event.text(1, 1, std::get<record::Unknown>(record.data).text);
        break;
    case EventKind::operation:
        event.text(0, 0, std::get<record::Operation>(record.data).id);
        event.text(1, 1, std::get<record::Operation>(record.data).name);
        event.number(2, double(operations_));
        break;
    case EventKind::tool_change: fill_tool(event, std::get<record::ToolChange>(record.data).number); break;
    default: break;
    }
}

void NativeEvents::answer(std::optional<EventKind> kind, const Record& record)
{
    if (!kind || !rules_) {
        probe_->answer = Error{ErrorKind::value, "there is no event at this record", {}, "choose another one"};
        return;
    }
    fill(*kind, record);
    const Record* const before = std::exchange(record_, &record);
    probe_->answer = rules_->evaluate(*kind, probe_->expression);
    record_ = before;
}

void NativeEvents::fill_tool(Event& event, std::uint32_t number) const
{
    event.number(0, number);
    if (const Tool* tool = assembly_.setup.find_tool(number)) {
        event.text(1, 0, tool->name);
        if (tool->length) {
            event.number(2, *tool->length);
        }
    }
    if (calls_ + 1 < outline_.tool_calls.size()) {
        event.number(3, outline_.tool_calls[calls_ + 1]);
    }
    event.number(4, double(calls_ + 1));
}

void NativeEvents::fault(EventKind kind, const RuleFault& fault, bool native_done)
{
    catch_up();
    const std::string_view event = rule_events()[static_cast<std::size_t>(kind)].name;
    const std::string after = native_done ? "what it would have done after that is left out" : "the native way was taken instead";
    const std::string off = fault.limit ? "; it is not called again in this run" : "";
    Finding finding =
        Finding::make(Severity::error, "rule-failed", fmt::format("the rule for {} failed: {} ({}{})", event, fault.text(), after, off),
                      "correct the rulebook at the place that is told");
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1;
    finding.rule = fault.place;
    findings_.add(std::move(finding), fault.place.text(), index_);
}

void NativeEvents::note_rule_here()
{
    if (probe_ == nullptr || !rules_) {
        return;
    }
    if (const Place place = rules_->here(); place.line > 0) {
        note_rule("rule at " + place.text());
    }
}

void NativeEvents::native(Event& event)
{
    native_done_ = true;
    cut_done_ = cut_done_ || event.kind == EventKind::linear;
    if (waits_ && event.kind == EventKind::linear && waiting_end_ == waits_at_) {
        ++waiting_end_;
        return;
    }
    catch_up();
    if (probe_ != nullptr) {
        const Place place = rules_->here();
        const std::string_view name = rule_events()[static_cast<std::size_t>(event.kind)].name;
        note_rule(place.line > 0 ? fmt::format("native {}, called by the rule at {}", name, place.text()) : fmt::format("native {}", name));
    }
    switch (event.kind) {
    case EventKind::program_start: start_program(); return;
    case EventKind::program_end:
        section("wind-down", std::nullopt);
        section("program-end", Function::program_end);
        return;
    case EventKind::retract: motion_.retract(); return;
    case EventKind::rotary_home: motion_.rotary_home(); return;
    case EventKind::work_offset: state_work_offset(); return;
    default: break;
    }
    if (event.changed == 0) {
        happen(*record_);
    } else {
        happen({changed(record_->data, event), record_->source});
    }
}

std::optional<double> NativeEvents::axis(std::string_view joint, bool machine)
{
    catch_up();
    const Pose* pose = record_ != nullptr ? end_pose(record_->data) : nullptr;
    const auto found = assembly_.machine.find_joint(std::string(joint));
    if (pose == nullptr || choice_ == nullptr || !found || tool_ == nullptr) {
        return std::nullopt;
    }
    Readings readings = motion_.place().now();
    motion_.place().solver().set_turns(readings, choice_->turns);
    motion_.place().solver().set_linear(readings, in_work(*pose).tip, motion_.place().tool_length);
    const double reading = readings[Eigen::Index(found->value)];
    const double value = machine ? reading : motion_.place().frame.program_values(readings)[Eigen::Index(found->value)];
    return motion_.place().frame.is_rotary()[found->value] ? to_deg(value) : value;
}

// --- writing --------------------------------------------------------------------------------------------------------

int NativeEvents::slot(std::string_view name)
{
    static constexpr std::array<std::string_view, first_joint> names{"feed", "speed", "tool", "length-register", "dwell", "loop-count"};
    if (const auto found = std::find(names.begin(), names.end(), name); found != names.end()) {
        return int(found - names.begin());
    }
    const auto joint = std::find(joint_names_.begin(), joint_names_.end(), name);
    return joint == joint_names_.end() ? -1 : first_joint + int(joint - joint_names_.begin());
}

RuleHost::Problem NativeEvents::add_axis(Statement& statement, const RuleWord& word, bool machine)
{
    const auto joint = std::size_t(word.slot - first_joint);
    if (!assembly_.dialect.axes.contains(joint_names_[joint])) {
        return fmt::format("the dialect has no word for the joint {}", joint_names_[joint]);
    }
    if (!(std::abs(word.value) < 1e6)) {
        return fmt::format("{} can't go to {}", joint_names_[joint], word.value);
    }
    const ProgramFrame& frame = motion_.place().frame;
    const double value = frame.is_rotary()[joint] ? to_rad(word.value) : word.value;
    const ::wexilum::Slot made = frame.slot(Role::axes, frame.quantity(joint), value, joint);
    statement.slots.push_back(made);
    motion_.moved_to(joint, machine ? value : frame.reading(joint, made.counts)); // of the tip's coordinates: the next motion retracts
    motion_.left_path();
    return std::nullopt;
}

RuleHost::Problem NativeEvents::emit(std::span<const RuleWord> words)
{
    catch_up();
    note_rule_here();
    if (words.empty() || words.size() >= SlotList::most) {
        return fmt::format("a statement has from 1 to {} words", SlotList::most - 1);
    }
    Statement statement(StatementKind::state);
    std::uint32_t groups = 0;
    bool machine = false;
    bool moves = false;
    for (const RuleWord& word : words) {
        if (!word.function) {
            moves = moves || word.slot >= first_joint;
            continue;
        }
        const auto slot = emitter_.function(*word.function);
        if (group_of(*word.function) == Group::frame) {
            return fmt::format("{} is switched by the operation's \"frame\"; a rule may write it as text", name_of(*word.function));
        }
        if (!slot) {
            return fmt::format("the dialect has no word for {}", name_of(*word.function));
        }
        const std::uint32_t bit = 1U << static_cast<std::uint32_t>(slot->role);
        if ((groups & bit) != 0) {
            return fmt::format("{} is the second word of its kind in the statement", name_of(*word.function));
        }
        groups |= bit;
        machine = machine || *word.function == Function::machine_coordinates;
        statement.slots.push_back(*slot);
    }
    if (moves) {
        cycles_.interrupt();
    }
    if (machine) {
        emitter_.forget(Role::axes);
    }
    for (const RuleWord& word : words) {
        if (word.function) {
            continue;
        }
        if (word.slot >= first_joint) {
            if (const Problem problem = add_axis(statement, word, machine)) {
                return problem;
            }
            continue;
        }
        static constexpr std::array roles{Role::feed, Role::speed, Role::tool, Role::length_register, Role::dwell, Role::loop_count};
        static constexpr std::array quantities{Quantity::feed,  Quantity::speed, Quantity::whole,
                                               Quantity::whole, Quantity::time,  Quantity::whole};
        if (!(word.value >= 0 && word.value < 1e7)) {
            return fmt::format("the value {} is out of range", word.value);
        }
        const auto at = std::size_t(word.slot);
        statement.slots.push_back(
            motion_.place().frame.slot(roles[at], quantities[at], word.slot == feed_slot ? word.value / 60 : word.value));
    }
    emitter_.emit(statement);
    TextEffect effect;
    WordMeaning meaning;
    std::vector<WordMeaning> meanings;
    meanings.reserve(words.size());
    for (const RuleWord& word : words) {
        if (word.function) {
            meaning.function = *word.function;
            meanings.push_back(meaning);
            effect.words.push_back(&meanings.back());
        } else if (word.slot == speed_slot) {
            spindle_speed_ = word.value;
        }
    }
    after_text(effect);
    if (std::any_of(words.begin(), words.end(), [](const RuleWord& w) { return w.function == Function::loop_begin; })) {
        // Every pass but the first comes from the end of the one before.
        forget({});
        motion_.forget_places();
    }
    if (machine) {
        emitter_.forget(Role::axes);
        emitter_.forget_after("machine-coordinates");
    }
    return std::nullopt;
}

void NativeEvents::text(const std::string& line)
{
    catch_up();
    note_rule_here();
    write_line(line);
}

void NativeEvents::text(const std::string& line, std::span<const Role> changes)
{
    catch_up();
    note_rule_here();
    emitter_.literal(line, changes);
    if (std::find(changes.begin(), changes.end(), Role::axes) != changes.end()) {
        motion_.left_path();
        for (std::size_t joint = 0; joint < joint_names_.size(); ++joint) {
            motion_.stands_anywhere(joint);
        }
    }
    if (std::find(changes.begin(), changes.end(), Role::spindle) != changes.end()) {
        spindle_speed_ = -1;
    }
}

void NativeEvents::comment(const std::string& text)
{
    catch_up();
    note_rule_here();
    emitter_.comment(text);
}

void NativeEvents::set_section(const std::string& name, std::optional<Section> section)
{
    own_sections_[name] = std::make_shared<const std::optional<Section>>(std::move(section));
}

void NativeEvents::add_to_path(const RecordData& data)
{
    if (rules_ && !rules_->idle()) {
        excurse({data, source_}, native_done_ ? index_ + 1 : index_);
    }
}

void NativeEvents::stop(bool optional)
{
    catch_up();
    if (!happening_) {
        optional ? add_to_path(record::OptionalStop{}) : add_to_path(record::Stop{});
    }
    note_rule_here();
    section(optional ? "optional-stop" : "stop", optional ? Function::optional_stop : Function::stop);
}

RuleHost::Problem NativeEvents::dwell(double seconds)
{
    catch_up();
    note_rule_here();
    const auto word = emitter_.function(Function::dwell);
    if (!word) {
        return "the dialect has no word for dwell";
    }
    if (!happening_) {
        add_to_path(record::Dwell{seconds, false});
    }
    emitter_.emit({StatementKind::dwell, {*word, motion_.place().frame.slot(Role::dwell, Quantity::time, seconds)}});
    return std::nullopt;
}

void NativeEvents::forget(std::span<const Role> roles)
{
    catch_up();
    if (roles.empty()) {
        emitter_.forget_all();
    }
    for (const Role role : roles) {
        emitter_.forget(role);
    }
    if (roles.empty() || std::find(roles.begin(), roles.end(), Role::spindle) != roles.end()) {
        spindle_speed_ = -1;
    }
}

void NativeEvents::report(RuleSeverity severity, const std::string& text, const std::string& cure)
{
    catch_up();
    ++reports_;
    static constexpr std::array severities{Severity::remark, Severity::warning, Severity::error};
    static constexpr std::array<const char*, 3> kinds{"rule-remark", "rule-warning", "rule-error"};
    const auto at = static_cast<std::size_t>(severity);
    Finding finding = Finding::make(severities[at], kinds[at], text, cure.empty() ? "see the rule" : cure);
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1;
    finding.rule = rules_->here();
    findings_.add(std::move(finding), text, index_);
}

RuleHost::Problem NativeEvents::full() const
{
    const std::uint64_t records = outline_.records;
    if (emitter_.stamp() > rule_lines.first + records * rule_lines.second) {
        return fmt::format("the program has more than {} lines, which is more than rules may make of {} records",
                           rule_lines.first + records * rule_lines.second, records);
    }
    if (emitter_.text_bytes() > rule_bytes.first + records * rule_bytes.second) {
        return fmt::format("the program has more than {} MB of text, which is more than rules may make of {} records",
                           (rule_bytes.first + records * rule_bytes.second) >> 20, records);
    }
    if (reports_ > most_reports || excursions_.size() > most_excursions + records) {
        return "the rules report, or stop the program, without end";
    }
    return std::nullopt;
}

// --- asking ---------------------------------------------------------------------------------------------------------

std::vector<RuleTool> NativeEvents::tools()
{
    std::vector<RuleTool> out;
    std::map<std::uint32_t, std::size_t> places;
    for (std::size_t i = 0; i < outline_.tool_calls.size(); ++i) {
        const std::uint32_t number = outline_.tool_calls[i];
        const auto [place, is_new] = places.try_emplace(number, out.size());
        if (is_new) {
            const Tool* tool = assembly_.setup.find_tool(number);
            out.push_back({number, tool != nullptr ? tool->name : "", tool != nullptr ? tool->length : std::nullopt, 0, i + 1});
        }
        ++out[place->second].calls;
    }
    return out;
}

std::vector<RuleOperation> NativeEvents::operations()
{
    std::vector<RuleOperation> out;
    for (const OperationOutline& o : outline_.operations) {
        RuleOperation operation{o.id, o.name, o.records, {}, o.low[0] <= o.high[0], {}, {}};
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
