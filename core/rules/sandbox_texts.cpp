// Functions on texts: what takes time by its data is counted, and nothing gives an address away.
#include "core/rules/sandbox.hpp"
#include "core/rules/sandbox_functions.hpp"
#include "core/rules/text_pattern.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

int bounded::tostring(lua_State* L)
{
    luaL_checkany(L, 1);
    push_text(L, 1);
    return 1;
}

/// string.format, whose %s takes what push_text() gives.
int bounded::format(lua_State* L)
{
    std::size_t length = 0;
    const char* const begin = luaL_checklstring(L, 1, &length);
    const std::string_view pattern(begin, length); // Lua goes on behind a NUL
    std::size_t bytes = length;
    for (int i = 2; i <= lua_gettop(L); ++i) {
        bytes += lua_type(L, i) == LUA_TSTRING ? lua_rawlen(L, i) : 0;
    }
    Sandbox::of(L).charge(L, bytes / 4 + std::uint64_t(lua_gettop(L)));
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

int bounded::repeat(lua_State* L)
{
    std::size_t size = 0;
    luaL_checklstring(L, 1, &size);
    const lua_Integer count = luaL_checkinteger(L, 2);
    if (count > 0) { // nothing, repeated, takes time as well
        Sandbox::of(L).charge(L, std::uint64_t(std::min<double>(double(count) * double(size + lua_rawlen(L, 3) + 2), 1e12) / 16) + 1);
    }
    lua_pushvalue(L, lua_upvalueindex(1));
    lua_insert(L, 1);
    lua_call(L, lua_gettop(L) - 1, 1);
    return 1;
}

namespace {

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

std::string_view subject_at(lua_State* L, int index)
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
    const std::string_view subject = subject_at(L, 1);
    const std::string_view pattern = subject_at(L, 2);
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

} // namespace

int bounded::find(lua_State* L) { return search(L, true); }

int bounded::match(lua_State* L) { return search(L, false); }

namespace {

/// Upvalues: text, pattern, where to go on, where the last match ended (-1 at first).
int next_match(lua_State* L)
{
    const std::string_view subject = subject_at(L, lua_upvalueindex(1));
    const std::string_view pattern = subject_at(L, lua_upvalueindex(2));
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

} // namespace

int bounded::gmatch(lua_State* L)
{
    const std::string_view subject = subject_at(L, 1);
    subject_at(L, 2);
    const std::size_t start = std::min(start_of(L, 3, subject.size()), subject.size() + 1);
    lua_settop(L, 2);
    lua_pushinteger(L, lua_Integer(start));
    lua_pushinteger(L, -1);
    lua_pushcclosure(L, next_match, 4);
    return 1;
}

namespace {

/// Adds what stands for one match, by the replacement at index 3.
void add_replacement(lua_State* L, luaL_Buffer& out, const TextPattern& matcher, std::string_view subject, std::size_t begin,
                     std::size_t end)
{
    const int type = lua_type(L, 3);
    if (type == LUA_TNUMBER || type == LUA_TSTRING) {
        const std::string_view text = subject_at(L, 3);
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
        throw PatternError("what replaces a match is neither text nor a number");
    } else {
        luaL_addvalue(&out);
    }
}

} // namespace

int bounded::gsub(lua_State* L)
{
    const std::string_view subject = subject_at(L, 1);
    std::string_view pattern = subject_at(L, 2);
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

} // namespace wexilum
