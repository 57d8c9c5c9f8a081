#include "core/toolpath/records_ahead.hpp"

#include "core/toolpath/linear_run.hpp"

namespace wexilum {
namespace {

constexpr std::size_t batch_records = 256;
constexpr std::size_t batch_runs = 8;

} // namespace

RecordsAhead::RecordsAhead(RecordSource& source) : source_(source)
{
    alone_ = !start_thread(thread_, [this] { read(); });
}

RecordsAhead::~RecordsAhead()
{
    batches_.stop();
    if (thread_.joinable()) {
        thread_.join();
    }
}

void RecordsAhead::read()
{
    try {
        read_batches();
    } catch (...) {
        thrown_ = std::current_exception();
        batches_.end();
    }
}

void RecordsAhead::read_batches()
{
    for (bool more = true; more;) {
        Batch batch = batches_.spare();
        batch.records.resize(batch_records);
        batch.runs.resize(batch_runs);
        batch.count = batch.run_count = 0;
        while (batch.count < batch_records && batch.run_count < batch_runs) {
            if (source_.next_run(batch.runs[batch.run_count])) {
                ++batch.run_count;
                continue;
            }
            if (batch.run_count > 0) {
                break; // records come before runs
            }
            const auto read = source_.next(batch.records[batch.count]);
            if (!read || !*read) {
                batch.end = read ? Status() : Status(read.error());
                more = false;
                break;
            }
            ++batch.count;
        }
        if (!batches_.put(std::move(batch))) {
            return;
        }
    }
    batches_.end();
}

/// Takes the next batch where nothing is left of the one at hand; false where there is none.
bool RecordsAhead::ready()
{
    while (at_ == batch_.count && run_ == batch_.run_count) {
        at_ = run_ = run_at_ = 0;
        batch_.count = batch_.run_count = 0;
        if (!batch_.end || !batches_.take(batch_)) {
            if (thrown_) {
                std::rethrow_exception(std::exchange(thrown_, nullptr));
            }
            return false;
        }
    }
    return true;
}

Result<bool> RecordsAhead::next(Record& out)
{
    if (alone_) {
        return source_.next(out);
    }
    if (!ready()) {
        return batch_.end ? Result<bool>(false) : Result<bool>(batch_.end.error());
    }
    if (at_ < batch_.count) {
        std::swap(out, batch_.records[at_++]);
        return true;
    }
    batch_.runs[run_].get(run_at_++, out);
    if (run_at_ == batch_.runs[run_].count) {
        ++run_;
        run_at_ = 0;
    }
    return true;
}

bool RecordsAhead::next_run(LinearRun& out)
{
    out.clear();
    if (alone_) {
        return source_.next_run(out);
    }
    if (!ready() || at_ < batch_.count || run_at_ > 0) {
        return false;
    }
    out.take(batch_.runs[run_++]);
    return true;
}

} // namespace wexilum
