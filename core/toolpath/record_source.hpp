// Records as a stream, whatever they come from.
#pragma once

#include "core/base/result.hpp"
#include "core/toolpath/record.hpp"

#include <string>
#include <vector>

namespace wexilum {

struct LinearRun;

class RecordReader {
public:
    virtual ~RecordReader() = default;
    /// Puts the next record into `out`; false at the end. An error has a place (in a file: file:line, and the column where known) and a
    /// cure; after it the reader must not be used further.
    virtual Result<bool> next(Record& out) = 0;
    /// Passes the straight cuts that come next, as far as the reader has them at hand, and puts them into `out`; false where it has
    /// none, and next() gives what comes.
    virtual bool next_run(LinearRun& out);
};

/// Records of several files.
class RecordSource : public RecordReader {
public:
    /// The files that the records' sources point into.
    [[nodiscard]] virtual const std::vector<std::string>& files() const = 0;
};

/// Calls `take` with each record up to the end; an Error of the source ends it.
template <typename Take>
Status each_record(RecordReader& source, const Take& take)
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

} // namespace wexilum
