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

void CodeStore::link(const RecordIndex& records)
{
    records_.clear();
    records_.reserve(sources_.size());
    std::size_t at = 0;
    for (const Source& source : sources_) {
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

std::uint32_t CodeStore::line_of(std::uint32_t record) const
{
    // Lines without a record stand at the beginning and at the end.
    const auto rank = [&](std::uint32_t line) -> std::int64_t {
        return records_[line] != no_record ? std::int64_t(records_[line]) : line < first_ ? -1 : std::int64_t(no_record);
    };
    std::uint32_t low = 0;
    std::uint32_t high = static_cast<std::uint32_t>(records_.size());
    while (low < high) {
        const std::uint32_t middle = low + (high - low) / 2;
        if (rank(middle) < std::int64_t(record)) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

} // namespace wexilum
