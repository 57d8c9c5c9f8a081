// Lua's libraries as rules have them: what takes time by its data is counted, what differs between runs or leads outside is not there.
#include "core/rules/description.hpp"
#include "core/rules/sandbox.hpp"
#include "core/rules/text_pattern.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

// --- texts ----------------------------------------------------------------------------------------------------------

int tostring(lua_State* L)
{
    luaL_checkany(L, 1);
    push_text(L, 1);
    return 1;
}

/// string.format, whose %s takes what push_text() gives.
int format(lua_State* L)
{
    const std::string_view pattern = luaL_checkstring(L, 1);
    for (std::size_t at = 0; (at = pattern.find('%', at)) != std::string_view::npos; at += 2) {
        const std::size_t kind = pattern.find_first_not_of("0123456789.-+# ", at + 1);
        if (kind != std::string_view::npos && pattern[kind] == 'p') {
            return luaL_error(L, "the format %%p is not available: addresses differ from run to run");
        }
    }
    for (int i = 2; i <= lua_gettop(L); ++i) {
        if (lua_type(L, i) >= LUA_TTABLE || lua_type(L, i) == LUA_TLIGHTUSERDATA) {
            push_text(L, i);
            lua_replace(L, i);
        }
    }
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, 1);
    return 1;
}

int repeat(lua_State* L)
{
    std::size_t size = 0;
    luaL_checklstring(L, 1, &size);
    const lua_Integer count = luaL_checkinteger(L, 2);
    if (count > 0) {
        Sandbox::of(L).charge(L, std::uint64_t(std::min<double>(double(count) * double(size + lua_rawlen(L, 3)), 1e12) / 16) + 1);
    }
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, 1);
    return 1;
}

/// Runs `work` with a pattern and turns its errors into Lua's.
template <typename Work>
int with_pattern(lua_State* L, std::string_view subject, std::string_view pattern, const Work& work)
{
    std::array<char, 200> problem{};
    std::uint64_t steps = 0;
    int results = 0;
    try {
        TextPattern matcher(subject, pattern, steps, Sandbox::of(L).left());
        results = work(matcher);
    } catch (const PatternError& error) {
        std::string_view(error.what()).copy(problem.data(), problem.size() - 1);
    }
    Sandbox::of(L).charge(L, steps);
    if (problem[0] != '\0') {
        return luaL_error(L, "%s", problem.data());
    }
    return results;
}

void push_capture(lua_State* L, const TextPattern& matcher, std::string_view subject, std::size_t index, std::size_t begin, std::size_t end)
{
    if (matcher.captures() == 0 && index == 0) {
        lua_pushlstring(L, subject.data() + begin, end - begin);
        return;
    }
    const TextPattern::Capture capture = matcher.capture(index);
    if (capture.length == TextPattern::position) {
        lua_pushinteger(L, lua_Integer(capture.begin) + 1);
    } else {
        lua_pushlstring(L, subject.data() + capture.begin, std::size_t(capture.length));
    }
}

int push_captures(lua_State* L, const TextPattern& matcher, std::string_view subject, std::size_t begin, std::size_t end, bool whole)
{
    const std::size_t count = matcher.captures() == 0 && whole ? 1 : matcher.captures();
    luaL_checkstack(L, int(count), "too many captures");
    for (std::size_t i = 0; i < count; ++i) {
        push_capture(L, matcher, subject, i, begin, end);
    }
    return int(count);
}

std::string_view text_at(lua_State* L, int index)
{
    std::size_t size = 0;
    const char* text = luaL_checklstring(L, index, &size);
    return {text, size};
}

/// Where a search begins, counted from 0; past the end where there is nothing to search.
std::size_t start_of(lua_State* L, int index, std::size_t size)
{
    const lua_Integer init = luaL_optinteger(L, index, 1);
    if (init > 0) {
        return std::size_t(init) - 1;
    }
    return init == 0 || std::size_t(-init) > size ? 0 : size - std::size_t(-init);
}

int search(lua_State* L, bool find)
{
    const std::string_view subject = text_at(L, 1);
    const std::string_view pattern = text_at(L, 2);
    const std::size_t start = start_of(L, 3, subject.size());
    if (start > subject.size()) {
        lua_pushnil(L);
        return 1;
    }
    if (find && (lua_toboolean(L, 4) != 0 || pattern.find_first_of("^$*+?.([%-") == std::string_view::npos)) {
        Sandbox::of(L).charge(L, (subject.size() - start) * (pattern.size() / 16 + 1) / 4 + 1);
        const std::size_t at = subject.find(pattern, start);
        if (at == std::string_view::npos) {
            lua_pushnil(L);
            return 1;
        }
        lua_pushinteger(L, lua_Integer(at) + 1);
        lua_pushinteger(L, lua_Integer(at) + lua_Integer(pattern.size()));
        return 2;
    }
    return with_pattern(L, subject, pattern, [&](TextPattern& matcher) {
        const bool anchored = pattern.starts_with('^');
        for (std::size_t at = start; at <= subject.size(); ++at) {
            std::size_t end = 0;
            if (matcher.match(at, anchored ? 1 : 0, end)) {
                if (!find) {
                    return push_captures(L, matcher, subject, at, end, true);
                }
                lua_pushinteger(L, lua_Integer(at) + 1);
                lua_pushinteger(L, lua_Integer(end));
                return 2 + push_captures(L, matcher, subject, at, end, false);
            }
            if (anchored) {
                break;
            }
        }
        lua_pushnil(L);
        return 1;
    });
}

int find(lua_State* L) { return search(L, true); }
int match(lua_State* L) { return search(L, false); }

/// Upvalues: text, pattern, where to go on, where the last match ended (-1 at first).
int next_match(lua_State* L)
{
    const std::string_view subject = text_at(L, lua_upvalueindex(1));
    const std::string_view pattern = text_at(L, lua_upvalueindex(2));
    const auto start = std::size_t(lua_tointeger(L, lua_upvalueindex(3)));
    const lua_Integer last = lua_tointeger(L, lua_upvalueindex(4));
    return with_pattern(L, subject, pattern, [&](TextPattern& matcher) {
        for (std::size_t at = start; at <= subject.size(); ++at) {
            std::size_t end = 0;
            if (matcher.match(at, 0, end) && lua_Integer(end) != last) {
                lua_pushinteger(L, lua_Integer(end));
                lua_copy(L, -1, lua_upvalueindex(3));
                lua_replace(L, lua_upvalueindex(4));
                return push_captures(L, matcher, subject, at, end, true);
            }
        }
        return 0;
    });
}

int gmatch(lua_State* L)
{
    const std::string_view subject = text_at(L, 1);
    text_at(L, 2);
    const std::size_t start = std::min(start_of(L, 3, subject.size()), subject.size() + 1);
    lua_settop(L, 2);
    lua_pushinteger(L, lua_Integer(start));
    lua_pushinteger(L, -1);
    lua_pushcclosure(L, next_match, 4);
    return 1;
}

/// Adds what stands for one match, by the replacement at index 3.
void add_replacement(lua_State* L, luaL_Buffer& out, const TextPattern& matcher, std::string_view subject, std::size_t begin,
                     std::size_t end)
{
    const int type = lua_type(L, 3);
    if (type == LUA_TNUMBER || type == LUA_TSTRING) {
        const std::string_view text = text_at(L, 3);
        for (std::size_t i = 0; i < text.size(); ++i) {
            if (text[i] != '%') {
                luaL_addchar(&out, text[i]);
                continue;
            }
            const char c = ++i < text.size() ? text[i] : '\0';
            if (c == '%') {
                luaL_addchar(&out, c);
            } else if (c == '0') {
                luaL_addlstring(&out, subject.data() + begin, end - begin);
            } else if (c >= '1' && c <= '9') {
                const auto index = std::size_t(c - '1');
                if (index >= std::max<std::size_t>(1, matcher.captures())) {
                    throw PatternError("the replacement refers to a capture that is not there");
                }
                push_capture(L, matcher, subject, index, begin, end);
                luaL_addvalue(&out);
            } else {
                throw PatternError("\"%\" in the replacement is followed by a digit or another \"%\"");
            }
        }
        return;
    }
    if (type == LUA_TTABLE) {
        push_capture(L, matcher, subject, 0, begin, end);
        lua_gettable(L, 3);
    } else {
        lua_pushvalue(L, 3);
        const int count = push_captures(L, matcher, subject, begin, end, true);
        lua_call(L, count, 1);
    }
    if (lua_toboolean(L, -1) == 0) {
        lua_pop(L, 1);
        luaL_addlstring(&out, subject.data() + begin, end - begin);
    } else if (lua_isstring(L, -1) == 0) {
        throw PatternError("what replaces a match is no text and no number");
    } else {
        luaL_addvalue(&out);
    }
}

int gsub(lua_State* L)
{
    const std::string_view subject = text_at(L, 1);
    std::string_view pattern = text_at(L, 2);
    const int type = lua_type(L, 3);
    luaL_argexpected(L, type == LUA_TNUMBER || type == LUA_TSTRING || type == LUA_TFUNCTION || type == LUA_TTABLE, 3,
                     "text, table or function");
    const lua_Integer most = luaL_optinteger(L, 4, lua_Integer(subject.size()) + 1);
    return with_pattern(L, subject, pattern, [&](TextPattern& matcher) {
        const bool anchored = pattern.starts_with('^');
        luaL_Buffer out;
        luaL_buffinit(L, &out);
        lua_Integer count = 0;
        std::size_t at = 0;
        std::size_t last = SIZE_MAX;
        while (count < most) {
            std::size_t end = 0;
            if (matcher.match(at, anchored ? 1 : 0, end) && end != last) {
                ++count;
                add_replacement(L, out, matcher, subject, at, end);
                at = last = end;
            } else if (at < subject.size()) {
                luaL_addchar(&out, subject[at++]);
            } else {
                break;
            }
            if (anchored) {
                break;
            }
        }
        if (at < subject.size()) {
            luaL_addlstring(&out, subject.data() + at, subject.size() - at);
        }
        luaL_pushresult(&out);
        lua_pushinteger(L, count);
        return 2;
    });
}

// --- tables ---------------------------------------------------------------------------------------------------------

/// What a function of tables takes time by: the table's length, more of it to sort, or a range that is given.
enum class Weight : std::uint8_t { none, own, length, sorting, range };

/// Calls Lua's own function (first upvalue) after charging for it by the second.
int charged(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TTABLE);
    for (const char* name : {"__len", "__index", "__newindex"}) {
        if (luaL_getmetafield(L, 1, name) != LUA_TNIL) {
            return luaL_error(L, "the functions of table take plain tables, this one has %s", name);
        }
    }
    double size = double(lua_rawlen(L, 1)) + 1;
    const auto weight = static_cast<Weight>(lua_tointeger(L, lua_upvalueindex(2)));
    if (weight == Weight::sorting) {
        size *= std::log2(size + 1) + 1;
    }
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

// --- coroutines -----------------------------------------------------------------------------------------------------

constexpr std::uint64_t resume_steps = 1000; ///< as many may pass in a coroutine before it is looked at

/// Resumes `co` with the topmost `count` values of L; the number of results, or -1 with the error on top.
int resume_with(lua_State* L, lua_State* co, int count)
{
    Sandbox& sandbox = Sandbox::of(L);
    sandbox.charge(L, resume_steps);
    if (lua_checkstack(co, count) == 0) {
        lua_pushliteral(L, "too many values for a coroutine");
        return -1;
    }
    lua_xmove(L, co, count);
    int results = 0;
    lua_State* const outside = sandbox.running(co);
    const int status = lua_resume(co, L, count, &results);
    sandbox.running(outside);
    if (status != LUA_OK && status != LUA_YIELD) {
        lua_xmove(co, L, 1);
        return -1;
    }
    if (lua_checkstack(L, results + 1) == 0) {
        lua_pop(co, results);
        lua_pushliteral(L, "too many results of a coroutine");
        return -1;
    }
    lua_xmove(co, L, results);
    return results;
}

int create(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TFUNCTION);
    lua_State* const co = lua_newthread(L);
    lua_pushvalue(L, 1);
    lua_xmove(L, co, 1);
    return 1;
}

/// Why a coroutine can't be resumed, nullptr where it can.
const char* unfit(lua_State* L, lua_State* co)
{
    if (co == L) {
        return "a coroutine can't resume itself";
    }
    lua_Debug info;
    const bool suspended =
        lua_status(co) == LUA_YIELD || (lua_status(co) == LUA_OK && lua_getstack(co, 0, &info) == 0 && lua_gettop(co) > 0);
    return suspended ? nullptr : "the coroutine has ended, or waits for another one";
}

int resume(lua_State* L)
{
    lua_State* const co = lua_tothread(L, 1);
    luaL_argexpected(L, co != nullptr, 1, "coroutine");
    if (const char* why = unfit(L, co)) {
        lua_pushboolean(L, 0);
        lua_pushstring(L, why);
        return 2;
    }
    const int results = resume_with(L, co, lua_gettop(L) - 1);
    lua_pushboolean(L, results >= 0 ? 1 : 0);
    lua_insert(L, results >= 0 ? -(results + 1) : -2);
    return results >= 0 ? results + 1 : 2;
}

int resume_wrapped(lua_State* L)
{
    lua_State* const co = lua_tothread(L, lua_upvalueindex(1));
    if (const char* why = unfit(L, co)) {
        return luaL_error(L, "%s", why);
    }
    const int results = resume_with(L, co, lua_gettop(L));
    return results >= 0 ? results : lua_error(L);
}

int wrap(lua_State* L)
{
    create(L);
    lua_pushcclosure(L, resume_wrapped, 1);
    return 1;
}

// --- putting together -----------------------------------------------------------------------------------------------

struct Replacement {
    std::string_view table;
    std::string_view name;
    lua_CFunction function;
    Weight weight; ///< none: instead of Lua's own function; otherwise that is called in the end
};
constexpr std::array<Replacement, 20> replacements{{{"", "tostring", tostring, Weight::none},
                                                    {"", "pcall", pcall, Weight::none},
                                                    {"", "xpcall", xpcall, Weight::none},
                                                    {"", "pairs", pairs, Weight::none},
                                                    {"", "setmetatable", make_metatable, Weight::own},
                                                    {"string", "format", format, Weight::own},
                                                    {"string", "rep", repeat, Weight::own},
                                                    {"string", "find", find, Weight::none},
                                                    {"string", "match", match, Weight::none},
                                                    {"string", "gmatch", gmatch, Weight::none},
                                                    {"string", "gsub", gsub, Weight::none},
                                                    {"table", "concat", charged, Weight::range},
                                                    {"table", "insert", charged, Weight::length},
                                                    {"table", "move", charged, Weight::range},
                                                    {"table", "remove", charged, Weight::length},
                                                    {"table", "sort", charged, Weight::sorting},
                                                    {"table", "unpack", charged, Weight::range},
                                                    {"coroutine", "create", create, Weight::none},
                                                    {"coroutine", "resume", resume, Weight::none},
                                                    {"coroutine", "wrap", wrap, Weight::none}}};

/// Puts a library's function, or what stands in for it, into the table on top; Lua's library is below it.
void keep(lua_State* L, std::string_view table, const std::string& name)
{
    lua_getfield(L, -2, name.c_str());
    for (const Replacement& replacement : replacements) {
        if (replacement.table == table && replacement.name == name) {
            if (replacement.weight == Weight::none) {
                lua_pop(L, 1);
                lua_pushcfunction(L, replacement.function);
            } else {
                lua_pushinteger(L, lua_Integer(replacement.weight));
                lua_pushcclosure(L, replacement.function, 2);
            }
        }
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
