// Lua's libraries as rules have them: what takes time by its data is counted, what differs between runs or leads outside is not there.
#include "core/rules/description.hpp"
#include "core/rules/sandbox.hpp"
#include "core/rules/sandbox_functions.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

// --- tables ---------------------------------------------------------------------------------------------------------

/// What a function takes time by: a table's length, a range that is given, or the texts and the number of values that it gets and gives.
enum class Weight : std::uint8_t { none, own, length, range, data };

/// The first argument of a function of tables.
void check_plain_table(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TTABLE);
    for (const char* name : {"__len", "__index", "__newindex"}) {
        if (luaL_getmetafield(L, 1, name) != LUA_TNIL) {
            luaL_error(L, "the functions of table take plain tables, this one has %s", name);
        }
    }
}

/// Calls Lua's own function (first upvalue) after charging for it by the second.
int charged(lua_State* L)
{
    check_plain_table(L);
    double size = double(lua_rawlen(L, 1)) + 1;
    for (int i = 2; i <= lua_gettop(L); ++i) {
        size += lua_type(L, i) == LUA_TSTRING ? double(lua_rawlen(L, i)) / 4 : 0;
    }
    const auto weight = static_cast<Weight>(lua_tointeger(L, lua_upvalueindex(2)));
    // concat(t, sep, i, j), move(t, from, to, at), unpack(t, i, j)
    for (int i = 2; i <= std::min(lua_gettop(L), 4) && weight == Weight::range; ++i) {
        if (lua_isnumber(L, i) != 0) {
            size += std::abs(lua_tonumber(L, i));
        }
    }
    Sandbox::of(L).charge(L, std::uint64_t(std::min(size, 1e12)));
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, LUA_MULTRET);
    return lua_gettop(L);
}

/// Calls Lua's own function (first upvalue), charging for the texts that it gets and for the values that it gets and gives.
int weighed(lua_State* L)
{
    const int count = lua_gettop(L);
    std::size_t bytes = 0;
    for (int i = 1; i <= count; ++i) {
        bytes += lua_type(L, i) == LUA_TSTRING ? lua_rawlen(L, i) : 0;
    }
    Sandbox& sandbox = Sandbox::of(L);
    sandbox.charge(L, std::uint64_t(count) / 4 + bytes / 4); // some look at each character
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, count, LUA_MULTRET);
    sandbox.charge(L, std::uint64_t(lua_gettop(L)) / 4);
    return lua_gettop(L);
}

/// Whether the value at `a` stands before that at `b`, by the function at index 2 where there is one.
bool stands_before(lua_State* L, int a, int b)
{
    if (lua_isnil(L, 2)) {
        for (const int at : {a, b}) {
            Sandbox::of(L).charge_bytes(L, lua_type(L, at) == LUA_TSTRING ? lua_rawlen(L, at) : 0);
        }
        return lua_compare(L, a, b, LUA_OPLT) != 0;
    }
    lua_pushvalue(L, 2);
    lua_pushvalue(L, a < 0 ? a - 1 : a);
    lua_pushvalue(L, b < 0 ? b - 2 : b);
    lua_call(L, 2, 1);
    const bool before = lua_toboolean(L, -1) != 0;
    lua_pop(L, 1);
    return before;
}

/// table.sort by merging: equal elements stay in their order, so that the outcome is the same on every run. (Lua's own picks its pivot by
/// the clock.)
int sort(lua_State* L)
{
    check_plain_table(L);
    if (!lua_isnoneornil(L, 2)) {
        luaL_checktype(L, 2, LUA_TFUNCTION);
    }
    lua_settop(L, 2);
    const auto size = lua_Integer(lua_rawlen(L, 1));
    Sandbox::of(L).charge(L, std::uint64_t(size) + 1);
    lua_createtable(L, int(std::min<lua_Integer>(size, 1 << 24)), 0); // 3
    int from = 1;
    int to = 3;
    for (lua_Integer width = 1; width < size; width *= 2) {
        for (lua_Integer begin = 1; begin <= size; begin += 2 * width) {
            const lua_Integer middle = std::min(begin + width, size + 1);
            const lua_Integer end = std::min(begin + 2 * width, size + 1);
            lua_Integer left = begin;
            lua_Integer right = middle;
            Sandbox::of(L).charge(L, std::uint64_t(end - begin) * 2);
            for (lua_Integer at = begin; at < end; ++at) {
                bool second = left == middle;
                if (left < middle && right < end) {
                    lua_rawgeti(L, from, right);
                    lua_rawgeti(L, from, left);
                    second = stands_before(L, -2, -1);
                    lua_pop(L, 2);
                }
                lua_rawgeti(L, from, second ? right++ : left++);
                lua_rawseti(L, to, at);
            }
        }
        std::swap(from, to);
    }
    for (lua_Integer at = 1; from != 1 && at <= size; ++at) {
        lua_rawgeti(L, from, at);
        lua_rawseti(L, 1, at);
    }
    return 0;
}

/// What utf8.codes() walks with (first upvalue), which passes over any number of bytes that begin no character.
int next_code(lua_State* L)
{
    std::size_t size = 0;
    const char* text = luaL_checklstring(L, 1, &size);
    const lua_Integer at = luaL_optinteger(L, 2, 0);
    std::size_t passed = at > 0 ? std::size_t(at) : 0;
    const std::size_t begin = std::min(passed, size);
    for (passed = begin; passed < size && (static_cast<unsigned char>(text[passed]) & 0xC0U) == 0x80; ++passed) {}
    Sandbox::of(L).charge(L, (passed - begin) / 4 + 1);
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, LUA_MULTRET);
    return lua_gettop(L);
}

int codes(lua_State* L)
{
    const int results = weighed(L);
    lua_pushvalue(L, -results);
    lua_pushcclosure(L, next_code, 1);
    lua_replace(L, -results - 1);
    return results;
}

int make_metatable(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TTABLE);
    if (lua_istable(L, 2)) {
        for (const char* name : {"__gc", "__mode"}) {
            lua_pushstring(L, name);
            if (lua_rawget(L, 2) != LUA_TNIL) {
                return luaL_error(L, "%s is not available: what it does depends on when memory is collected", name);
            }
            lua_pop(L, 1);
        }
    }
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, 1);
    return 1;
}

// --- errors ---------------------------------------------------------------------------------------------------------

/// What it takes to come back from an error: the stack is gone through.
constexpr std::uint64_t recovery_steps = 5000;

int end_pcall(lua_State* L, int status, lua_KContext)
{
    if (status == LUA_OK || status == LUA_YIELD) {
        return lua_gettop(L);
    }
    Sandbox::of(L).charge(L, recovery_steps);
    lua_pushboolean(L, 0);
    lua_pushvalue(L, -2);
    return 2;
}

int pcall(lua_State* L)
{
    luaL_checkany(L, 1);
    lua_pushboolean(L, 1);
    lua_insert(L, 1);
    return end_pcall(L, lua_pcallk(L, lua_gettop(L) - 2, LUA_MULTRET, 0, 0, end_pcall), 0);
}

/// Below: the handler. It is called when the error has been caught: Lua would call it where the error happens, which may be where no
/// count of instructions can stop it.
int end_xpcall(lua_State* L, int status, lua_KContext)
{
    if (status == LUA_OK || status == LUA_YIELD) {
        return lua_gettop(L) - 1;
    }
    Sandbox::of(L).charge(L, recovery_steps);
    lua_pushvalue(L, 1);
    lua_insert(L, -2);
    lua_call(L, 1, 1);
    lua_pushboolean(L, 0);
    lua_insert(L, -2);
    return 2;
}

int xpcall(lua_State* L)
{
    luaL_checktype(L, 2, LUA_TFUNCTION);
    lua_pushvalue(L, 2);
    lua_insert(L, 1); // handler, function, handler, …
    lua_remove(L, 3); // handler, function, …
    lua_pushboolean(L, 1);
    lua_insert(L, 2); // handler, true, function, …
    return end_xpcall(L, lua_pcallk(L, lua_gettop(L) - 3, LUA_MULTRET, 0, 0, end_xpcall), 0);
}

struct Key {
    int kind = 0; // numbers, texts, flags
    double number = 0;
    std::string_view text;
    lua_Integer integer = 0;
    bool whole = false;
    friend bool operator<(const Key& a, const Key& b)
    {
        return a.kind != b.kind ? a.kind < b.kind : a.kind == 1 ? a.text < b.text : a.number < b.number;
    }
};

/// Upvalues: the table, its keys in order, how many have been given.
int next_in_order(lua_State* L)
{
    lua_Integer at = lua_tointeger(L, lua_upvalueindex(3));
    for (;;) {
        lua_rawgeti(L, lua_upvalueindex(2), ++at);
        lua_pushinteger(L, at);
        lua_replace(L, lua_upvalueindex(3));
        if (lua_isnil(L, -1)) {
            return 1;
        }
        lua_pushvalue(L, -1);
        if (lua_rawget(L, lua_upvalueindex(1)) != LUA_TNIL) {
            return 2;
        }
        lua_pop(L, 2);
        Sandbox::of(L).charge(L, 1);
    }
}

int pairs(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TTABLE);
    lua_settop(L, 1);
    // Looking through a table takes time by the room it has, not by what is left in it.
    Sandbox::of(L).charge(L, 8 + std::uint64_t(lua_gc(L, LUA_GCCOUNT)) / 4);
    std::vector<Key> keys;
    for (lua_pushnil(L); lua_next(L, 1) != 0; lua_pop(L, 1)) {
        Key key;
        switch (lua_type(L, -2)) {
        case LUA_TNUMBER:
            key.whole = lua_isinteger(L, -2) != 0;
            key.integer = key.whole ? lua_tointeger(L, -2) : 0;
            key.number = lua_tonumber(L, -2);
            break;
        case LUA_TSTRING: {
            std::size_t size = 0;
            const char* text = lua_tolstring(L, -2, &size);
            key.kind = 1;
            key.text = {text, size};
            break;
        }
        case LUA_TBOOLEAN:
            key.kind = 2;
            key.number = lua_toboolean(L, -2);
            break;
        default: return luaL_error(L, "pairs can't order a key that is a %s; use numbers or texts as keys", luaL_typename(L, -2));
        }
        keys.push_back(key);
    }
    Sandbox::of(L).charge(L, keys.size() * 4);
    std::sort(keys.begin(), keys.end());
    lua_createtable(L, int(std::min<std::size_t>(keys.size(), 1U << 24)), 0);
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const Key& key = keys[i];
        if (key.kind == 1) {
            lua_pushlstring(L, key.text.data(), key.text.size());
        } else if (key.kind == 2) {
            lua_pushboolean(L, key.number != 0);
        } else if (key.whole) {
            lua_pushinteger(L, key.integer);
        } else {
            lua_pushnumber(L, key.number);
        }
        lua_rawseti(L, 2, lua_Integer(i) + 1);
    }
    lua_pushinteger(L, 0);
    lua_pushcclosure(L, next_in_order, 3);
    return 1;
}

// --- putting together -----------------------------------------------------------------------------------------------

struct Replacement {
    std::string_view table;
    std::string_view name;
    lua_CFunction function;
    Weight weight; ///< none: instead of Lua's own function; otherwise that is called in the end
};
constexpr std::array<Replacement, 21> replacements{{{"", "tostring", bounded::tostring, Weight::none},
                                                    {"utf8", "codes", codes, Weight::data},
                                                    {"", "pcall", pcall, Weight::none},
                                                    {"", "xpcall", xpcall, Weight::none},
                                                    {"", "pairs", pairs, Weight::none},
                                                    {"", "setmetatable", make_metatable, Weight::own},
                                                    {"string", "format", bounded::format, Weight::own},
                                                    {"string", "rep", bounded::repeat, Weight::own},
                                                    {"string", "find", bounded::find, Weight::none},
                                                    {"string", "match", bounded::match, Weight::none},
                                                    {"string", "gmatch", bounded::gmatch, Weight::none},
                                                    {"string", "gsub", bounded::gsub, Weight::none},
                                                    {"table", "concat", charged, Weight::range},
                                                    {"table", "insert", charged, Weight::length},
                                                    {"table", "move", charged, Weight::range},
                                                    {"table", "remove", charged, Weight::length},
                                                    {"table", "sort", sort, Weight::none},
                                                    {"table", "unpack", charged, Weight::range},
                                                    {"coroutine", "create", bounded::create, Weight::none},
                                                    {"coroutine", "resume", bounded::resume, Weight::none},
                                                    {"coroutine", "wrap", bounded::wrap, Weight::none}}};

/// Functions that call others, or give the coroutine away: their work is that of what they call.
bool calls_others(std::string_view table, std::string_view name)
{
    return table == "coroutine" || (table.empty() && name != "select" && name != "tonumber");
}

/// Puts a library's function, or what stands in for it, into the table on top; Lua's library is below it. A text where a number belongs is
/// read as one.
void keep(lua_State* L, std::string_view table, const std::string& name)
{
    lua_getfield(L, -2, name.c_str());
    bool replaced = false;
    for (const Replacement& replacement : replacements) {
        if (replacement.table == table && replacement.name == name) {
            replaced = true;
            if (replacement.weight == Weight::none) {
                lua_pop(L, 1);
                lua_pushcfunction(L, replacement.function);
            } else {
                lua_pushinteger(L, lua_Integer(replacement.weight));
                lua_pushcclosure(L, replacement.function, 2);
            }
        }
    }
    if (!replaced && lua_iscfunction(L, -1) != 0 && !calls_others(table, name)) {
        lua_pushcclosure(L, weighed, 1);
    }
    lua_setfield(L, -2, name.c_str());
}

void keep_all(lua_State* L, const LibraryDescription& library)
{
    for (std::size_t at = 0; at < library.names.size();) {
        const std::size_t end = std::min(library.names.find(' ', at), library.names.size());
        keep(L, library.table, std::string(library.names.substr(at, end - at)));
        at = end + 1;
    }
}

} // namespace

void push_text(lua_State* L, int index)
{
    if (luaL_callmeta(L, index, "__tostring") != 0) {
        if (lua_isstring(L, -1) == 0) {
            luaL_error(L, "__tostring gave no text");
        }
        return;
    }
    if (lua_type(L, index) >= LUA_TTABLE || lua_type(L, index) == LUA_TLIGHTUSERDATA) {
        lua_pushstring(L, luaL_typename(L, index));
    } else {
        luaL_tolstring(L, index, nullptr);
    }
}

void open_bounded_libraries(lua_State* L)
{
    const std::array<std::pair<std::string_view, lua_CFunction>, 6> openers{{{"", luaopen_base},
                                                                             {"coroutine", luaopen_coroutine},
                                                                             {"math", luaopen_math},
                                                                             {"string", luaopen_string},
                                                                             {"table", luaopen_table},
                                                                             {"utf8", luaopen_utf8}}};
    lua_newtable(L); // becomes the globals
    for (const LibraryDescription& library : rule_libraries()) {
        const auto opener = std::find_if(openers.begin(), openers.end(), [&](const auto& o) { return o.first == library.table; });
        lua_pushcfunction(L, opener->second);
        lua_call(L, 0, 1);
        if (library.table == "math") { // numbers from a seed of the program's own
            lua_getfield(L, -1, "randomseed");
            lua_pushinteger(L, 1);
            lua_pushinteger(L, 2);
            lua_call(L, 2, 0);
        }
        if (library.table.empty()) {
            lua_pushvalue(L, -2);
            keep_all(L, library);
            lua_pop(L, 2);
            continue;
        }
        lua_newtable(L);
        keep_all(L, library);
        if (library.table == "string") { // the methods of texts as well
            lua_pushliteral(L, "");
            lua_getmetatable(L, -1);
            lua_pushvalue(L, -3);
            lua_setfield(L, -2, "__index");
            lua_pushboolean(L, 0);
            lua_setfield(L, -2, "__metatable");
            lua_pop(L, 2);
        }
        lua_remove(L, -2);
        lua_setfield(L, -2, std::string(library.table).c_str());
    }
    lua_rawseti(L, LUA_REGISTRYINDEX, LUA_RIDX_GLOBALS);
}

} // namespace wexilum
