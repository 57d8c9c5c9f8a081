// Runs of straight cuts: what is plain is done for many at once, with rules or without; the rest goes the way of single records.
#include "core/events/native_events.hpp"

#include <utility>

namespace wexilum {

/// The plan of a run is taken part by part: where plain cuts come, all of them at once.
void NativeEvents::handle(const LinearRun& run)
{
    along_.run = &mapped(in_work_, run, run_in_work_);
    along_.turns = &run_turns_;
    along_.end = 0;
    run_ = &run;
    run_index_ = index_;
    for (std::size_t at = 0; at < run.count && !probe_is_done();) {
        const bool offers = rules_ && rules_->takes(EventKind::linear);
        if (at >= along_.end) {
            catch_up();
            along_.end = at + plan_.next_run(at, run.count - at, run_turns_);
            ++along_.serial;
        }
        if (at < along_.end) {
            if (offers && waits_for(at)) {
                at = offer_cuts(at);
                continue;
            }
            catch_up();
            if (const std::size_t done = offers ? 0 : cut_along(at, along_.end); done > 0) {
                seen(EventKind::linear, done);
                at += done;
                continue;
            }
            plan_cut(at);
            kept_next_ = true;
        }
        run.get(at++, run_record_);
        handle(run_record_);
    }
    catch_up();
    run_ = nullptr;
}

/// The plan of one cut of the part at hand.
void NativeEvents::plan_cut(std::size_t at)
{
    kept_ = {};
    kept_.branch = kept_.branch_before = plan_.branch();
    kept_.beyond = plan_.beyond();
    kept_.turns = {run_turns_[0][at], run_turns_[1][at]};
}

void NativeEvents::stand_at(std::size_t at)
{
    index_ = run_index_ + at;
    source_ = run_->source(at);
    motion_.log().set_source(source_, index_);
    emitter_.set_source(source_);
}

bool NativeEvents::along_open() const
{
    return probe_ == nullptr && tool_ != nullptr && pose_ && motion_.place().positioned && !cycles_.active() && settings().subprogram == 0;
}

/// Does as many cuts of the part at hand as can be done at once, up to `end`.
std::size_t NativeEvents::cut_along(std::size_t first, std::size_t end)
{
    if (!along_open()) {
        return 0;
    }
    stand_at(first);
    ready_to_move();
    follow_on();
    const std::size_t done = motion_.along().feed(along_, first, end, feed_);
    if (done > 0) {
        const std::size_t last = first + done - 1;
        pose_ = run_->pose(last);
        pose_in_work_ = along_.run->pose(last);
        planned_ = {run_turns_[0][last], run_turns_[1][last]};
        index_ += done;
    }
    return done;
}

/// The next cut of the part at hand follows on from where the path stands.
void NativeEvents::follow_on()
{
    along_.from = pose_in_work_ ? pose_in_work_->tip : in_work(*pose_).tip;
    along_.from_turns = planned_;
}

// --- cuts that wait: what a rule leaves to the native way and nobody has asked about yet is done for many at once --------------------

/// Whether a cut may wait where its rule leaves it as it is: those before it do, or nothing waits and the machine stands at a plain cut.
bool NativeEvents::waits_for(std::size_t at)
{
    if (waiting_ < waiting_end_) {
        return waiting_end_ == at && motion_.along().is_plain(along_, at);
    }
    if (!along_open()) {
        return false;
    }
    follow_on();
    if (!motion_.along().open(along_, at, feed_) || !motion_.along().is_plain(along_, at)) {
        return false;
    }
    waiting_ = waiting_end_ = at;
    return true;
}

/// Hands cuts of the part at hand to their rule, from `first` on as long as each is left to the native way and may wait; the one behind
/// them. Precondition: waits_for(first).
std::size_t NativeEvents::offer_cuts(std::size_t first)
{
    std::size_t at = first;
    bool offered = false;
    const Record* const record_before = std::exchange(record_, &run_record_);
    const bool done_before = std::exchange(native_done_, false);
    const bool happening_before = std::exchange(happening_, false);
    const auto next = [&] {
        if (offered) {
            if (waiting_ == waiting_end_ || waiting_end_ != at + 1 || at + 1 >= along_.end || !motion_.along().is_plain(along_, at + 1)) {
                return false;
            }
            ++at;
        }
        offered = true;
        stand_at(at);
        plan_cut(at);
        choice_ = &kept_;
        run_->get(at, run_record_);
        seen(EventKind::linear, 1);
        fill(EventKind::linear, run_record_);
        waits_ = true;
        waits_at_ = at;
        cut_done_ = native_done_ = false;
        return true;
    };
    if (const auto problem = rules_->call_each(EventKind::linear, next)) [[unlikely]] {
        fail(EventKind::linear, *problem);
    }
    record_ = record_before;
    native_done_ = done_before;
    happening_ = happening_before;
    waits_ = false;
    if (!cut_done_) { // the next one does not follow on from it
        catch_up();
        ++along_.serial;
    }
    index_ = run_index_ + at + 1;
    return at + 1;
}

/// Does the cuts that wait.
void NativeEvents::catch_up()
{
    waits_ = false;
    if (waiting_ == waiting_end_) {
        return;
    }
    const std::size_t end = waiting_end_;
    std::size_t at = std::exchange(waiting_, end);
    const std::size_t index = index_;
    const Planned* const choice = choice_;
    const Planned kept = kept_;
    while (at < end) {
        if (const std::size_t done = cut_along(at, end); done > 0) {
            at += done;
            continue;
        }
        stand_at(at);
        plan_cut(at);
        choice_ = &kept_;
        Record record;
        run_->get(at++, record);
        happen(record);
    }
    kept_ = kept;
    choice_ = choice;
    if (index - run_index_ < run_->count) {
        stand_at(index - run_index_);
    }
    index_ = index;
}

} // namespace wexilum
