// Records as a stream, whatever they come from.
#pragma once

#include "core/base/result.hpp"
#include "core/toolpath/record.hpp"

namespace wexilum {

class RecordSource {
public:
    virtual ~RecordSource() = default;
    /// Puts the next record into `out`; false at the end. After an error the source must not be used further.
    virtual Result<bool> next(Record& out) = 0;
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
    [[nodiscard]] const std::vector<std::string>& files() const override { return toolpath_.files; }

private:
    const Toolpath& toolpath_;
    std::size_t at_ = 0;
};

} // namespace wexilum
