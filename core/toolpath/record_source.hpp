// Records as a stream, whatever they come from.
#pragma once

#include "core/base/result.hpp"
#include "core/toolpath/linear_run.hpp"

namespace wexilum {

class RecordSource {
public:
    virtual ~RecordSource() = default;
    /// Puts the next record into `out`; false at the end. After an error the source must not be used further.
    virtual Result<bool> next(Record& out) = 0;
    /// Passes the straight cuts that come next, as far as the source has them at hand, and puts them into `out`; false where it has
    /// none, and next() tells what comes.
    virtual bool next_run(LinearRun& out)
    {
        out.count = 0;
        return false;
    }
    /// The files that the records' sources point into.
    [[nodiscard]] virtual const std::vector<std::string>& files() const = 0;
};

/// Calls `take` with each record up to the end; an Error of the source ends it.
template <typename Take>
Status each_record(RecordSource& source, const Take& take)
{
    for (;;) {
        Record record;
        const auto more = source.next(record);
        if (!more) {
            return more.error();
        }
        if (!*more) {
            return {};
        }
        take(std::move(record));
    }
}

/// Records of a toolpath in memory, which must outlive the source.
class MemoryRecords final : public RecordSource {
public:
    explicit MemoryRecords(const Toolpath& toolpath) : toolpath_(toolpath) {}
    Result<bool> next(Record& out) override
    {
        if (at_ == toolpath_.records.size()) {
            return false;
        }
        out = toolpath_.records[at_++];
        return true;
    }
    bool next_run(LinearRun& out) override
    {
        out.count = 0;
        for (; at_ < toolpath_.records.size() && out.count < longest_run; ++at_) {
            const Record& record = toolpath_.records[at_];
            const auto* linear = std::get_if<record::Linear>(&record.data);
            if (linear == nullptr || (out.count > 0 && record.source.file != out.file)) {
                break;
            }
            out.add(linear->to, record.source);
        }
        return out.count > 0;
    }
    [[nodiscard]] const std::vector<std::string>& files() const override { return toolpath_.files; }

private:
    const Toolpath& toolpath_;
    std::size_t at_ = 0;
};

} // namespace wexilum
