#include "core/rules/rulebook.hpp"

#include "core/rules/rule_binding.hpp"

#include <fmt/format.h>

#include <bit>

namespace wexilum {

Rulebook::Rulebook(const RulebookText& text, const RuleOptions& options, RuleHost& host, const RuleLimits& limits)
    : text_(text), options_(options), host_(host), sandbox_(limits), current_(sandbox_.state())
{}

Rulebook::~Rulebook() = default;

std::unique_ptr<RuleFault> Rulebook::load()
{
    const std::string path = text_.folder + "/" + rulebook_file;
    if (!sandbox_.ready()) {
        return std::make_unique<RuleFault>(RuleFault{"there is no memory to run the rulebook", {path, 0, 0}, {}, true});
    }
    const auto found = text_.files.find(rulebook_file);
    if (found == text_.files.end()) {
        return std::make_unique<RuleFault>(RuleFault{"the rulebook's folder has no rulebook.lua", {text_.folder, 0, 0}, {}, false});
    }
    lua_State* const L = sandbox_.state();
    lua_pushcfunction(L, RuleBinding::open);
    lua_pushlightuserdata(L, this);
    std::unique_ptr<RuleFault> fault = sandbox_.call(L, 1);
    if (!fault) {
        fault = sandbox_.compile(L, found->second, path);
    }
    if (!fault) {
        fault = sandbox_.call(L, 0);
    }
    if (fault) {
        for (Handler& handler : handlers_) {
            handler.off = true;
            settle(handler);
        }
    }
    return fault;
}

Event& Rulebook::event(EventKind kind)
{
    Event& event = handlers_[static_cast<std::size_t>(kind)].event;
    event.begin(kind);
    return event;
}

int Rulebook::push_arguments(Handler& handler)
{
    lua_State* const L = current_;
    if (!handler.positional) {
        show_fields(L, handler);
        lua_rawgeti(L, LUA_REGISTRYINDEX, handler.object);
        return 1;
    }
    const auto fields = rule_events()[static_cast<std::size_t>(handler.event.kind)].fields;
    for (std::size_t i = 0; i < handler.parameters; ++i) {
        RuleBinding::push_field(L, handler.event, fields, i);
    }
    return int(handler.parameters);
}

void Rulebook::show_fields(lua_State* L, Handler& handler)
{
    if (handler.asked == 0) {
        return;
    }
    const auto fields = rule_events()[static_cast<std::size_t>(handler.event.kind)].fields;
    lua_rawgeti(L, LUA_REGISTRYINDEX, handler.shown);
    for (std::uint32_t left = handler.asked; left != 0; left &= left - 1) {
        const auto i = std::size_t(std::countr_zero(left));
        RuleBinding::push_field(L, handler.event, fields, i);
        lua_setfield(L, -2, fields[i].name.data()); // a literal, so it ends with zero
    }
    lua_pop(L, 1);
}

std::unique_ptr<RuleFault> Rulebook::call(EventKind kind)
{
    Handler& handler = handlers_[static_cast<std::size_t>(kind)];
    lua_State* const L = current_;
    if (lua_checkstack(L, Event::most_fields + 8) == 0) {
        return std::make_unique<RuleFault>(RuleFault{"the rules call each other too deeply", handler.count.place, {}, true});
    }
    handler.taken = false;
    active_.push_back(kind);
    ++handler.count.calls;
    sandbox_.prepare(L);
    lua_rawgeti(L, LUA_REGISTRYINDEX, handler.reference);
    std::unique_ptr<RuleFault> fault = sandbox_.call_prepared(L, push_arguments(handler));
    current_ = L;
    active_.pop_back();
    if (fault) [[unlikely]] {
        ++handler.count.faults;
        if (fault->place.line == 0) {
            fault->place = handler.count.place;
        }
        handler.off = handler.off || fault->limit;
        if (sandbox_.spent()) {
            for (Handler& other : handlers_) {
                other.off = true;
                settle(other);
            }
        }
    }
    settle(handler);
    return fault;
}

Result<std::string> Rulebook::evaluate(EventKind kind, const std::string& expression)
{
    lua_State* const L = current_;
    const auto error = [](const RuleFault& fault) { return Error{ErrorKind::value, fault.message, {}, "correct the expression"}; };
    if (const auto fault = sandbox_.compile(L, "local event = ...; return " + expression, "expression")) {
        return error(*fault);
    }
    // The function below a C function that gives the text of what it returns.
    std::string out;
    lua_pushlightuserdata(L, &out);
    lua_pushcclosure(
        L,
        [](lua_State* l) {
            lua_call(l, 1, LUA_MULTRET);
            auto& text = *static_cast<std::string*>(lua_touserdata(l, lua_upvalueindex(1)));
            for (int i = 1, count = lua_gettop(l); i <= count; ++i) {
                push_text(l, i);
                text += (i == 1 ? "" : ", ") + std::string(lua_tostring(l, -1));
                lua_pop(l, 1);
            }
            return 0;
        },
        1);
    lua_insert(L, -2);
    Handler& handler = handlers_[static_cast<std::size_t>(kind)];
    show_fields(L, handler);
    lua_rawgeti(L, LUA_REGISTRYINDEX, handler.object);
    active_.push_back(kind);
    const auto fault = sandbox_.call(L, 2);
    active_.pop_back();
    if (fault) {
        return error(*fault);
    }
    return out;
}

Place Rulebook::here() const
{
    lua_Debug info;
    for (int level = 0; !active_.empty() && lua_getstack(current_, level, &info) != 0; ++level) {
        lua_getinfo(current_, "Sl", &info);
        if (info.currentline > 0) {
            return {info.source[0] == '@' ? info.source + 1 : info.source, std::uint32_t(info.currentline), 0};
        }
    }
    return {};
}

} // namespace wexilum
