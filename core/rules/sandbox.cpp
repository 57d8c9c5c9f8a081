#include "core/rules/sandbox.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <ctime>

namespace wexilum {
namespace {

constexpr int hook_every = 1000;
constexpr std::size_t long_text = std::size_t{1} << 16; // bytes: compared in as long as some hundred instructions take
constexpr double long_look = 0.005;                     // s between two looks: then they come closer together
constexpr std::size_t most_callers = 8;

/// Seconds that something has gone on for. Rules get to see none of it.
double seconds(clockid_t clock)
{
    timespec now{};
    clock_gettime(clock, &now);
    return double(now.tv_sec) + double(now.tv_nsec) * 1e-9;
}

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
    const std::size_t kind = old_size;
    if (block == nullptr) {
        old_size = 0; // it gives the kind of a new object
    }
    if (new_size == 0) {
        std::free(block);
        sandbox.memory_ -= old_size;
        return nullptr;
    }
    if (new_size > old_size && sandbox.memory_ + new_size - old_size > sandbox.limits_.memory) {
        sandbox.memory_refused_ = true;
        sandbox.steps_ += sandbox.memory_ / bytes_a_step; // Lua looks through all of it for what can be given back
        if (sandbox.running_ != nullptr) {
            sandbox.note_place(sandbox.running_, 0); // no message handler is called for this
        }
        return nullptr;
    }
    void* const made = std::realloc(block, new_size);
    if (made != nullptr) {
        sandbox.memory_ += new_size - old_size;
        sandbox.steps_ += new_size / bytes_a_step;
        const bool is_text = block == nullptr && kind == LUA_TSTRING;
        if (is_text && new_size > long_text && new_size > sandbox.longest_text_) [[unlikely]] {
            sandbox.longest_text_ = new_size;
            if (sandbox.running_ != nullptr) {
                sandbox.set_hook(sandbox.running_);
            }
        }
    }
    return made;
}

void Sandbox::end(lua_State* L)
{
    if (limits_.watch != nullptr && limits_.watch->stopped()) {
        end(L, "the run was stopped");
    }
    if (spent()) {
        end(L, fmt::format("the rules of this run have taken all of their {} million steps", limits_.run / 1'000'000).c_str());
    }
    if (steps_ > limits_.call) {
        end(L, fmt::format("this takes more than {} million steps", limits_.call / 1'000'000).c_str());
    }
    end(L, fmt::format("this takes longer than {:g} seconds", limits_.call_seconds).c_str());
}

void Sandbox::end(lua_State* L, const char* text)
{
    if (!exceeded_) {
        reason_ = text;
    }
    exceeded_ = true;
    lua_sethook(L, &Sandbox::hook, LUA_MASKCOUNT, 1); // whatever catches the error gets no further either
    luaL_error(L, "%s", reason_.c_str());
    std::abort(); // luaL_error does not return
}

/// Instructions between two looks: fewer where long texts are about.
int Sandbox::most_between() const
{
    return longest_text_ <= long_text ? hook_every : std::max(1, int(double(hook_every) * double(long_text) / double(longest_text_)));
}

void Sandbox::set_hook(lua_State* L) const
{
    lua_sethook(L, &Sandbox::hook, counts_lines_ ? LUA_MASKCOUNT | LUA_MASKLINE : LUA_MASKCOUNT, exceeded_ ? 1 : most_between());
}

/// Whether this goes on for too long, or is to end. Where little is done in much time, as comparing long texts is one instruction, the next
/// look comes sooner.
void Sandbox::look_at_time(lua_State* L)
{
    const double now = seconds(CLOCK_MONOTONIC);
    const double since = last_look_ < 0 ? 0 : now - last_look_;
    last_look_ = now;
    if (limits_.watch != nullptr && limits_.watch->stopped()) {
        end(L);
    }
    const int before = lua_gethookcount(L);
    const int every = std::clamp(since > long_look ? before / 8 : before * 2, 1, most_between());
    if (every != before && !exceeded_) {
        lua_sethook(L, &Sandbox::hook, lua_gethookmask(L), every);
    }
    if (call_began_ < 0) {
        call_began_ = now;
        call_began_cpu_ = seconds(CLOCK_THREAD_CPUTIME_ID);
    } else if (now - call_began_ > limits_.call_seconds && seconds(CLOCK_THREAD_CPUTIME_ID) - call_began_cpu_ > limits_.call_seconds) {
        end(L); // the second clock leaves out what other programs take, but asking it takes longer
    }
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
    sandbox.charge(L, std::uint64_t(lua_gethookcount(L)));
    sandbox.look_at_time(L);
}

void Sandbox::charge(lua_State* L, std::uint64_t steps)
{
    steps_ += std::min(steps, limits_.call + 1); // what one call may not do does not cost the others theirs
    if (exceeded_ || steps_ > limits_.call || spent()) {
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
        // What error() and luaL_error() put before it: the place is reported by itself.
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
        message = fmt::format("an error that is not a text but a {}", luaL_typename(L, 1));
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
    if (status == LUA_OK && !exceeded_) [[likely]] {
        return nullptr;
    }
    if (depth_ == 0) {
        const bool exceeded = std::exchange(exceeded_, false); // the next call has its own limits
        set_hook(L);
        exceeded_ = exceeded;
    }
    auto fault = std::make_unique<RuleFault>(std::move(fault_));
    fault_ = {};
    if (status == LUA_OK) { // the function has come to its end, but only because something has caught the limit's error
        fault->message = reason_;
    } else if (status == LUA_ERRMEM) {
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
    const char* message = lua_tostring(L, -1);
    fault->message = message != nullptr ? message : "the text can't be read";
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
