// The two passes of a run: reading, with the outline and the choice over the whole path, and writing. Private to core/run.
#pragma once

#include "core/events/native_events.hpp"
#include "core/path/read_pass.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/records_ahead.hpp"

#include <memory>
#include <optional>

namespace wexilum {

/// Keeps nothing of the code.
class Nowhere final : public CodeSink {
public:
    void line(std::string_view, const Source&) override {}
};

class RunPasses {
public:
    /// All must outlive the passes; `watch` may be null. With a pass that an earlier run of the same inputs has read, read() has nothing
    /// to do, and the source is not touched.
    RunPasses(const Assembly& assembly, RecordSource& source, int threads, RunWatch* watch, std::shared_ptr<ReadPass> pass = nullptr);
    ~RunPasses();
    RunPasses(const RunPasses&) = delete;
    RunPasses& operator=(const RunPasses&) = delete;

    Status read(Scratch& scratch);
    /// Precondition: read() went well. With a probe it ends where the probe has seen its line, or has its answer.
    Status write(CodeSink& sink, EventProbe* probe);
    /// write() fills `counts`.
    void count_rule_lines(RuleLineCounts& counts) { counts_ = &counts; }
    [[nodiscard]] RunSummary take() { return std::move(out_); }
    [[nodiscard]] const std::shared_ptr<ReadPass>& pass() const { return pass_; }

private:
    void note_operation(const Record& record, std::uint32_t lines);
    [[nodiscard]] RecordSource& records() { return ahead_ ? static_cast<RecordSource&>(*ahead_) : agreed_; }
    void report_leans();
    /// Where the probe's line is one that has been kept aside, the probe has to watch for it there.
    Status find_aside(EventProbe& probe);

    const Assembly& a_;
    AgreedRecords agreed_;
    std::optional<RecordsAhead> ahead_;
    int threads_;
    RunWatch* watch_;
    std::shared_ptr<ReadPass> pass_;
    bool read_ = false; ///< the pass was there
    RuleLineCounts* counts_ = nullptr;
    RunSummary out_;
};

} // namespace wexilum
