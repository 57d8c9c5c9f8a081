// Records put aside in binary and read again in the same order.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/record.hpp"

namespace wexilum {

class RecordSpoolWriter {
public:
    explicit RecordSpoolWriter(Spool& spool) : out_(spool) {}
    void put(const Record& record);
    Status flush() { return out_.flush(); }

private:
    SpoolWriter out_;
};

class RecordSpoolReader {
public:
    explicit RecordSpoolReader(Spool& spool) : in_(spool) {}
    /// Puts the next record into `out`; false at the end or after an error of the spool.
    bool next(Record& out);
    [[nodiscard]] const Status& status() const { return in_.status(); }

private:
    SpoolReader in_;
};

} // namespace wexilum
