// Sections: what the dialect, the job, the operation at hand or a rule make of them.
#include "core/events/native_events.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

namespace wexilum {

void NativeEvents::begin()
{
    note_event("program head", nullptr);
    if (rules_) {
        if (const auto fault = rules_->load()) {
            Finding finding =
                Finding::make(Severity::error, "rule-failed", "the rulebook can't be run, the program is made without it: " + fault->text(),
                              "correct the rulebook");
            finding.rule = fault->place;
            findings_.add(std::move(finding));
        }
    }
    if (!taken(EventKind::program_start)) {
        start_program();
    }
}

void NativeEvents::start_program()
{
    section("program-head", std::nullopt);
    section("safe-start", std::nullopt);
}

void NativeEvents::end_program()
{
    note_event("program end", nullptr);
    cycles_.end();
    end_subprogram();
    if (!taken(EventKind::program_end)) {
        section("wind-down", std::nullopt);
        section("program-end", Function::program_end);
    }
}

void NativeEvents::section(const std::string& name, std::optional<Function> fallback)
{
    catch_up();
    if (const auto own = own_sections_.find(name); own != own_sections_.end()) {
        const auto kept = own->second; // a rule that the section calls may replace it
        if (*kept) {
            write_section(name, "rulebook", **kept);
        }
        return;
    }
    for (const auto& [sections, whose] : {std::pair(&operation_sections(), "operation"), std::pair(&assembly_.writing.sections, "job"),
                                          std::pair(&assembly_.dialect.sections, "dialect")}) {
        if (const auto found = sections->find(name); found != sections->end()) {
            if (found->second) {
                write_section(name, whose, *found->second);
            }
            return;
        }
    }
    if (fallback) {
        say(*fallback);
    }
}

const JobWriting::Sections& NativeEvents::operation_sections() const
{
    static const JobWriting::Sections none;
    return operations_ > 0 ? assembly_.writing.of_operation(operations_ - 1) : none;
}

bool NativeEvents::has_section(const std::string& name) const
{
    return operation_sections().contains(name) || own_sections_.contains(name) || assembly_.writing.sections.contains(name) ||
           assembly_.dialect.sections.contains(name);
}

void NativeEvents::write_section(const std::string& name, const char* whose, const Section& section)
{
    const std::string rule = probe_ != nullptr ? probe_->rule : std::string();
    for (std::size_t i = 0; i < section.size(); ++i) {
        if (probe_ != nullptr) {
            note_rule(fmt::format("section {} of the {}, line {}", name, whose, i + 1));
        }
        write_template(section[i]);
    }
    note_rule(rule);
}

void NativeEvents::write_template(const StatementTemplate& item)
{
    if (item.kind == StatementTemplate::Kind::action && !item.when) {
        act(item.action);
        return;
    }
    const StateValues values = state_values();
    const auto problem = [&](const Error& e) { error("section-value", "a section asks for " + e.message, e.cure); };
    const auto on = applies(item, values);
    if (!on) {
        problem(on.error());
        return;
    }
    if (!*on) {
        return;
    }
    switch (item.kind) {
    case StatementTemplate::Kind::action: act(item.action); return;
    case StatementTemplate::Kind::line:
    case StatementTemplate::Kind::comment: {
        auto text = text_of(item.parts, values, assembly_.dialect.inches);
        if (!text) {
            problem(text.error());
        } else if (*text && item.kind == StatementTemplate::Kind::comment) {
            emitter_.comment(**text);
        } else if (*text) {
            write_line(**text);
        }
        return;
    }
    case StatementTemplate::Kind::words: break;
    }
    std::vector<RuleWord> words;
    for (const Function function : item.functions) {
        words.push_back({function, -1, 0});
    }
    for (const ValueTemplate& value : item.values) {
        const auto read = value.value.evaluate(values);
        if (!read) {
            problem(read.error());
            return;
        }
        if (!expr::present(*read)) {
            return; // a statement about something that is not there
        }
        words.push_back({std::nullopt, slot(value.slot), expr::shown(std::get<double>(*read), value.value.dimension(), false)});
    }
    if (const Problem wrong = emit(words)) {
        error("section-statement", "a statement of a section can't be written: " + *wrong, "correct it in its file");
    }
}

TextEffect NativeEvents::write_line(const std::string& text)
{
    TextEffect effect;
    const char open = assembly_.dialect.comment_open;
    if (text.size() > 1 && text.front() == open && text.back() == assembly_.dialect.comment_close) {
        emitter_.comment(text.substr(1, text.size() - 2));
    } else {
        effect = emitter_.literal(text);
        after_text(effect);
    }
    return effect;
}

void NativeEvents::after_text(const TextEffect& effect)
{
    for (const WordMeaning* word : effect.words) {
        switch (word->function) {
        case Function::spindle_clockwise: spindle_ = record::SpindleState::clockwise; break;
        case Function::spindle_counter_clockwise: spindle_ = record::SpindleState::counter_clockwise; break;
        case Function::spindle_off: spindle_ = record::SpindleState::off; break;
        case Function::tool_change: spindle_ = assembly_.controller.tool_change_stops_spindle ? record::SpindleState::off : spindle_; break;
        case Function::coolant_flood: coolant_ = record::CoolantState::flood; break;
        case Function::coolant_mist: coolant_ = record::CoolantState::mist; break;
        case Function::coolant_through: coolant_ = record::CoolantState::through; break;
        case Function::coolant_air: coolant_ = record::CoolantState::air; break;
        case Function::coolant_off: coolant_ = record::CoolantState::off; break;
        case Function::brake_lock:
        case Function::brake_release: motion_.brake_is(word->joint, word->function == Function::brake_lock); break;
        default: break;
        }
    }
    if (effect.has(Group::frame)) {
        motion_.frame_by_text(std::all_of(effect.words.begin(), effect.words.end(), [](const WordMeaning* word) {
            return group_of(word->function) != Group::frame || word->function == Function::joint_coordinates;
        }));
    }
    // What is turned on is wanted; what is turned off comes again where the path wants it.
    if (effect.has(Group::spindle) && spindle_ != record::SpindleState::off) {
        wanted_spindle_.state = spindle_;
    }
    if (effect.has(Group::coolant) && coolant_ != record::CoolantState::off) {
        wanted_coolant_ = coolant_;
    }
    const bool speed = effect.addresses.find(assembly_.controller.speed) != std::string::npos;
    if (speed || !effect.unknown.empty()) {
        spindle_speed_ = -1; // stated again before the next motion
    }
    if (effect.moves(assembly_.controller)) {
        motion_.left_path();
        for (const auto& [letter, id] : assembly_.controller.axes) {
            const auto joint = assembly_.machine.find_joint(id);
            if (joint && (effect.addresses.find(letter) != std::string::npos || !effect.unknown.empty())) {
                motion_.stands_anywhere(joint->value);
            }
        }
    }
}

void NativeEvents::act(SectionAction action)
{
    catch_up();
    note_rule_here();
    switch (action) {
    case SectionAction::retract:
        cycles_.interrupt();
        leave_work();
        return;
    case SectionAction::rotary_home:
        cycles_.interrupt();
        if (!taken(EventKind::rotary_home)) {
            motion_.rotary_home();
        }
        return;
    case SectionAction::spindle_off:
        if (spindle_ != record::SpindleState::off) {
            say(Function::spindle_off);
            spindle_ = record::SpindleState::off;
        }
        return;
    case SectionAction::coolant_off:
        if (coolant_ != record::CoolantState::off) {
            say(Function::coolant_off);
            coolant_ = record::CoolantState::off;
        }
        return;
    case SectionAction::message: tell(); return;
    case SectionAction::subprograms:
        end_subprogram();
        subprograms_.write();
        return;
    case SectionAction::work_offset:
        if (!offered(EventKind::work_offset)) {
            state_work_offset();
            return;
        }
        rules_->event(EventKind::work_offset).text(0, 0, assembly_.job.work_offset);
        hand_over(EventKind::work_offset, record_);
        return;
    }
}

void NativeEvents::leave_work()
{
    if (!taken(EventKind::retract)) {
        motion_.retract();
    }
}

void NativeEvents::state_work_offset()
{
    const std::string& word = assembly_.dialect.work_offsets.at(assembly_.job.work_offset);
    emitter_.emit({StatementKind::state, {{Role::offset, 0, Quantity::whole, 0, &word}}});
    emitter_.forget(Role::axes);
}

StateValues NativeEvents::state_values()
{
    StateValues out;
    for (std::size_t i = 0; i < state_name_count; ++i) {
        out[i] = state(static_cast<StateName>(i));
    }
    return out;
}

expr::Value NativeEvents::state(StateName name)
{
    catch_up();
    const auto& operations = assembly_.job.operations;
    const auto next_tool = [&]() -> std::optional<std::uint32_t> {
        return calls_ < outline_.tool_calls.size() ? std::optional(outline_.tool_calls[calls_]) : std::nullopt;
    };
    const auto some = [](const std::string& text) { return text.empty() ? expr::Value() : expr::Value(text); };
    switch (name) {
    case StateName::program: return some(assembly_.job.program);
    case StateName::number: return double(assembly_.job.number);
    case StateName::machine: return some(assembly_.machine.name);
    case StateName::date: return some(assembly_.date);
    case StateName::operation: return some(operation_);
    case StateName::operation_id: return some(operation_id_);
    case StateName::next_operation:
        return operations_ < operations.size() ? some(operations[operations_].id + " " + operations[operations_].name) : expr::Value();
    case StateName::operations: return double(operations.size());
    case StateName::tool: return tool_ != nullptr ? expr::Value(double(tool_->number)) : expr::Value();
    case StateName::tool_name: return tool_ != nullptr ? expr::Value(tool_->name) : expr::Value();
    case StateName::tool_length: return tool_ != nullptr && tool_->length ? expr::Value(*tool_->length) : expr::Value();
    case StateName::next_tool: return next_tool() ? expr::Value(double(*next_tool())) : expr::Value();
    case StateName::next_tool_name: {
        const Tool* tool = next_tool() ? assembly_.setup.find_tool(*next_tool()) : nullptr;
        return tool != nullptr ? expr::Value(tool->name) : expr::Value();
    }
    case StateName::tools: return double(outline_.tool_calls.size());
    case StateName::spindle: return spindle_ != record::SpindleState::off;
    case StateName::speed: return wanted_spindle_.speed_rpm > 0 ? expr::Value(wanted_spindle_.speed_rpm / 60) : expr::Value();
    case StateName::coolant: return std::string(name_of(coolant_));
    case StateName::feed: return feed_.mode == FeedMode::per_minute && feed_.stated() ? expr::Value(feed_.value) : expr::Value();
    case StateName::block: return double(emitter_.lines() + 1);
    }
    return {};
}

} // namespace wexilum
