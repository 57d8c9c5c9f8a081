// A program in memory with the record behind each line, and the records of a run with where each was written: what is kept of a run
// that somebody looks at. Compact, because programs of millions of blocks are kept so.
#pragma once

#include "core/dialect/aside_place.hpp"
#include "core/toolpath/code_sink.hpp"
#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/record_source.hpp"

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

/// Text by line; lines count from 0 and have no line end ("\r" before it is cut as well).
class LineTable {
public:
    LineTable() : starts_{0} {}
    /// Splits a text. A last line end begins no further line.
    explicit LineTable(std::string text);
    void add(std::string_view line);

    [[nodiscard]] std::uint32_t size() const { return static_cast<std::uint32_t>(starts_.size() - 1); }
    /// Precondition: line < size(). The view lives until the next add().
    [[nodiscard]] std::string_view line(std::uint32_t line) const;
    [[nodiscard]] const std::string& text() const { return text_; }
    /// Whether a line holds a text; letters match in either case. Precondition: line < size().
    [[nodiscard]] bool holds(std::uint32_t line, std::string_view wanted) const;
    /// Characters of the longest line.
    [[nodiscard]] std::size_t longest() const { return longest_; }

private:
    std::string text_;
    std::vector<std::uint64_t> starts_; ///< of each line, and one past the last line end
    std::size_t longest_ = 0;
};

/// Where each record of a job was written, and what it is.
struct RecordIndex {
    std::vector<Source> sources;
    std::vector<std::uint8_t> kinds; ///< index into RecordData
    [[nodiscard]] std::size_t size() const { return sources.size(); }
};

/// Hands records on and notes them.
class NotedRecords final : public RecordSource {
public:
    /// Both must outlive the source.
    NotedRecords(RecordSource& records, RecordIndex& index) : records_(records), index_(index) {}
    Result<bool> next(Record& out) override
    {
        auto more = records_.next(out);
        if (more && *more) {
            index_.sources.push_back(out.source);
            index_.kinds.push_back(static_cast<std::uint8_t>(out.data.index()));
        }
        return more;
    }
    bool next_run(LinearRun& out) override
    {
        const bool more = records_.next_run(out);
        for (std::size_t i = 0; i < out.count; ++i) {
            index_.sources.push_back(out.source(i));
            index_.kinds.push_back(static_cast<std::uint8_t>(RecordData(record::Linear()).index()));
        }
        return more;
    }
    [[nodiscard]] const std::vector<std::string>& files() const override { return records_.files(); }

private:
    RecordSource& records_;
    RecordIndex& index_;
};

/// The program of a run, line by line.
class CodeStore final : public CodeSink {
public:
    static constexpr std::uint32_t no_record = UINT32_MAX;

    void line(std::string_view text, const Source& source) override
    {
        lines_.add(text);
        sources_.push_back(source);
    }
    /// Finds the record behind each line. Both follow the same order, so each is looked for from the one before on; called lines are
    /// looked for from the first record on.
    void link(const RecordIndex& records, const std::vector<AsidePlace>& asides = {});

    [[nodiscard]] const LineTable& lines() const { return lines_; }
    /// Position of the record that a line (from 0) was written for; no_record where none was. Precondition: link()ed.
    [[nodiscard]] std::uint32_t record_of(std::uint32_t line) const { return records_[line]; }
    /// The first line (from 0) written for a record or, where it has none, for the next that has; lines().size() behind the last. Of a
    /// record whose lines are called from elsewhere: among those.
    [[nodiscard]] std::uint32_t line_of(std::uint32_t record) const;
    /// Whether a line stands apart from the order of the records, to be called.
    [[nodiscard]] bool is_called(std::uint32_t line) const;

private:
    LineTable lines_;
    std::vector<Source> sources_; ///< until they are linked
    /// Lines [begin, end) in the order of their records.
    struct Run {
        std::uint32_t begin = 0;
        std::uint32_t end = 0;
    };
    [[nodiscard]] std::uint32_t first_of(std::uint32_t record, Run run) const;

    std::vector<std::uint32_t> records_;
    std::vector<Run> called_; ///< rising
    std::uint32_t first_ = 0; ///< line that has a record
};

} // namespace wexilum
