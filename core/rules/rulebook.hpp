// A rulebook: the post's Lua file with its modules, and what it does in one run.
#pragma once

#include "core/base/result.hpp"
#include "core/dialect/section.hpp"
#include "core/rules/description.hpp"
#include "core/rules/rule_counts.hpp"
#include "core/rules/rule_host.hpp"
#include "core/rules/rulebook_text.hpp"
#include "core/rules/sandbox.hpp"

#include <array>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace wexilum {

/// One rulebook in one run. Every run begins with a new one, so that the same inputs give the same program.
class Rulebook {
public:
    /// `host` must outlive the object; so must the texts.
    Rulebook(const RulebookText& text, const RuleOptions& options, RuleHost& host, const RuleLimits& limits = {});
    ~Rulebook();
    Rulebook(const Rulebook&) = delete;
    Rulebook& operator=(const Rulebook&) = delete;

    /// Runs the rulebook's text, which sets its handlers. After a fault no handler is taken.
    std::unique_ptr<RuleFault> load();

    /// Whether a handler takes this event now; false while it runs, so that what it does is done the native way.
    [[nodiscard]] bool takes(EventKind kind) const { return handlers_[static_cast<std::size_t>(kind)].taken; }
    /// The event to fill for call(); its present and changed bits are cleared.
    [[nodiscard]] Event& event(EventKind kind);
    [[nodiscard]] Event& at_hand(EventKind kind) { return handlers_[static_cast<std::size_t>(kind)].event; }
    /// Calls the handler with the event at hand. Precondition: takes(kind).
    std::unique_ptr<RuleFault> call(EventKind kind);
    /// The same for events of one kind that follow one another: `next` fills one, and says whether there is one; it does nothing else with
    /// the rulebook. Ends with a fault as well, which is that of the event at hand: more may be offered in another call.
    std::unique_ptr<RuleFault> call_each(EventKind kind, const std::function<bool()>& next);

    /// The value of a Lua expression at the event that has been filled, as text.
    Result<std::string> evaluate(EventKind kind, const std::string& expression);

    [[nodiscard]] const HandlerCount& count(EventKind kind) const { return handlers_[static_cast<std::size_t>(kind)].count; }
    [[nodiscard]] bool has(EventKind kind) const { return handlers_[static_cast<std::size_t>(kind)].reference != 0; }
    /// From now on counts how often each line runs. Makes rules slower.
    void count_lines()
    {
        if (sandbox_.ready()) {
            sandbox_.count_lines();
        }
    }
    /// By file, then by line from 1.
    [[nodiscard]] std::map<std::string, std::vector<std::uint64_t>> line_counts() const { return sandbox_.line_counts(); }
    /// Whether no rule runs.
    [[nodiscard]] bool idle() const { return active_.empty(); }
    /// Where the rulebook is in its text, for the trace; nothing while no rule runs.
    [[nodiscard]] Place here() const;

private:
    friend struct RuleBinding;
    struct Handler {
        int reference = 0; ///< in the registry; 0: none
        bool positional = false;
        bool taken = false;
        bool off = false; ///< reached a limit
        Event event;
        HandlerCount count;
        std::vector<const void*> keys; ///< of the fields, as Lua keeps the texts
        int object = 0;                ///< reference to the event object
        int shown = 0;                 ///< reference to the table it looks into first: its methods, and the fields that have been asked for
        std::uint32_t asked = 0;       ///< a bit for each of those fields
        std::size_t parameters = 0;    ///< of a positional handler: as many fields are handed to it
    };
    /// Runs what stands on the stack below its `arguments`, in the name of a handler.
    std::unique_ptr<RuleFault> run(Handler& handler, int arguments);
    int push_arguments(Handler& handler);
    /// Pushes the event object, up to date with its event.
    static void push_object(lua_State* L, const Handler& handler);
    /// Brings the event object up to date with its event; what it looks into first is on top of the stack.
    static void show_fields(lua_State* L, const Handler& handler);
    void settle(Handler& handler) { handler.taken = handler.reference != 0 && !handler.off; }

    const RulebookText& text_;
    const RuleOptions& options_;
    RuleHost& host_;
    Sandbox sandbox_;
    lua_State* current_ = nullptr; ///< the state or the coroutine that runs
    std::array<Handler, event_count> handlers_;
    std::vector<EventKind> active_; ///< events whose handlers run, outermost first
};

/// What is wrong with a rulebook as far as can be checked without running a job: every file's grammar, unknown events and fields, what
/// happens while the rulebook's text runs.
std::vector<Error> check_rulebook(const RulebookText& text, const RuleOptions& options);

/// The same of one file by itself: grammar, unknown events, fields, names of the state, and options where they are given.
std::vector<Error> check_rule_text(const std::string& text, const std::string& file, const std::vector<std::string>* options);

} // namespace wexilum
