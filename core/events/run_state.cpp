#include "core/events/run_state.hpp"

namespace wexilum {

StateValues RunState::all() const
{
    StateValues out;
    for (std::size_t i = 0; i < state_name_count; ++i) {
        out[i] = value(static_cast<StateName>(i));
    }
    return out;
}

expr::Value RunState::value(StateName name) const
{
    const auto& operations = assembly_.job.operations;
    const Tool* const tool = course_.tool();
    const auto next_tool = course_.next_tool();
    const FeedSpec& feed = path_.feed();
    const auto some = [](const std::string& text) { return text.empty() ? expr::Value() : expr::Value(text); };
    switch (name) {
    case StateName::program: return some(assembly_.job.program);
    case StateName::number: return double(assembly_.job.number);
    case StateName::machine: return some(assembly_.machine.name);
    case StateName::date: return some(assembly_.date);
    case StateName::operation: return some(course_.operation());
    case StateName::operation_id: return some(course_.operation_id());
    case StateName::work: {
        const std::size_t begun = course_.operations();
        return begun > 0 ? some(assembly_.work_of(begun - 1).id) : expr::Value();
    }
    case StateName::next_operation: {
        const std::size_t next = course_.operations();
        return next < operations.size() ? some(operations[next].id + " " + operations[next].name) : expr::Value();
    }
    case StateName::operations: return double(operations.size());
    case StateName::tool: return tool != nullptr ? expr::Value(double(tool->number)) : expr::Value();
    case StateName::tool_name: return tool != nullptr ? expr::Value(tool->name) : expr::Value();
    case StateName::tool_length: return tool != nullptr && tool->length ? expr::Value(*tool->length) : expr::Value();
    case StateName::next_tool: return next_tool ? expr::Value(double(*next_tool)) : expr::Value();
    case StateName::next_tool_name: {
        const Tool* next = next_tool ? assembly_.setup.find_tool(*next_tool) : nullptr;
        return next != nullptr ? expr::Value(next->name) : expr::Value();
    }
    case StateName::tools: return double(course_.outline().tool_calls.size());
    case StateName::spindle: return spindle_.spindle() != record::SpindleState::off;
    case StateName::speed: return spindle_.wanted_rpm() > 0 ? expr::Value(spindle_.wanted_rpm() / 60) : expr::Value();
    case StateName::coolant: return std::string(name_of(spindle_.coolant()));
    case StateName::feed: return feed.mode == FeedMode::per_minute && feed.stated() ? expr::Value(feed.value) : expr::Value();
    case StateName::block: return double(emitter_.lines() + 1);
    }
    return {};
}

} // namespace wexilum
