#include "core/rules/rule_binding.hpp"

#include "core/base/plain_text.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

void push_value(lua_State* L, const expr::Value& value, const expr::Dimension& dimension)
{
    if (const auto* number = std::get_if<double>(&value)) {
        const double shown = expr::shown(*number, dimension, false);
        if (dimension == expr::plain && shown == std::floor(shown)) {
            lua_pushinteger(L, lua_Integer(shown));
        } else {
            lua_pushnumber(L, shown);
        }
    } else if (const auto* flag = std::get_if<bool>(&value)) {
        lua_pushboolean(L, *flag ? 1 : 0);
    } else if (const auto* text = std::get_if<std::string>(&value)) {
        lua_pushlstring(L, text->data(), text->size());
    } else {
        lua_pushnil(L);
    }
}

constexpr std::size_t most_values = 200;         // that one call takes: names, words, roles
constexpr std::size_t most_section_lines = 2000; // of a section
constexpr std::size_t most_section_bytes = std::size_t{1} << 20;
constexpr std::size_t most_globals = 500; // among which a near one is looked for
constexpr std::uint64_t host_steps = 16;  // that asking the run takes at least

std::string text_at(lua_State* L, int index)
{
    std::size_t size = 0;
    const char* text = luaL_checklstring(L, index, &size);
    Sandbox::of(L).charge_bytes(L, size);
    return {text, size};
}

/// Looking through a table takes time by the room it has, not by what is left in it.
void charge_for_walk(lua_State* L) { Sandbox::of(L).charge(L, std::uint64_t(lua_gc(L, LUA_GCCOUNT)) / 4); }

/// No more of a text than is of any use.
std::string short_text_at(lua_State* L, int index, std::size_t most)
{
    std::size_t size = 0;
    const char* text = luaL_checklstring(L, index, &size);
    return {text, std::min(size, most)};
}

/// Raises an error with a cure for a name that is not there.
int unknown(lua_State* L, const std::string& what, const std::string& wrong, const std::vector<std::string>& names)
{
    const std::string near = nearest_name(wrong, names);
    const std::string cure = near.empty() ? fmt::format("there are: {}", fmt::join(names, ", ")) : fmt::format("is \"{}\" meant?", near);
    return luaL_error(L, "%s \"%s\"; %s", what.c_str(), wrong.substr(0, 60).c_str(), cure.c_str());
}

template <typename List>
std::vector<std::string> names_of(const List& list)
{
    std::vector<std::string> out;
    out.reserve(list.size());
    for (const auto& item : list) {
        out.emplace_back(item.name);
    }
    return out;
}

/// The roles named by the strings of a table at `index`, or by the arguments from it on.
std::vector<Role> roles_at(lua_State* L, int index)
{
    std::vector<Role> out;
    const auto add = [&](int at) {
        const std::string name = short_text_at(L, at, 100);
        const auto role = role_named(name);
        if (!role) {
            std::vector<std::string> names;
            for (std::size_t i = 0; i < role_count; ++i) {
                names.emplace_back(name_of(static_cast<Role>(i)));
            }
            unknown(L, "no slot is called", name, names);
        }
        out.push_back(*role);
    };
    if (lua_istable(L, index)) {
        for (lua_Integer i = 1; lua_rawgeti(L, index, i) != LUA_TNIL; ++i) {
            if (out.size() == most_values) {
                luaL_error(L, "more than %d slots are named", int(most_values));
            }
            add(-1);
            lua_pop(L, 1);
        }
        lua_pop(L, 1);
        return out;
    }
    if (lua_gettop(L) - index >= int(most_values)) {
        luaL_error(L, "more than %d slots are named", int(most_values));
    }
    for (int at = index; at <= lua_gettop(L); ++at) {
        add(at);
    }
    return out;
}

void raise(lua_State* L, const RuleHost::Problem& problem)
{
    if (problem) {
        luaL_error(L, "%s", problem->c_str());
    }
}

void set_number(lua_State* L, const char* name, double value)
{
    lua_pushnumber(L, value);
    lua_setfield(L, -2, name);
}

void set_integer(lua_State* L, const char* name, std::size_t value)
{
    lua_pushinteger(L, lua_Integer(value));
    lua_setfield(L, -2, name);
}

void set_text(lua_State* L, const char* name, const std::string& value)
{
    lua_pushlstring(L, value.data(), value.size());
    lua_setfield(L, -2, name);
}

} // namespace

Rulebook& RuleBinding::of(lua_State* L) { return *static_cast<Rulebook*>(lua_touserdata(L, lua_upvalueindex(1))); }

Event& RuleBinding::event_at(lua_State* L, int index)
{
    return of(L).handlers_[*static_cast<const std::size_t*>(lua_touserdata(L, index))].event;
}

RuleHost& RuleBinding::acting(lua_State* L) { return acting(L, of(L)); }

RuleHost& RuleBinding::acting(lua_State* L, Rulebook& rulebook)
{
    if (rulebook.active_.empty()) {
        luaL_error(L, "nothing can be written before the first event; call this in a handler");
    }
    rulebook.current_ = L;
    Sandbox& sandbox = Sandbox::of(L);
    sandbox.charge(L, host_steps);
    if (const RuleHost::Problem problem = rulebook.host_.full()) {
        sandbox.end(L, problem->c_str());
    }
    return rulebook.host_;
}

// --- events ---------------------------------------------------------------------------------------------------------

void RuleBinding::push_field(lua_State* L, const Event& event, std::span<const FieldDescription> fields, std::size_t index)
{
    if ((event.present >> index & 1U) == 0) {
        lua_pushnil(L);
        return;
    }
    switch (fields[index].type) {
    case FieldType::number: lua_pushnumber(L, event.numbers[index]); return;
    case FieldType::integer: lua_pushinteger(L, lua_Integer(event.numbers[index])); return;
    case FieldType::flag: lua_pushboolean(L, event.numbers[index] != 0); return;
    case FieldType::text: break;
    }
    const auto text = std::count_if(fields.begin(), fields.begin() + std::ptrdiff_t(index),
                                    [](const FieldDescription& f) { return f.type == FieldType::text; });
    const std::string& value = event.texts[std::size_t(text)];
    lua_pushlstring(L, value.data(), value.size());
}

int RuleBinding::get_field(lua_State* L)
{
    const auto kind = std::size_t(lua_tointeger(L, lua_upvalueindex(2)));
    Rulebook::Handler& handler = of(L).handlers_[kind];
    const auto fields = rule_events()[kind].fields;
    const void* const key = lua_topointer(L, 2);
    for (std::size_t i = 0; i < fields.size(); ++i) {
        if (handler.keys[i] == key) {
            handler.asked |= 1U << i;
            push_field(L, handler.event, fields, i);
            return 1;
        }
    }
    const std::string name = text_at(L, 2);
    std::vector<std::string> names = names_of(fields);
    names.insert(names.end(), {"native", "axis", "reading"});
    return unknown(L, fmt::format("the event {} has no field", rule_events()[kind].name), name, names);
}

int RuleBinding::set_field(lua_State* L)
{
    const std::size_t kind = *static_cast<const std::size_t*>(lua_touserdata(L, 1));
    Event& event = of(L).handlers_[kind].event;
    const EventDescription& description = rule_events()[kind];
    const std::string name = text_at(L, 2);
    const auto field = description.field(name);
    if (!field) {
        return unknown(L, fmt::format("the event {} has no field", description.name), name, names_of(description.fields));
    }
    if (!description.fields[*field].settable) {
        return luaL_error(L, "the field %s of %s can't be set: the axes were chosen for the toolpath as it is", name.c_str(),
                          std::string(description.name).c_str());
    }
    if (description.fields[*field].type == FieldType::text) {
        const auto text = std::count_if(description.fields.begin(), description.fields.begin() + std::ptrdiff_t(*field),
                                        [](const FieldDescription& f) { return f.type == FieldType::text; });
        const std::string value = text_at(L, 3);
        const std::string_view choices = description.fields[*field].choices;
        if (!choices.empty() &&
            (value.find(' ') != std::string::npos || fmt::format(" {} ", choices).find(" " + value + " ") == std::string::npos)) {
            return luaL_error(L, "%s can't be \"%s\"; it is one of: %s", name.c_str(), value.substr(0, 60).c_str(),
                              std::string(choices).c_str());
        }
        event.text(*field, std::size_t(text), value);
    } else {
        const double value = luaL_checknumber(L, 3);
        if (!(value >= 0 && value < 1e9)) {
            return luaL_error(L, "%s must be from 0 to a thousand million", name.c_str());
        }
        event.number(*field, value);
    }
    event.changed |= 1U << *field;
    Rulebook::push_object(L, of(L).handlers_[kind]);
    return 0;
}

int RuleBinding::native(lua_State* L)
{
    Rulebook& rulebook = of(L);
    RuleHost& host = acting(L, rulebook);
    EventKind kind = rulebook.active_.back();
    if (const auto* object = static_cast<const std::size_t*>(lua_touserdata(L, 1))) {
        kind = static_cast<EventKind>(*object);
        if (kind != rulebook.active_.back() &&
            std::find(rulebook.active_.begin(), rulebook.active_.end(), kind) == rulebook.active_.end()) {
            return luaL_error(L, "this event is over; native() belongs into its handler");
        }
    }
    host.native(rulebook.handlers_[static_cast<std::size_t>(kind)].event);
    return 0;
}

int RuleBinding::axis(lua_State* L)
{
    const bool machine = lua_toboolean(L, lua_upvalueindex(2)) != 0;
    luaL_checktype(L, 1, LUA_TUSERDATA);
    const auto value = acting(L).axis(text_at(L, 2), machine);
    value ? lua_pushnumber(L, *value) : lua_pushnil(L);
    return 1;
}

int RuleBinding::positional(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TFUNCTION);
    lua_newuserdatauv(L, 1, 1);
    lua_pushvalue(L, 1);
    lua_setiuservalue(L, -2, 1);
    luaL_setmetatable(L, positional_handler_type);
    return 1;
}

int RuleBinding::set_handler(lua_State* L)
{
    Rulebook& rulebook = of(L);
    const std::string name = text_at(L, 2);
    const auto kind = event_named(name);
    if (!kind) {
        return unknown(L, "there is no event", name, names_of(rule_events()));
    }
    Rulebook::Handler& handler = rulebook.handlers_[static_cast<std::size_t>(*kind)];
    if (handler.reference != 0) {
        return luaL_error(L, "the event %s has a handler already, from line %d", name.c_str(), int(handler.count.place.line));
    }
    handler.positional = luaL_testudata(L, 3, positional_handler_type) != nullptr;
    if (handler.positional) {
        lua_getiuservalue(L, 3, 1);
    } else {
        luaL_argexpected(L, lua_isfunction(L, 3), 3, "function");
        lua_pushvalue(L, 3);
    }
    lua_Debug info;
    lua_pushvalue(L, -1);
    lua_getinfo(L, ">Su", &info);
    const std::size_t fields = rule_events()[static_cast<std::size_t>(*kind)].fields.size();
    handler.parameters = info.isvararg != 0 ? fields : std::min<std::size_t>(fields, info.nparams);
    handler.count.place = {info.source[0] == '@' ? info.source + 1 : "", std::uint32_t(std::max(0, info.linedefined)), 0};
    handler.reference = luaL_ref(L, LUA_REGISTRYINDEX);
    rulebook.settle(handler);
    return 0;
}

int RuleBinding::get_handler(lua_State* L)
{
    const std::string name = text_at(L, 2);
    const auto kind = event_named(name);
    if (!kind) {
        return unknown(L, "there is no event", name, names_of(rule_events()));
    }
    const Rulebook::Handler& handler = of(L).handlers_[static_cast<std::size_t>(*kind)];
    handler.reference != 0 ? void(lua_rawgeti(L, LUA_REGISTRYINDEX, handler.reference)) : lua_pushnil(L);
    return 1;
}

// --- writing --------------------------------------------------------------------------------------------------------

void RuleBinding::add_word(lua_State* L, int index, std::vector<RuleWord>& words)
{
    if (words.size() == most_values) {
        luaL_error(L, "more than %d words for one block", int(most_values));
    }
    const std::string name = short_text_at(L, index, 100);
    RuleWord word;
    word.function = function_named(name);
    if (!word.function) {
        word.slot = of(L).host_.slot(name);
        if (word.slot < 0) {
            luaL_error(L, "\"%s\" is neither a function of the dialect nor a slot nor a joint", name.substr(0, 60).c_str());
        }
    }
    words.push_back(word);
}

int RuleBinding::emit(lua_State* L)
{
    RuleHost& host = acting(L);
    std::vector<RuleWord> words;
    const auto value = [&](int index) {
        if (words.back().function) {
            luaL_error(L, "a function takes no value");
        }
        words.back().value = luaL_checknumber(L, index);
    };
    if (lua_istable(L, 1)) {
        for (lua_Integer i = 1; lua_rawgeti(L, 1, i) != LUA_TNIL; ++i) {
            add_word(L, lua_gettop(L), words);
            lua_pop(L, 1);
        }
        const std::size_t functions = words.size();
        lua_settop(L, 1);
        charge_for_walk(L);
        for (lua_pushnil(L); lua_next(L, 1) != 0; lua_pop(L, 1)) {
            if (lua_isinteger(L, 2) == 0) {
                lua_pushvalue(L, 2);
                add_word(L, 4, words);
                lua_pop(L, 1);
                value(3);
            }
        }
        // In an order that is the same on every run.
        std::sort(words.begin() + std::ptrdiff_t(functions), words.end(),
                  [](const RuleWord& a, const RuleWord& b) { return a.slot < b.slot; });
    } else {
        for (int at = 1; at <= lua_gettop(L); ++at) {
            add_word(L, at, words);
            if (!words.back().function) {
                value(++at);
            }
        }
    }
    for (std::size_t i = 0; i < words.size(); ++i) {
        for (std::size_t j = 0; j < i; ++j) {
            if (words[i].slot >= 0 && words[i].slot == words[j].slot) {
                return luaL_error(L, "a slot is given twice");
            }
        }
    }
    raise(L, host.emit(words));
    return 0;
}

int RuleBinding::text(lua_State* L)
{
    RuleHost& host = acting(L);
    const std::string line = short_text_at(L, 1, 4001);
    const auto unplain = std::find_if(line.begin(), line.end(), [](char c) { return !is_plain(c); });
    if ((unplain != line.end() && (*unplain == '\n' || *unplain == '\r')) || line.size() > 4000) {
        return luaL_error(L, "text() writes one line of at most 4000 characters");
    }
    if (unplain != line.end()) {
        return luaL_error(L, "text() can't write the character %s: no control reads it", code_of(*unplain).c_str());
    }
    if (lua_isnoneornil(L, 2)) {
        host.text(line);
    } else {
        luaL_checktype(L, 2, LUA_TTABLE);
        host.text(line, roles_at(L, 2));
    }
    return 0;
}

int RuleBinding::comment(lua_State* L)
{
    RuleHost& host = acting(L);
    luaL_checkany(L, 1);
    push_text(L, 1);
    host.comment(short_text_at(L, -1, 4000));
    return 0;
}

std::string RuleBinding::section_name(lua_State* L)
{
    std::string name = text_at(L, 1);
    const auto& names = section_names();
    if (std::find(names.begin(), names.end(), name) == names.end()) {
        unknown(L, "no section is called", name, names);
    }
    return name;
}

int RuleBinding::section(lua_State* L)
{
    acting(L).section(section_name(L));
    return 0;
}

int RuleBinding::section_off(lua_State* L)
{
    acting(L).set_section(section_name(L), std::nullopt);
    return 0;
}

int RuleBinding::section_lines(lua_State* L)
{
    RuleHost& host = acting(L);
    const std::string name = section_name(L);
    luaL_checktype(L, 2, LUA_TTABLE);
    std::vector<std::string> lines;
    std::size_t bytes = 0;
    for (lua_Integer i = 1; lua_rawgeti(L, 2, i) != LUA_TNIL; ++i) {
        lines.push_back(text_at(L, -1));
        bytes += lines.back().size();
        if (lines.size() > most_section_lines || bytes > most_section_bytes) {
            return luaL_error(L, "a section has at most %d lines and a megabyte", int(most_section_lines));
        }
        lua_pop(L, 1);
    }
    auto section = section_of_lines(lines);
    if (!section) {
        return luaL_error(L, "%s; %s", section.error().message.c_str(), section.error().cure.c_str());
    }
    host.set_section(name, std::move(*section));
    return 0;
}

int RuleBinding::section_back(lua_State* L)
{
    acting(L).reset_section(section_name(L));
    return 0;
}

int RuleBinding::act(lua_State* L)
{
    acting(L).act(static_cast<SectionAction>(lua_tointeger(L, lua_upvalueindex(2))));
    return 0;
}

int RuleBinding::stop(lua_State* L)
{
    acting(L).stop(lua_tointeger(L, lua_upvalueindex(2)) != 0);
    return 0;
}

int RuleBinding::dwell(lua_State* L)
{
    RuleHost& host = acting(L);
    const double seconds = luaL_checknumber(L, 1);
    if (!(seconds >= 0 && seconds < 1e6)) {
        return luaL_error(L, "a dwell takes from 0 to a million seconds");
    }
    raise(L, host.dwell(seconds));
    return 0;
}

int RuleBinding::forget(lua_State* L)
{
    acting(L).forget(roles_at(L, 1));
    return 0;
}

int RuleBinding::report(lua_State* L)
{
    RuleHost& host = acting(L);
    const std::string text = short_text_at(L, 1, 500);
    const std::string cure = lua_isnoneornil(L, 2) ? std::string() : short_text_at(L, 2, 500);
    host.report(static_cast<RuleSeverity>(lua_tointeger(L, lua_upvalueindex(2))), text, cure);
    return 0;
}

// --- asking ---------------------------------------------------------------------------------------------------------

int RuleBinding::tools(lua_State* L)
{
    const std::vector<RuleTool> list = acting(L).tools();
    Sandbox::of(L).charge(L, list.size() * host_steps);
    lua_createtable(L, int(list.size()), 0);
    for (std::size_t i = 0; i < list.size(); ++i) {
        lua_createtable(L, 0, 5);
        set_integer(L, "number", list[i].number);
        set_text(L, "name", list[i].name);
        list[i].length ? set_number(L, "length", *list[i].length) : void();
        set_integer(L, "calls", list[i].calls);
        set_integer(L, "index", list[i].index);
        lua_rawseti(L, -2, lua_Integer(i) + 1);
    }
    return 1;
}

int RuleBinding::operations(lua_State* L)
{
    const std::vector<RuleOperation> list = acting(L).operations();
    Sandbox::of(L).charge(L, list.size() * 2 * host_steps);
    lua_createtable(L, int(list.size()), 0);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const RuleOperation& operation = list[i];
        lua_createtable(L, 0, 6);
        set_text(L, "id", operation.id);
        set_text(L, "name", operation.name);
        set_text(L, "work", operation.work);
        set_integer(L, "records", operation.records);
        lua_createtable(L, int(operation.tools.size()), 0);
        for (std::size_t k = 0; k < operation.tools.size(); ++k) {
            lua_pushinteger(L, lua_Integer(operation.tools[k]));
            lua_rawseti(L, -2, lua_Integer(k) + 1);
        }
        lua_setfield(L, -2, "tools");
        for (const auto& [name, corner] : {std::pair("low", operation.low), std::pair("high", operation.high)}) {
            if (operation.moves) {
                lua_createtable(L, 0, 3);
                set_number(L, "x", corner[0]);
                set_number(L, "y", corner[1]);
                set_number(L, "z", corner[2]);
                lua_setfield(L, -2, name);
            }
        }
        lua_rawseti(L, -2, lua_Integer(i) + 1);
    }
    return 1;
}

int RuleBinding::get_state(lua_State* L)
{
    const std::string name = text_at(L, 2);
    const auto& names = state_names();
    const auto found = std::find_if(names.begin(), names.end(), [&](const expr::Name& n) { return n.name == name; });
    if (found == names.end()) {
        return unknown(L, "the state has no", name, names_of(names));
    }
    push_value(L, acting(L).state(static_cast<StateName>(found - names.begin())), found->dimension);
    return 1;
}

int RuleBinding::get_option(lua_State* L)
{
    const RuleOptions& options = of(L).options_;
    const std::string name = text_at(L, 2);
    const auto found = options.find(name);
    if (found == options.end()) {
        std::vector<std::string> names;
        for (const auto& [known, value] : options) {
            names.push_back(known);
        }
        return names.empty() ? luaL_error(L, "the post declares no options; add \"%s\" under \"options\" in the post", name.c_str())
                             : unknown(L, "the post declares no option", name, names);
    }
    if (const auto* number = std::get_if<double>(&found->second)) {
        *number == std::floor(*number) && std::abs(*number) < 1e15 ? lua_pushinteger(L, lua_Integer(*number)) : lua_pushnumber(L, *number);
    } else if (const auto* flag = std::get_if<bool>(&found->second)) {
        lua_pushboolean(L, *flag ? 1 : 0);
    } else {
        const auto& text = std::get<std::string>(found->second);
        lua_pushlstring(L, text.data(), text.size());
    }
    return 1;
}

int RuleBinding::get_global(lua_State* L)
{
    if (lua_type(L, 2) != LUA_TSTRING) {
        return luaL_error(L, "nothing has that name");
    }
    std::vector<std::string> names;
    const std::string wrong = short_text_at(L, 2, 60);
    charge_for_walk(L);
    std::uint64_t looked = 0;
    for (lua_pushnil(L); lua_next(L, 1) != 0 && names.size() < most_globals; lua_pop(L, 1)) {
        if (lua_type(L, -2) == LUA_TSTRING && lua_rawlen(L, -2) <= 2 * wrong.size() + 2) {
            names.emplace_back(lua_tostring(L, -2));
        }
        ++looked;
    }
    Sandbox::of(L).charge(L, looked + names.size() * (wrong.size() + 1) * 8);
    const std::string near = nearest_name(wrong, names);
    return luaL_error(L, near.empty() ? "nothing is called \"%s\"" : "nothing is called \"%s\"; is \"%s\" meant?", wrong.c_str(),
                      near.c_str());
}

int RuleBinding::read_only(lua_State* L) { return luaL_error(L, "this can only be read"); }

int RuleBinding::require(lua_State* L)
{
    const Rulebook& rulebook = of(L);
    const std::string name = text_at(L, 1);
    static constexpr const char* allowed = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-";
    if (name.empty() || name.size() > 60 || name.find_first_not_of(allowed) != std::string::npos) {
        return luaL_error(L, "require takes the name of a file of the rulebook's folder, without \".lua\"");
    }
    lua_settop(L, 1);
    if (lua_getfield(L, lua_upvalueindex(2), name.c_str()) != LUA_TNIL) {
        return lua_islightuserdata(L, -1) ? luaL_error(L, "%s.lua requires itself", name.c_str()) : 1;
    }
    const auto found = rulebook.text_.files.find(name + ".lua");
    if (found == rulebook.text_.files.end() || found->first == rulebook_file) {
        return luaL_error(L, "the rulebook's folder has no %s.lua", name.c_str());
    }
    lua_pushlightuserdata(L, L);
    lua_setfield(L, lua_upvalueindex(2), name.c_str());
    Sandbox::of(L).charge(L, found->second.size());
    const std::string path = rulebook.text_.folder + "/" + found->first;
    if (const auto fault = Sandbox::of(L).compile(L, found->second, path)) {
        return luaL_error(L, "%s: %s", fault->place.text().c_str(), fault->message.c_str());
    }
    lua_call(L, 0, 1);
    if (lua_isnil(L, -1)) {
        lua_pushboolean(L, 1);
    }
    lua_pushvalue(L, -1);
    lua_setfield(L, lua_upvalueindex(2), name.c_str());
    return 1;
}

} // namespace wexilum
