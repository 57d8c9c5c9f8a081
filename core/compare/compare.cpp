#include "core/compare/compare.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t farthest_tool_change = 200000; // items: further ahead the path's next tool change is not looked for

} // namespace

Comparer::Comparer(const Task& task, Follower& follower, ExpectedPath& path, ReplayReport& report,
                   const std::vector<MotionListener*>& observers)
    : task_(task), follower_(follower), log_(task.machine, path, report, observers), budget_(task), place_(path),
      records_(task, follower, budget_, log_), states_(task, follower, budget_, place_, log_),
      links_(task, follower, budget_, place_, records_, log_), cuts_(task, follower, budget_, place_, records_, states_, links_, log_),
      holes_(task, place_, records_, states_, links_, log_), together_(task, follower, budget_, place_, records_, states_, log_)
{
    (void)go_over();
}

bool Comparer::go_over()
{
    if (task_.setup.works.size() == 1) {
        return false;
    }
    const Expected* item = place_.current();
    if (item == nullptr || item->posture == nullptr || item->posture->work == work_) {
        return false;
    }
    if (follower_.last_readings().size() > 0 && !links_.retracted(follower_.last_readings())) {
        links_.leave_work(work_);
    }
    work_ = item->posture->work;
    follower_.follow_work(work_);
    place_.forget_link();
    return true;
}

void Comparer::check_register(const ReplayMove& move)
{
    const auto& works = task_.setup.works;
    if (works.size() == 1 || !move.feed || move.zero_register == nullptr || *move.zero_register == task_.register_of(work_)) {
        return;
    }
    for (std::uint32_t other = 0; other < works.size(); ++other) {
        if (task_.register_of(other) == *move.zero_register) {
            log_.find(Severity::warning, "other-register", works[other].id,
                      fmt::format("the path is at the {}, and the register {} is in force, which is the zero of the {}", works[work_].id,
                                  *move.zero_register, works[other].id),
                      fmt::format("write the word of the register {} before", task_.register_of(work_)), place_.current(), move.block);
            return;
        }
    }
}

void Comparer::leave_uncovered(std::size_t from, std::size_t to)
{
    for (std::size_t i = from; i < to; ++i) {
        leave_uncovered(*place_.item(i));
    }
}

void Comparer::leave_uncovered(const Expected& item)
{
    const auto missing = [&](const char* kind, std::string message, const char* cure) {
        log_.find(Severity::error, kind, "", std::move(message), cure, &item, {});
    };
    switch (item.kind) {
    case Expected::Kind::tool_change:
        missing("tool-change-missing", fmt::format("the program does not change to tool {}", item.tool), "restore the tool change");
        break;
    case Expected::Kind::dwell:
    case Expected::Kind::stop:
    case Expected::Kind::optional_stop:
        missing("stop-missing", "a dwell or stop of the path is not in the program", "restore the block");
        break;
    case Expected::Kind::by_hand:
        missing("set-missing", "the program tells nobody to fit or set what the path needs", "restore the message and its stop");
        break;
    case Expected::Kind::rapid:
        missing("target-missed", "no rapid of the program ends at this position", "restore the block that goes there");
        break;
    default:
        missing("uncovered", "no block of the program covers this record", "restore the block, or take the record out of the path");
        ++log_.report().uncovered;
    }
}

void Comparer::tool_change(BlockNumber block, std::uint32_t tool)
{
    holes_.settle();
    cuts_.pass_tiny(nullptr);
    cuts_.leave_unfinished();
    std::size_t at = place_.next();
    const std::size_t end = at + farthest_tool_change;
    while (at < end && place_.item(at) != nullptr && place_.item(at)->kind != Expected::Kind::tool_change) {
        ++at;
    }
    const Expected* change = at < end ? place_.item(at) : nullptr;
    if (change == nullptr) {
        log_.find(Severity::error, "tool-change-extra", "", fmt::format("the program changes to tool {}, the path does not", tool),
                  "remove the tool change", nullptr, block);
        return;
    }
    if (place_.nearest.any) {
        links_.miss();
    }
    leave_uncovered(place_.next(), at);
    if (change->tool != tool) {
        log_.find(Severity::error, "tool-differs", "",
                  fmt::format("the program calls tool {}, the path asks for tool {}", tool, change->tool), "correct the tool word", change,
                  block);
    }
    place_.go_to(at);
    place_.advance({});
    place_.forget_link();
    (void)go_over();
}

/// Whether the tool is in its cut: the path goes on cutting from here, and nothing has retracted.
bool Comparer::inside_cut()
{
    if (follower_.last_readings().size() == 0 || links_.retracted(follower_.last_readings())) {
        return false;
    }
    for (std::size_t i = place_.next(); const Expected* item = place_.item(i); ++i) {
        if (item->kind != Expected::Kind::dwell && item->kind != Expected::Kind::stop && item->kind != Expected::Kind::optional_stop) {
            return item->kind == Expected::Kind::feed;
        }
    }
    return false;
}

/// What the run has put into the path may come between its cuts only.
void Comparer::check_added(const char* what, BlockNumber block)
{
    if (place_.current()->added && inside_cut()) {
        log_.find(Severity::error, "added-in-cut", "",
                  fmt::format("a rule's {} comes in the middle of a cut, where the path has none", what),
                  "let the rule retract before it, or ask for it in the toolpath", place_.current(), block);
    }
}

void Comparer::dwell(BlockNumber block, double seconds)
{
    holes_.settle();
    if (place_.hole) {
        holes_.dwell(follower_.last_pose().tip, block, seconds);
        return;
    }
    cuts_.pass_tiny(nullptr);
    const Expected* item = place_.current();
    if (item == nullptr || item->kind != Expected::Kind::dwell) {
        log_.find(inside_cut() ? Severity::error : Severity::warning, "dwell-extra", "",
                  fmt::format("the program dwells {:.3f} s, the path does not", seconds), "remove the dwell", nullptr, block);
        return;
    }
    check_added("dwell", block);
    if (!dwells_as(task_.controller, item->dwell, seconds)) {
        log_.find(Severity::error, "dwell-differs", "",
                  fmt::format("the program dwells {:.3f} s, the path asks for {:.3f} s", seconds, item->dwell), "correct the time word",
                  item, block);
    }
    place_.skip();
    (void)go_over();
}

void Comparer::stop(BlockNumber block, bool optional)
{
    holes_.settle();
    cuts_.pass_tiny(nullptr);
    const Expected* item = place_.current();
    const auto kind = optional ? Expected::Kind::optional_stop : Expected::Kind::stop;
    if (item == nullptr || item->kind != kind) {
        log_.find(inside_cut() ? Severity::error : Severity::warning, "stop-extra", "", "the program stops where the path does not",
                  "remove the stop, or add it to the path", nullptr, block);
        return;
    }
    check_added("stop", block);
    place_.skip();
    (void)go_over();
}

void Comparer::loop(BlockNumber block, double count)
{
    const std::optional<double>& loops = task_.loops;
    if (!loops) {
        log_.find(Severity::warning, "loop-count", "",
                  fmt::format("a loop is done {:g} times, and the job has no option that says how often it should be", count),
                  "declare the post's option that counts it with \"loops\": true", nullptr, block);
    } else if (looped_ || count != *loops) {
        log_.find(Severity::error, "loop-count", "",
                  looped_ ? std::string("the program has a second loop, the job's options ask for one")
                          : fmt::format("a loop is done {:g} times, the job's options ask for {:g}", count, *loops),
                  "correct the loop's count", nullptr, block);
    }
    looped_ = true;
}

void Comparer::by_hand(BlockNumber block, std::uint32_t mount, const Readings& readings)
{
    holes_.settle();
    cuts_.pass_tiny(nullptr);
    if (place_.nearest.any) {
        links_.miss();
    }
    const Expected* item = place_.current();
    if (item == nullptr || item->kind != Expected::Kind::by_hand) {
        log_.find(Severity::error, "set-extra", "", "the program tells a person to fit or set something, and the path needs nothing there",
                  "remove the message and its stop", item, block);
        return;
    }
    if (states_.stands_as(*item->posture, mount, readings)) { // otherwise another message has to follow
        place_.skip();
        place_.forget_link();
        (void)go_over();
    }
}

void Comparer::moved(const Followed& motion)
{
    place_.pass();
    const ReplayMove& move = motion.move;
    const SeenMotion seen = records_.see(motion, budget_);
    log_.note_motion(move);
    cuts_.pass_tiny(&seen);
    if (links_.leaving()) {
        links_.check_leaving(seen);
    }
    const bool cuts = move.feed && (!seen.stands_for_rapid || cuts_.ends_on_path(seen));
    check_register(move);
    if (move.feed) {
        states_.begin(seen, cuts);
    }
    const bool drills = place_.hole || (place_.current() != nullptr && place_.current()->kind == Expected::Kind::hole);
    const bool drilled = drills && holes_.take(seen);
    if (drills && !drilled && go_over()) { // it has left the last hole of the work: where it leads is to be seen from the next
        moved(follower_.seen_again(move));
        return;
    }
    if (drilled) {
        (void)go_over();
        return;
    }
    if (cuts) {
        cuts_.cut(seen);
    } else {
        cuts_.rest();
        links_.rapid(seen);
    }
    (void)go_over();
}

void Comparer::cuts_moved(const FollowedCuts& cuts)
{
    check_register(cuts.run.common);
    together_.take(cuts, [&](std::size_t at) {
        const ReplayMove move = cuts.run.move(at);
        moved(cuts.cut(move, at));
    });
    (void)go_over();
}

void Comparer::finish()
{
    holes_.settle();
    if (place_.nearest.any) {
        links_.miss();
    }
    cuts_.pass_tiny(nullptr);
    cuts_.leave_unfinished();
    states_.finish();
    links_.finish();
    for (; place_.current() != nullptr; place_.skip()) {
        leave_uncovered(*place_.current());
        place_.pass();
    }
    if (task_.loops && *task_.loops > 1 && !looped_) {
        log_.find(Severity::error, "loop-count", "",
                  fmt::format("the job's options ask for {:g} passes, the program has no loop", *task_.loops), "restore the loop", nullptr,
                  {});
    }
    if (log_.report().compared == 0 && !log_.report().findings.has_errors()) {
        log_.find(Severity::error, "nothing-moves", "", "neither the toolpath nor the program has any motion: nothing can be proven of it",
                  "give the job an operation whose toolpath moves", nullptr, {});
    }
}

} // namespace wexilum
