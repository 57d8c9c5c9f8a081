#include "core/rules/sandbox.hpp"

#include <fmt/format.h>

#include <cstdlib>

namespace wexilum {
namespace {

constexpr int hook_every = 1000;
constexpr std::size_t most_callers = 8;
constexpr std::size_t bytes_a_step = 64; ///< of memory asked for

std::string file_of(const lua_Debug& info) { return info.source[0] == '@' ? info.source + 1 : "rulebook"; }

} // namespace

std::string RuleFault::text() const
{
    std::string out = message;
    for (std::size_t i = 0; i < callers.size(); ++i) {
        out += fmt::format("{}{}", i == 0 ? ", called from " : ", from ", callers[i].text());
    }
    return out;
}

Sandbox::Sandbox(const RuleLimits& limits) : limits_(limits)
{
    locale_ = newlocale(LC_ALL_MASK, "C", nullptr);
    before_ = uselocale(locale_);
    state_ = lua_newstate(&Sandbox::allocate, this);
    if (state_ == nullptr) {
        return;
    }
    *static_cast<Sandbox**>(lua_getextraspace(state_)) = this;
    set_hook(state_);
    lua_pushcfunction(state_, &Sandbox::on_error);
    on_error_ = luaL_ref(state_, LUA_REGISTRYINDEX);
    lua_pushcfunction(state_, [](lua_State* L) {
        open_bounded_libraries(L);
        return 0;
    });
    if (lua_pcall(state_, 0, 0, 0) != LUA_OK) {
        lua_close(state_);
        state_ = nullptr;
    }
    steps_ = 0;
}

Sandbox::~Sandbox()
{
    if (state_ != nullptr) {
        lua_sethook(state_, nullptr, 0, 0);
        lua_close(state_);
    }
    uselocale(before_);
    freelocale(locale_);
}

void* Sandbox::allocate(void* self, void* block, std::size_t old_size, std::size_t new_size)
{
    auto& sandbox = *static_cast<Sandbox*>(self);
    if (block == nullptr) {
        old_size = 0; // it tells the kind of a new object
    }
    if (new_size == 0) {
        std::free(block);
        sandbox.memory_ -= old_size;
        return nullptr;
    }
    if (new_size > old_size && sandbox.memory_ + new_size - old_size > sandbox.limits_.memory) {
        sandbox.memory_refused_ = true;
        if (sandbox.running_ != nullptr) {
            sandbox.note_place(sandbox.running_, 0); // no message handler is called for this
        }
        return nullptr;
    }
    void* const made = std::realloc(block, new_size);
    if (made != nullptr) {
        sandbox.memory_ += new_size - old_size;
        sandbox.steps_ += new_size / bytes_a_step;
    }
    return made;
}

void Sandbox::end(lua_State* L)
{
    exceeded_ = true;
    lua_sethook(L, &Sandbox::hook, LUA_MASKCOUNT, 1); // whatever catches the error gets no further either
    if (spent()) {
        luaL_error(L, "the rules of this run have taken all of their %I million steps", lua_Integer(limits_.run / 1'000'000));
    }
    luaL_error(L, "this takes more than %I million steps", lua_Integer(limits_.call / 1'000'000));
    std::abort(); // luaL_error does not return
}

void Sandbox::set_hook(lua_State* L) const
{
    lua_sethook(L, &Sandbox::hook, counts_lines_ ? LUA_MASKCOUNT | LUA_MASKLINE : LUA_MASKCOUNT, hook_every);
}

void Sandbox::count_lines()
{
    counts_lines_ = true;
    set_hook(state_);
}

std::map<std::string, std::vector<std::uint64_t>> Sandbox::line_counts() const
{
    std::map<std::string, std::vector<std::uint64_t>> out;
    for (const auto& [name, counts] : lines_) {
        auto& sum = out[name[0] == '@' ? name + 1 : name];
        sum.resize(std::max(sum.size(), counts.size()));
        for (std::size_t i = 0; i < counts.size(); ++i) {
            sum[i] += counts[i];
        }
    }
    return out;
}

void Sandbox::hook(lua_State* L, lua_Debug* what)
{
    Sandbox& sandbox = of(L);
    if (what->event == LUA_HOOKLINE) {
        lua_getinfo(L, "S", what);
        if (what->source != sandbox.last_chunk_) {
            sandbox.last_chunk_ = what->source;
            sandbox.last_counts_ = &sandbox.lines_[what->source];
        }
        std::vector<std::uint64_t>& counts = *sandbox.last_counts_;
        const auto line = std::size_t(std::max(0, what->currentline));
        if (line >= counts.size()) {
            counts.resize(line + 64);
        }
        ++counts[line];
        return;
    }
    sandbox.charge(L, sandbox.exceeded_ ? 1 : hook_every);
}

void Sandbox::charge(lua_State* L, std::uint64_t steps)
{
    steps_ += std::min(steps, limits_.call + 1); // what one call may not do does not cost the others theirs
    if (steps_ > limits_.call || spent()) {
        end(L);
    }
}

int Sandbox::on_error(lua_State* L)
{
    Sandbox& sandbox = of(L);
    sandbox.note_place(L, 1);
    std::string& message = sandbox.fault_.message;
    if (lua_type(L, 1) == LUA_TSTRING) {
        std::size_t size = 0;
        const char* text = lua_tolstring(L, 1, &size);
        message.assign(text, std::min<std::size_t>(size, 500));
        // What error() and luaL_error() put before it: the place is told by itself.
        const std::string file = sandbox.fault_.place.file;
        const std::size_t end = message.find(": ");
        if (end != std::string::npos && message.rfind(':', end - 1) < end) {
            const std::size_t colon = message.rfind(':', end - 1);
            const bool digits = message.find_first_not_of("0123456789", colon + 1) == end;
            if (digits && file.ends_with(message.substr(message.find("...") == 0 ? 3 : 0, colon - (message.find("...") == 0 ? 3 : 0)))) {
                message.erase(0, end + 2);
            }
        }
    } else {
        message = fmt::format("an error that is no text but a {}", luaL_typename(L, 1));
    }
    return 1;
}

void Sandbox::note_place(lua_State* L, int level)
{
    fault_ = {};
    lua_Debug info;
    for (; lua_getstack(L, level, &info) != 0 && fault_.callers.size() < most_callers; ++level) {
        lua_getinfo(L, "Sl", &info);
        if (info.currentline <= 0) {
            continue;
        }
        const Place place{file_of(info), std::uint32_t(info.currentline), 0};
        if (fault_.place.line == 0) {
            fault_.place = place;
        } else {
            fault_.callers.push_back(place);
        }
    }
}

std::unique_ptr<RuleFault> Sandbox::call(lua_State* L, int arguments)
{
    prepare(L);
    lua_insert(L, lua_gettop(L) - arguments - 1);
    return call_prepared(L, arguments);
}

std::unique_ptr<RuleFault> Sandbox::call_prepared(lua_State* L, int arguments)
{
    const int base = lua_gettop(L) - arguments - 1;
    if (depth_ == 0) {
        begin_call();
    }
    ++depth_;
    lua_State* const outside = running(L);
    const int status = lua_pcall(L, arguments, 0, base);
    --depth_;
    running_ = outside;
    lua_settop(L, base - 1);
    if (status == LUA_OK) [[likely]] {
        return nullptr;
    }
    if (depth_ == 0) {
        set_hook(L);
    }
    auto fault = std::make_unique<RuleFault>(std::move(fault_));
    fault_ = {};
    if (status == LUA_ERRMEM) {
        fault->message = fmt::format("the rulebook takes more than {} MB of memory", limits_.memory >> 20);
    } else if (fault->message.empty()) {
        fault->message = status == LUA_ERRERR ? "an error while another error was handled" : "an error without a text";
    }
    fault->limit = exceeded_ || status == LUA_ERRMEM || memory_refused_;
    return fault;
}

std::unique_ptr<RuleFault> Sandbox::compile(lua_State* L, const std::string& text, const std::string& file)
{
    if (luaL_loadbufferx(L, text.data(), text.size(), ("@" + file).c_str(), "t") == LUA_OK) {
        return nullptr;
    }
    auto fault = std::make_unique<RuleFault>();
    const char* told = lua_tostring(L, -1);
    fault->message = told != nullptr ? told : "the text can't be read";
    fault->place.file = file;
    lua_pop(L, 1);
    // "short_src:line: message"
    const std::size_t colon = fault->message.find(": ");
    const std::size_t before = colon == std::string::npos ? colon : fault->message.rfind(':', colon - 1);
    if (before != std::string::npos) {
        fault->place.line = std::uint32_t(std::strtoul(fault->message.c_str() + before + 1, nullptr, 10));
        fault->message.erase(0, colon + 2);
    }
    return fault;
}

} // namespace wexilum
