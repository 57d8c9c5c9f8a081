// Between Lua and a Rulebook: the names that rules use. Private to core/rules.
#pragma once

#include "core/rules/rulebook.hpp"

namespace wexilum {

/// The type of what positional() gives, as Lua names it.
inline constexpr const char* positional_handler_type = "positional handler";

struct RuleBinding {
    /// A Lua function that takes the rulebook as a pointer and sets its names among the globals.
    static int open(lua_State* L);
    static void push_field(lua_State* L, const Event& event, std::span<const FieldDescription> fields, std::size_t index);

    // Callable from Lua.
    static int set_handler(lua_State* L);
    static int get_handler(lua_State* L);
    static int get_field(lua_State* L);
    static int set_field(lua_State* L);
    static int native(lua_State* L);
    static int axis(lua_State* L);
    static int positional(lua_State* L);
    static int emit(lua_State* L);
    static int text(lua_State* L);
    static int comment(lua_State* L);
    static int section(lua_State* L);
    static int section_off(lua_State* L);
    static int section_lines(lua_State* L);
    static int section_back(lua_State* L);
    static int act(lua_State* L);
    static int stop(lua_State* L);
    static int dwell(lua_State* L);
    static int forget(lua_State* L);
    static int tools(lua_State* L);
    static int operations(lua_State* L);
    static int report(lua_State* L);
    static int require(lua_State* L);
    static int get_state(lua_State* L);
    static int get_option(lua_State* L);
    static int get_global(lua_State* L);
    static int read_only(lua_State* L);

private:
    static Rulebook& of(lua_State* L);
    static Event& event_at(lua_State* L, int index);
    static RuleHost& acting(lua_State* L);
    static RuleHost& acting(lua_State* L, Rulebook& rulebook);
    static void add_word(lua_State* L, int index, std::vector<RuleWord>& words);
    static std::string section_name(lua_State* L);
    static void make_objects(lua_State* L, Rulebook& rulebook);
};

} // namespace wexilum
