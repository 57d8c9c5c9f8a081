// Reads records ahead on a thread of its own, or on the reader's where none is to be had.
#pragma once

#include "core/base/hand_over.hpp"
#include "core/toolpath/record_source.hpp"

#include <exception>

namespace wexilum {

class RecordsAhead final : public RecordSource {
public:
    /// `source` must outlive the object, and is not to be touched by others until next() has said that there is no more, or the object
    /// is gone; but its files() must be readable meanwhile.
    explicit RecordsAhead(RecordSource& source);
    ~RecordsAhead() override;
    RecordsAhead(const RecordsAhead&) = delete;
    RecordsAhead& operator=(const RecordsAhead&) = delete;
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;
    [[nodiscard]] const std::vector<std::string>& files() const override { return source_.files(); }

private:
    struct Batch {
        std::vector<Record> records;
        std::size_t count = 0;       ///< of the records that hold something
        std::vector<LinearRun> runs; ///< what follows them
        std::size_t run_count = 0;   ///< of the runs that hold something
        Status end;                  ///< of the last batch
    };
    void read();
    void read_batches();
    bool ready();

    RecordSource& source_;
    HandOver<Batch> batches_{8};
    Batch batch_;
    std::size_t at_ = 0;        ///< in its records
    std::size_t run_ = 0;       ///< among its runs
    std::size_t run_at_ = 0;    ///< in that run
    std::exception_ptr thrown_; ///< in the thread, for whoever reads the last record
    std::thread thread_;
    bool alone_ = false; ///< there is no thread
};

} // namespace wexilum
