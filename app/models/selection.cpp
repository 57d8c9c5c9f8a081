#include "app/models/selection.hpp"

#include "app/models/workspace.hpp"
#include "core/project/job_run.hpp"
#include "core/run/code_store.hpp"

#include <algorithm>

namespace wexilum::app {

Selection::Selection(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace)
{
    connect(&workspace, &Workspace::code_changed, this, &Selection::follow_new_code);
    connect(&workspace, &Workspace::job_changed, this, [this] {
        line_ = record_ = none;
        word_ = -1;
        Q_EMIT line_changed();
    });
}

std::optional<std::size_t> Selection::motion() const
{
    const auto& results = workspace_.results();
    return results && results->replayed && line_ != none ? results->replayed->track.motion_at(line_ + 1) : std::nullopt;
}

std::size_t Selection::operation() const
{
    std::size_t out = 0;
    if (workspace_.results() && record_ != none) {
        const auto& operations = workspace_.results()->posted->run.outline.operations;
        for (std::size_t i = 0; i < operations.size(); ++i) {
            out = operations[i].first_record <= record_ ? i : out;
        }
    }
    return out;
}

void Selection::select_line(std::uint32_t line, int word)
{
    const auto& results = workspace_.results();
    if (!results || results->posted->code.lines().size() == 0) {
        return;
    }
    const CodeStore& code = results->posted->code;
    line = std::min(line, code.lines().size() - 1);
    const bool same = line == line_;
    line_ = line;
    word_ = word;
    const std::uint32_t record = code.record_of(line);
    record_ = record == CodeStore::no_record ? none : record;
    if (same) {
        Q_EMIT word_changed();
    } else {
        Q_EMIT line_changed();
    }
}

void Selection::select_record(std::uint32_t record)
{
    const auto& results = workspace_.results();
    if (!results || record >= results->posted->records.size()) {
        return;
    }
    const CodeStore& code = results->posted->code;
    const std::uint32_t line = std::min(code.line_of(record), std::max(code.lines().size(), 1U) - 1);
    // Of the lines of one record the last brings the machine to it.
    std::uint32_t last = line;
    while (last + 1 < code.lines().size() && code.record_of(last + 1) == record) {
        ++last;
    }
    line_ = last;
    word_ = -1;
    record_ = record;
    Q_EMIT line_changed();
}

void Selection::select_word(int word)
{
    word_ = word;
    Q_EMIT word_changed();
}

bool Selection::select_place(const Finding& finding)
{
    const auto& results = workspace_.results();
    if (!results) {
        return false;
    }
    const std::uint32_t code_line = finding.worst_code.line != 0 ? finding.worst_code.line : finding.code.line;
    if (code_line != 0) {
        select_line(code_line - 1);
        return true;
    }
    const Place& place = finding.worst_source.line != 0 ? finding.worst_source : finding.source;
    const auto& files = results->posted->toolpaths;
    const auto& sources = results->posted->records.sources;
    const auto found = std::find_if(sources.begin(), sources.end(), [&](const Source& source) {
        return source.file < files.size() && files[source.file] == place.file && source.line.value >= place.line;
    });
    if (place.line == 0 || found == sources.end()) {
        return false;
    }
    select_record(static_cast<std::uint32_t>(found - sources.begin()));
    return true;
}

void Selection::follow_new_code()
{
    const std::uint32_t lines = workspace_.results()->posted->code.lines().size();
    if (lines == 0) {
        line_ = record_ = none;
        Q_EMIT line_changed();
    } else if (record_ != none && record_ < workspace_.results()->posted->records.size()) {
        select_record(record_);
    } else {
        const std::uint32_t line = line_ == none ? 0 : line_;
        line_ = none;
        select_line(line, word_);
    }
}

std::vector<WordSpan> words_of(std::string_view line, char comment_open, char comment_close)
{
    std::vector<WordSpan> out;
    const auto letter = [](char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); };
    for (std::size_t i = 0; i < line.size();) {
        if (line[i] == comment_open) {
            const std::size_t end = line.find(comment_close, i);
            i = end == std::string_view::npos ? line.size() : end + 1;
        } else if (letter(line[i])) {
            const std::size_t begin = i++;
            while (i < line.size() && line[i] != ' ' && line[i] != comment_open && !letter(line[i])) {
                ++i;
            }
            out.push_back({int(begin), int(i - begin)});
        } else {
            ++i;
        }
    }
    return out;
}

} // namespace wexilum::app
