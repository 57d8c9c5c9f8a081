// Sets the names that rules use among the globals of their Lua state.
#include "core/rules/rule_binding.hpp"

namespace wexilum {

/// The event objects, and what finds their fields.
void RuleBinding::make_objects(lua_State* L, Rulebook& rulebook)
{
    const auto closure = [&](lua_CFunction function) {
        lua_pushlightuserdata(L, &rulebook);
        lua_pushcclosure(L, function, 1);
    };
    closure(native);
    for (const bool machine : {false, true}) {
        lua_pushlightuserdata(L, &rulebook);
        lua_pushboolean(L, machine ? 1 : 0);
        lua_pushcclosure(L, axis, 2);
    }
    const int methods = lua_gettop(L) - 2;
    lua_newtable(L); // keeps the names of the fields where they are
    for (std::size_t i = 0; i < event_count; ++i) {
        Rulebook::Handler& handler = rulebook.handlers_[i];
        handler.event.kind = static_cast<EventKind>(i);
        for (const FieldDescription& field : rule_events()[i].fields) {
            lua_pushlstring(L, field.name.data(), field.name.size());
            handler.keys.push_back(lua_topointer(L, -1));
            lua_pushboolean(L, 1);
            lua_rawset(L, -3);
        }
        lua_newtable(L); // what the object looks into first
        for (int k = 0; k < 3; ++k) {
            static constexpr std::array<const char*, 3> names{"native", "axis", "reading"};
            lua_pushvalue(L, methods + k);
            lua_setfield(L, -2, names[std::size_t(k)]);
        }
        lua_newtable(L);
        lua_pushlightuserdata(L, &rulebook);
        lua_pushinteger(L, lua_Integer(i));
        lua_pushcclosure(L, get_field, 2);
        lua_setfield(L, -2, "__index");
        lua_setmetatable(L, -2);
        lua_newtable(L); // the object's metatable
        lua_pushvalue(L, -2);
        lua_setfield(L, -2, "__index");
        closure(set_field);
        lua_setfield(L, -2, "__newindex");
        lua_pushboolean(L, 0);
        lua_setfield(L, -2, "__metatable");
        *static_cast<std::size_t*>(lua_newuserdatauv(L, sizeof(std::size_t), 0)) = i;
        lua_insert(L, -2);
        lua_setmetatable(L, -2);
        handler.object = luaL_ref(L, LUA_REGISTRYINDEX);
        handler.shown = luaL_ref(L, LUA_REGISTRYINDEX);
    }
    luaL_ref(L, LUA_REGISTRYINDEX);
    lua_pop(L, 3);
}

int RuleBinding::open(lua_State* L)
{
    auto& rulebook = *static_cast<Rulebook*>(lua_touserdata(L, 1));
    make_objects(L, rulebook);
    luaL_newmetatable(L, positional_handler_type);
    lua_pushboolean(L, 0);
    lua_setfield(L, -2, "__metatable");
    lua_pop(L, 1);

    const auto global = [&](const char* name, lua_CFunction function, std::optional<lua_Integer> second = std::nullopt) {
        lua_pushlightuserdata(L, &rulebook);
        if (second) {
            lua_pushinteger(L, *second);
        }
        lua_pushcclosure(L, function, second ? 2 : 1);
        lua_setglobal(L, name);
    };
    const std::initializer_list<std::pair<const char*, lua_CFunction>> plain{{"native", native},
                                                                             {"positional", positional},
                                                                             {"emit", emit},
                                                                             {"text", text},
                                                                             {"comment", comment},
                                                                             {"section", section},
                                                                             {"dwell", dwell},
                                                                             {"section_off", section_off},
                                                                             {"section_lines", section_lines},
                                                                             {"section_back", section_back},
                                                                             {"forget", forget},
                                                                             {"tools", tools},
                                                                             {"operations", operations}};
    for (const auto& [name, function] : plain) {
        global(name, function);
    }
    const std::initializer_list<std::pair<const char*, SectionAction>> actions{{"retract", SectionAction::retract},
                                                                               {"rotary_home", SectionAction::rotary_home},
                                                                               {"spindle_off", SectionAction::spindle_off},
                                                                               {"coolant_off", SectionAction::coolant_off},
                                                                               {"work_offset", SectionAction::work_offset}};
    for (const auto& [name, action] : actions) {
        global(name, act, lua_Integer(action));
    }
    global("stop", stop, 0);
    global("optional_stop", stop, 1);
    global("remark", report, lua_Integer(RuleSeverity::remark));
    global("warn", report, lua_Integer(RuleSeverity::warning));
    global("fail", report, lua_Integer(RuleSeverity::error));
    lua_pushlightuserdata(L, &rulebook);
    lua_newtable(L);
    lua_pushcclosure(L, require, 2);
    lua_setglobal(L, "require");

    const auto object = [&](const char* name, lua_CFunction get, lua_CFunction set) {
        lua_newuserdatauv(L, 1, 0);
        lua_newtable(L);
        for (const auto& [field, function] : {std::pair("__index", get), std::pair("__newindex", set)}) {
            lua_pushlightuserdata(L, &rulebook);
            lua_pushcclosure(L, function, 1);
            lua_setfield(L, -2, field);
        }
        lua_pushboolean(L, 0);
        lua_setfield(L, -2, "__metatable");
        lua_setmetatable(L, -2);
        lua_setglobal(L, name);
    };
    object("on", get_handler, set_handler);
    object("state", get_state, read_only);
    object("option", get_option, read_only);

    lua_pushglobaltable(L);
    lua_newtable(L);
    lua_pushcfunction(L, get_global);
    lua_setfield(L, -2, "__index");
    lua_setmetatable(L, -2);
    lua_pop(L, 1);
    return 0;
}

} // namespace wexilum
