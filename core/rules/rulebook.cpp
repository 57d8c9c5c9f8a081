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
        push_object(L, handler);
        return 1;
    }
    const auto fields = rule_events()[static_cast<std::size_t>(handler.event.kind)].fields;
    for (std::size_t i = 0; i < handler.parameters; ++i) {
        RuleBinding::push_field(L, handler.event, fields, i);
    }
    return int(handler.parameters);
}

void Rulebook::push_object(lua_State* L, const Handler& handler)
{
    if (handler.asked != 0) {
        lua_rawgeti(L, LUA_REGISTRYINDEX, handler.shown);
        show_fields(L, handler);
        lua_pop(L, 1);
    }
    lua_rawgeti(L, LUA_REGISTRYINDEX, handler.object);
}

void Rulebook::show_fields(lua_State* L, const Handler& handler)
{
    const auto fields = rule_events()[static_cast<std::size_t>(handler.event.kind)].fields;
    for (std::uint32_t left = handler.asked; left != 0; left &= left - 1) {
        const auto i = std::size_t(std::countr_zero(left));
        RuleBinding::push_field(L, handler.event, fields, i);
        lua_setfield(L, -2, fields[i].name.data()); // a literal, so it ends with zero
    }
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
    return run(handler, push_arguments(handler));
}

std::unique_ptr<RuleFault> Rulebook::run(Handler& handler, int arguments)
{
    lua_State* const L = current_;
    std::unique_ptr<RuleFault> fault = sandbox_.call_prepared(L, arguments);
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

std::unique_ptr<RuleFault> Rulebook::call_each(EventKind kind, const std::function<bool()>& next)
{
    struct Each {
        Rulebook& rulebook;
        Handler& handler;
        std::span<const FieldDescription> fields;
        const std::function<bool()>& next;
    };
    const auto place = static_cast<std::size_t>(kind);
    Each each{*this, handlers_[place], rule_events()[place].fields, next};
    lua_State* const L = current_;
    each.handler.taken = false;
    active_.push_back(kind);
    sandbox_.prepare(L);
    lua_pushcfunction(L, [](lua_State* l) {
        const Each& all = *static_cast<const Each*>(lua_touserdata(l, 1));
        Handler& handler = all.handler;
        luaL_checkstack(l, 2 * Event::most_fields + 8, nullptr);
        lua_rawgeti(l, LUA_REGISTRYINDEX, handler.reference);
        lua_rawgeti(l, LUA_REGISTRYINDEX, handler.object);
        lua_rawgeti(l, LUA_REGISTRYINDEX, handler.shown); // the fourth; behind it the fields' names
        for (const FieldDescription& field : all.fields) {
            lua_pushstring(l, field.name.data());
        }
        while (all.next()) {
            all.rulebook.current_ = l;
            all.rulebook.sandbox_.next_call();
            ++handler.count.calls;
            if (handler.positional) {
                lua_pushvalue(l, 2);
                lua_call(l, all.rulebook.push_arguments(handler), 0);
                continue;
            }
            for (std::uint32_t left = handler.asked; left != 0; left &= left - 1) {
                const int i = std::countr_zero(left);
                lua_pushvalue(l, 5 + i);
                RuleBinding::push_field(l, handler.event, all.fields, std::size_t(i));
                lua_rawset(l, 4);
            }
            lua_pushvalue(l, 2);
            lua_pushvalue(l, 3);
            lua_call(l, 1, 0);
        }
        return 0;
    });
    lua_pushlightuserdata(L, &each);
    return run(each.handler, 1);
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
    push_object(L, handler);
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
