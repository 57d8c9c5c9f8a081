#include "core/toolpath/records_ahead.hpp"

namespace wexilum {
namespace {

constexpr std::size_t batch_records = 256;

}

RecordsAhead::RecordsAhead(RecordSource& source, bool own_thread) : source_(source)
{
    if (own_thread) {
        thread_ = std::thread([this] { read(); });
    }
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
    for (bool more = true; more;) {
        Batch batch;
        batch.records.resize(batch_records);
        std::size_t count = 0;
        while (count < batch_records) {
            const auto read = source_.next(batch.records[count]);
            if (!read || !*read) {
                batch.end = read ? Status() : Status(read.error());
                more = false;
                break;
            }
            ++count;
        }
        batch.records.resize(count);
        if (!batches_.put(std::move(batch))) {
            return;
        }
    }
    batches_.end();
}

Result<bool> RecordsAhead::next(Record& out)
{
    if (!thread_.joinable()) {
        return source_.next(out);
    }
    while (at_ == batch_.records.size()) {
        if (!batch_.end) {
            return batch_.end.error();
        }
        at_ = 0;
        batch_.records.clear();
        if (!batches_.take(batch_)) {
            thread_.join();
            return false;
        }
    }
    out = std::move(batch_.records[at_++]);
    return true;
}

} // namespace wexilum
