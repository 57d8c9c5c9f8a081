// A Lua 5.4 state that can do nothing but compute, within limits, and gives the same results on every run and machine: no files, no
// processes, no bytecode, no addresses, pairs() in order, random numbers from a fixed seed.
#pragma once

#include "core/base/result.hpp"
#include "core/base/watch.hpp"

#include <clocale>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include <lua.hpp>

namespace wexilum {

struct RuleLimits {
    std::size_t memory = std::size_t{64} << 20; ///< bytes
    std::uint64_t call = 20'000'000;            ///< steps of one call: an instruction, or as much work of a library
    std::uint64_t run = 4'000'000'000;          ///< of all calls together
    /// Seconds that the thread may compute in one call. Steps are counted the same on every machine and end everything that is known to
    /// take long; this is what is left where an instruction takes longer than it counts.
    double call_seconds = 10;
    const RunWatch* watch = nullptr; ///< may ask the rules to stop; must outlive the sandbox
};

/// What went wrong in a call.
struct RuleFault {
    std::string message;                    ///< without its place
    Place place;                            ///< in the rulebook
    std::vector<Place> callers;             ///< from the innermost on, Lua functions only
    bool limit = false;                     ///< a limit was reached: calling again would end the same way
    [[nodiscard]] std::string text() const; ///< message and callers, one line
};

class Sandbox {
public:
    explicit Sandbox(const RuleLimits& limits);
    ~Sandbox();
    Sandbox(const Sandbox&) = delete;
    Sandbox& operator=(const Sandbox&) = delete;

    /// Whether there was memory for a state; without it nothing else may be called.
    [[nodiscard]] bool ready() const { return state_ != nullptr; }
    [[nodiscard]] lua_State* state() const { return state_; }
    /// The sandbox that a state or one of its coroutines belongs to.
    [[nodiscard]] static Sandbox& of(lua_State* L) { return **static_cast<Sandbox**>(lua_getextraspace(L)); }

    /// Calls the function below its `arguments` on the stack of L, which is the state or the coroutine that runs. Nothing of them is left
    /// on the stack. A call inside another shares its limits.
    std::unique_ptr<RuleFault> call(lua_State* L, int arguments);
    /// The same in two steps, for what is called often: prepare(), push the function and its arguments, call_prepared().
    void prepare(lua_State* L) const { lua_rawgeti(L, LUA_REGISTRYINDEX, on_error_); }
    std::unique_ptr<RuleFault> call_prepared(lua_State* L, int arguments);
    /// For a function that makes many calls one after the other: the next one has the limits of a call for itself, where this is none
    /// inside another.
    void next_call()
    {
        if (depth_ == 1) {
            begin_call();
        }
    }
    /// Compiles a text (no bytecode) and leaves its function on the stack; nothing after a fault.
    std::unique_ptr<RuleFault> compile(lua_State* L, const std::string& text, const std::string& file);

    /// From now on counts how often each line runs. Makes rules slower.
    void count_lines();
    /// By file, then by line (the first is at 1).
    [[nodiscard]] std::map<std::string, std::vector<std::uint64_t>> line_counts() const;

    /// Takes steps off what is left; raises a Lua error where nothing is. To be called by functions whose work grows with their data.
    void charge(lua_State* L, std::uint64_t steps);
    /// The same for as many bytes that are looked at or copied.
    void charge_bytes(lua_State* L, std::size_t bytes) { charge(L, bytes / bytes_a_step); }
    static constexpr std::size_t bytes_a_step = 64;
    /// Ends the call with a Lua error that can't be caught for good: whatever catches it gets no further. `text` says why.
    [[noreturn]] void end(lua_State* L, const char* text);
    /// Has the limits looked at while the state or one of its coroutines runs.
    void set_hook(lua_State* L) const;
    /// Tells which coroutine runs; returns the one before.
    lua_State* running(lua_State* L) { return std::exchange(running_, L); }
    /// Steps still left to this call.
    [[nodiscard]] std::uint64_t left() const { return steps_ < limits_.call ? limits_.call - steps_ : 0; }
    /// All steps so far have been taken from the limit of the run as well.
    [[nodiscard]] bool spent() const { return total_ + steps_ > limits_.run; }

private:
    void begin_call()
    {
        call_began_ = last_look_ = -1;
        total_ += steps_;
        steps_ = 0;
        exceeded_ = memory_refused_ = false;
    }
    static void* allocate(void* self, void* block, std::size_t old_size, std::size_t new_size);
    static void hook(lua_State* L, lua_Debug* what);
    static int on_error(lua_State* L);
    void note_place(lua_State* L, int level);
    [[noreturn]] void end(lua_State* L);
    void look_at_time(lua_State* L);
    [[nodiscard]] int most_between() const;

    RuleLimits limits_;
    lua_State* state_ = nullptr;
    lua_State* running_ = nullptr;
    int on_error_ = 0; ///< reference to the message handler
    std::size_t memory_ = 0;
    bool memory_refused_ = false;
    std::uint64_t steps_ = 0;
    std::uint64_t total_ = 0;
    std::size_t longest_text_ = 0; ///< bytes; comparing such is one instruction
    std::string reason_;           ///< why the call was ended
    double call_began_ = -1;       ///< seconds; below 0: not looked at yet
    double call_began_cpu_ = 0;    ///< of those that the thread has computed
    double last_look_ = -1;
    int depth_ = 0;
    bool exceeded_ = false;
    bool counts_lines_ = false;
    std::map<const char*, std::vector<std::uint64_t>> lines_; ///< by a chunk's name, where Lua keeps it
    const char* last_chunk_ = nullptr;                        ///< in which a line ran last, and
    std::vector<std::uint64_t>* last_counts_ = nullptr;       ///< its counts
    RuleFault fault_;
    locale_t locale_ = nullptr; ///< "C": what rules make may not depend on whose machine it is
    locale_t before_ = nullptr;
};

/// Pushes what tostring() gives: no addresses.
void push_text(lua_State* L, int index);
/// The libraries of sandbox_libraries.cpp, into the globals of the state.
void open_bounded_libraries(lua_State* L);

} // namespace wexilum
