#include "core/toolpath/records_ahead.hpp"

namespace wexilum {
namespace {

constexpr std::size_t batch_records = 256;

}

RecordsAhead::RecordsAhead(RecordSource& source) : source_(source), thread_([this] { read(); }) {}

RecordsAhead::~RecordsAhead()
{
    batches_.stop();
    thread_.join();
}

void RecordsAhead::read()
{
    for (bool more = true; more;) {
        Batch batch = batches_.spare();
        batch.records.resize(batch_records);
        batch.count = 0;
        while (batch.count < batch_records) {
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

Result<bool> RecordsAhead::next(Record& out)
{
    while (at_ == batch_.count) {
        if (!batch_.end) {
            return batch_.end.error();
        }
        at_ = 0;
        batch_.count = 0;
        if (!batches_.take(batch_)) {
            return false;
        }
    }
    std::swap(out, batch_.records[at_++]);
    return true;
}

} // namespace wexilum
