// Coroutines that share the limits of the call they run in.
#include "core/rules/sandbox.hpp"
#include "core/rules/sandbox_functions.hpp"

namespace wexilum {
namespace {

constexpr std::uint64_t resume_steps = 1000; ///< as many may pass in a coroutine before it is looked at

/// Resumes `co` with the topmost `count` values of L; the number of results, or -1 with the error on top.
int resume_with(lua_State* L, lua_State* co, int count)
{
    Sandbox& sandbox = Sandbox::of(L);
    sandbox.charge(L, resume_steps + std::uint64_t(count) / 4);
    sandbox.set_hook(co);
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

} // namespace

int bounded::create(lua_State* L)
{
    luaL_checktype(L, 1, LUA_TFUNCTION);
    lua_State* const co = lua_newthread(L);
    lua_pushvalue(L, 1);
    lua_xmove(L, co, 1);
    return 1;
}

namespace {

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

} // namespace

int bounded::resume(lua_State* L)
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

namespace {

int resume_wrapped(lua_State* L)
{
    lua_State* const co = lua_tothread(L, lua_upvalueindex(1));
    if (const char* why = unfit(L, co)) {
        return luaL_error(L, "%s", why);
    }
    const int results = resume_with(L, co, lua_gettop(L));
    return results >= 0 ? results : lua_error(L);
}

} // namespace

int bounded::wrap(lua_State* L)
{
    create(L);
    lua_pushcclosure(L, resume_wrapped, 1);
    return 1;
}

} // namespace wexilum
