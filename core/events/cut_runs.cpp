#include "core/events/cut_runs.hpp"

#include <utility>

namespace wexilum {

void CutRuns::handle(const LinearRun& run)
{
    along_.run = &mapped(path_.work_map(), run, in_work_);
    along_.turns = &turns_;
    along_.end = 0;
    run_ = &run;
    first_index_ = notes_.index();
    for (std::size_t at = 0; at < run.count && !notes_.probe_is_done();) {
        const bool offers = rules_.takes(EventKind::linear);
        if (at >= along_.end) {
            catch_up();
            along_.end = at + path_.plan().next_run(at, run.count - at, turns_);
            ++along_.serial;
        }
        if (at < along_.end) {
            if (offers && may_wait(at)) {
                at = offer(at);
                continue;
            }
            catch_up();
            if (const std::size_t done = offers ? 0 : cut_along(at, along_.end); done > 0) {
                rules_.seen(EventKind::linear, done);
                at += done;
                continue;
            }
            keep_plan(at);
            path_.use_kept_next();
        }
        run.get(at++, record_);
        single_(record_);
    }
    catch_up();
    run_ = nullptr;
}

void CutRuns::go_to(std::size_t at)
{
    notes_.set(run_->source(at), first_index_ + at);
    motion_.log().set_source(notes_.source(), notes_.index());
}

/// Does as many cuts of the part at hand as can be done at once, up to `end`.
std::size_t CutRuns::cut_along(std::size_t first, std::size_t end)
{
    if (!path_.goes_on()) {
        return 0;
    }
    go_to(first);
    ready_();
    path_.follow_on(along_);
    const std::size_t done = motion_.along().feed(along_, first, end, path_.feed());
    if (done > 0) {
        const std::size_t last = first + done - 1;
        path_.arrived(run_->pose(last), along_.run->pose(last), {turns_[0][last], turns_[1][last]});
        notes_.set_index(notes_.index() + done);
    }
    return done;
}

/// Whether a cut may wait where its rule leaves it as it is: those before it do, or nothing waits and the machine stands at a plain cut.
bool CutRuns::may_wait(std::size_t at)
{
    if (waiting_ < waiting_end_) {
        return waiting_end_ == at && motion_.along().is_plain(along_, at);
    }
    if (!path_.goes_on()) {
        return false;
    }
    path_.follow_on(along_);
    if (!motion_.along().open(along_, at, path_.feed()) || !motion_.along().is_plain(along_, at)) {
        return false;
    }
    waiting_ = waiting_end_ = at;
    return true;
}

/// Hands cuts of the part at hand to their rule, from `first` on as long as each is left to the native way and may wait; the one behind
/// them. Precondition: may_wait(first).
std::size_t CutRuns::offer(std::size_t first)
{
    std::size_t at = first;
    bool begun = false;
    rules_.hand_over_each(EventKind::linear, record_, [&] {
        if (begun) {
            const bool waits = waiting_ != waiting_end_ && waiting_end_ == at + 1;
            if (!waits || at + 1 >= along_.end || !motion_.along().is_plain(along_, at + 1)) {
                return false;
            }
            ++at;
        }
        begun = true;
        go_to(at);
        keep_plan(at);
        path_.use_kept();
        run_->get(at, record_);
        offered_may_wait_ = true;
        offered_ = at;
        native_taken_ = false;
        return true;
    });
    offered_may_wait_ = false;
    if (!native_taken_) { // the next one does not follow on from it
        catch_up();
        ++along_.serial;
    }
    notes_.set_index(first_index_ + at + 1);
    return at + 1;
}

bool CutRuns::waits(EventKind kind)
{
    if (kind != EventKind::linear) {
        return false;
    }
    native_taken_ = true;
    if (offered_may_wait_ && waiting_end_ == offered_) {
        ++waiting_end_;
        return true;
    }
    return false;
}

void CutRuns::catch_up()
{
    offered_may_wait_ = false;
    if (waiting_ == waiting_end_) {
        return;
    }
    const std::size_t end = waiting_end_;
    std::size_t at = std::exchange(waiting_, end);
    const std::size_t index = notes_.index();
    const PathMotion::Choice choice = path_.save();
    while (at < end) {
        if (const std::size_t done = cut_along(at, end); done > 0) {
            at += done;
            continue;
        }
        go_to(at);
        keep_plan(at);
        path_.use_kept();
        Record record;
        run_->get(at++, record);
        actions_.happen(record);
    }
    path_.restore(choice);
    if (index - first_index_ < run_->count) {
        go_to(index - first_index_);
    }
    notes_.set_index(index);
}

} // namespace wexilum
