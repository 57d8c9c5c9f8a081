// Lua's functions as rules have them, each called by Lua. Private to core/rules; sandbox_libraries.cpp puts them together.
#pragma once

#include <lua.hpp>

namespace wexilum::bounded {

// Texts. format() and repeat() call Lua's own function, their first upvalue.
int tostring(lua_State* L);
int format(lua_State* L);
int repeat(lua_State* L);
int find(lua_State* L);
int match(lua_State* L);
int gmatch(lua_State* L);
int gsub(lua_State* L);

// Coroutines.
int create(lua_State* L);
int resume(lua_State* L);
int wrap(lua_State* L);

} // namespace wexilum::bounded
