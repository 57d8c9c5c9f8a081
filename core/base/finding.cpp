#include "core/base/finding.hpp"

#include <algorithm>

namespace wexilum {

const char* name_of(Severity severity)
{
    switch (severity) {
    case Severity::remark: return "remark";
    case Severity::warning: return "warning";
    case Severity::error: return "error";
    }
    return "";
}

Finding Finding::make(Severity severity, std::string kind, std::string message, std::string cure, double worst)
{
    Finding finding;
    finding.severity = severity;
    finding.kind = std::move(kind);
    finding.message = std::move(message);
    finding.cure = std::move(cure);
    finding.worst = worst;
    return finding;
}

namespace {

bool within(std::size_t position, std::size_t last, std::size_t gap) { return position <= last || position - last <= gap; }

} // namespace

void FindingList::add(Finding finding, const std::string& subject, std::size_t position, std::size_t gap)
{
    if (finding.last_source_line == 0) {
        finding.last_source_line = finding.source.line;
    }
    if (finding.last_code_line == 0) {
        finding.last_code_line = finding.code.line;
    }
    const std::string key = finding.kind + "|" + subject;
    const auto open = open_.find(key);
    const bool neighbour = open != open_.end() && within(position, open->second.last, gap);
    Ranges& ranges = ranges_[finding.kind];
    const bool full = ranges.count >= most_ranges;
    finding.worst_source = finding.source;
    finding.worst_code = finding.code;
    if (neighbour || full) {
        Finding& range = list_[open != open_.end() ? open->second.index : ranges.last];
        range.count += finding.count;
        range.severity = std::max(range.severity, finding.severity);
        range.last_source_line = std::max(range.last_source_line, finding.last_source_line);
        range.last_code_line = std::max(range.last_code_line, finding.last_code_line);
        if (finding.worst > range.worst) {
            range.worst = finding.worst;
            range.message = std::move(finding.message);
            range.cure = std::move(finding.cure);
            range.worst_source = finding.worst_source;
            range.worst_code = finding.worst_code;
        }
        if (open != open_.end()) {
            open->second.last = position;
        }
        return;
    }
    ++ranges.count;
    ranges.last = list_.size();
    open_[key] = {list_.size(), position};
    list_.push_back(std::move(finding));
}

bool FindingList::absorb(const char* kind, const std::string& subject, std::size_t position, std::size_t gap, double worst,
                         std::uint32_t source_line, std::uint32_t code_line)
{
    if (list_.empty()) {
        return false;
    }
    const auto open = open_.find(kind + ("|" + subject));
    if (open == open_.end()) {
        return false;
    }
    Finding& range = list_[open->second.index];
    if ((!within(position, open->second.last, gap) && ranges_[kind].count < most_ranges) || worst > range.worst) {
        return false;
    }
    ++range.count;
    range.last_source_line = std::max(range.last_source_line, source_line);
    range.last_code_line = std::max(range.last_code_line, code_line);
    open->second.last = position;
    return true;
}

void FindingList::add_errors_of(const FindingList& other)
{
    const std::size_t own = list_.size();
    for (const Finding& finding : other.list()) {
        const auto same = [&](const Finding& f) {
            return f.kind == finding.kind && f.message == finding.message && f.source.text() == finding.source.text();
        };
        if (finding.severity == Severity::error && std::none_of(list_.begin(), list_.begin() + std::ptrdiff_t(own), same)) {
            list_.push_back(finding);
        }
    }
}

bool FindingList::has_errors() const { return count(Severity::error) > 0; }

std::size_t FindingList::count(Severity severity) const
{
    return static_cast<std::size_t>(std::count_if(list_.begin(), list_.end(), [&](const Finding& f) { return f.severity == severity; }));
}

} // namespace wexilum
