// Records put aside in binary and read again in the same order.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/linear_run.hpp"

namespace wexilum {

class RecordSpoolReader;

class RecordSpoolWriter {
public:
    explicit RecordSpoolWriter(Spool& spool) : out_(spool) {}
    void put(const Record& record);
    void put(const LinearRun& run);
    Status flush() { return out_.flush(); }

private:
    SpoolWriter out_;
};

class RecordSpoolReader {
public:
    explicit RecordSpoolReader(Spool& spool) : in_(spool) {}
    /// Puts the next record into `out`; false at the end or after an error of the spool.
    bool next(Record& out);
    /// Passes a whole run that comes next; false where something else comes, or a run has been begun by next().
    bool next_run(LinearRun& out);
    [[nodiscard]] const Status& status() const { return in_.status(); }

private:
    /// What stands before a record or a run.
    struct Head {
        std::uint32_t file;
        std::uint32_t line; ///< of a run: how many records it has
        std::uint32_t kind;
    };
    friend class RecordSpoolWriter;
    static constexpr std::uint32_t run_kind = UINT32_MAX;
    static constexpr std::uint32_t surfaces_kind = UINT32_MAX - 1; ///< a run with normals
    [[nodiscard]] bool is_run() const { return head_->kind == run_kind || head_->kind == surfaces_kind; }
    bool read_head();
    void read_run(LinearRun& out);

    SpoolReader in_;
    std::optional<Head> head_; ///< of what comes next, where it has been read
    LinearRun run_;            ///< that next() has begun
    std::size_t run_at_ = 0;
};

} // namespace wexilum
