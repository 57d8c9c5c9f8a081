#include "core/run/code_store.hpp"

#include <algorithm>

namespace wexilum {
namespace {

char lower(char c) { return c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; }

} // namespace

LineTable::LineTable(std::string text) : text_(std::move(text)), starts_{0}
{
    while (starts_.back() < text_.size()) {
        const std::size_t end = text_.find('\n', starts_.back());
        const std::uint64_t next = end == std::string::npos ? text_.size() + 1 : end + 1;
        longest_ = std::max(longest_, std::size_t(next - starts_.back() - 1));
        starts_.push_back(next);
    }
}

void LineTable::add(std::string_view line)
{
    text_ += line;
    text_ += '\n';
    longest_ = std::max(longest_, line.size());
    starts_.push_back(text_.size());
}

std::string_view LineTable::line(std::uint32_t line) const
{
    std::string_view out = std::string_view(text_).substr(starts_[line], starts_[line + 1] - starts_[line] - 1);
    if (!out.empty() && out.back() == '\r') {
        out.remove_suffix(1);
    }
    return out;
}

bool LineTable::holds(std::uint32_t line, std::string_view wanted) const
{
    const std::string_view text = this->line(line);
    return std::search(text.begin(), text.end(), wanted.begin(), wanted.end(), [](char a, char b) { return lower(a) == lower(b); }) !=
           text.end();
}

void CodeStore::link(const RecordIndex& records, const std::vector<AsidePlace>& asides)
{
    records_.clear();
    records_.reserve(sources_.size());
    called_.clear();
    for (const AsidePlace& aside : asides) {
        if (aside.called && aside.count > 0) {
            called_.push_back({aside.first - 1, aside.first - 1 + aside.count});
        }
    }
    std::size_t at = 0;
    auto called = called_.begin();
    for (const Source& source : sources_) {
        const auto line = static_cast<std::uint32_t>(records_.size());
        if (called != called_.end() && line == called->begin) {
            at = 0;
            ++called;
        }
        if (source == no_source) {
            records_.push_back(no_record);
            continue;
        }
        std::size_t found = at;
        while (found < records.size() && !(records.sources[found] == source)) {
            ++found;
        }
        if (found < records.size()) {
            at = found;
        }
        records_.push_back(static_cast<std::uint32_t>(at));
    }
    first_ = static_cast<std::uint32_t>(std::find_if(records_.begin(), records_.end(), [](std::uint32_t r) { return r != no_record; }) -
                                        records_.begin());
    sources_.clear();
    sources_.shrink_to_fit();
}

bool CodeStore::is_called(std::uint32_t line) const
{
    return std::any_of(called_.begin(), called_.end(), [&](const Run& run) { return line >= run.begin && line < run.end; });
}

std::uint32_t CodeStore::first_of(std::uint32_t record, Run run) const
{
    // Lines without a record stand at the beginning and at the end.
    const auto rank = [&](std::uint32_t line) -> std::int64_t {
        return records_[line] != no_record ? std::int64_t(records_[line]) : line < first_ ? -1 : std::int64_t(no_record);
    };
    while (run.begin < run.end) {
        const std::uint32_t middle = run.begin + (run.end - run.begin) / 2;
        if (rank(middle) < std::int64_t(record)) {
            run.begin = middle + 1;
        } else {
            run.end = middle;
        }
    }
    return run.begin;
}

std::uint32_t CodeStore::line_of(std::uint32_t record) const
{
    for (const Run& run : called_) {
        if (records_[run.begin] <= record && record <= records_[run.end - 1]) {
            return first_of(record, run);
        }
    }
    return first_of(record, {0, called_.empty() ? static_cast<std::uint32_t>(records_.size()) : called_.front().begin});
}

} // namespace wexilum
