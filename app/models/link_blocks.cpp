#include "app/models/link_blocks.hpp"

#include "app/models/selection.hpp"
#include "app/theme/theme.hpp"
#include "core/project/job_run.hpp"

namespace wexilum::app {
namespace {

/// The state that belongs to a finding's kind; waits: it has none.
State state_of(const std::string& kind)
{
    return kind == "beyond-travel" ? State::beyond : kind == "contact" ? State::contact : kind == "too-close" ? State::close : State::waits;
}

} // namespace

void LinkBlocks::read(const JobResults* results, std::size_t operation)
{
    marks_.clear();
    in_code_.clear();
    for (const LinkMark& mark : results != nullptr ? results->posted->run.links : std::vector<LinkMark>()) {
        if (mark.operation == operation) {
            marks_[{mark.list, mark.step}].push_back(mark);
            in_code_.push_back(mark);
        }
    }
}

const LinkMark* LinkBlocks::of(LinkList list, std::size_t step, std::uint32_t line) const
{
    const LinkMark* out = nullptr;
    const auto found = marks_.find({list, step});
    for (std::size_t i = 0; found != marks_.end() && i < found->second.size(); ++i) {
        const LinkMark& mark = found->second[i];
        if (out == nullptr || (line != Selection::none && mark.first <= line)) {
            out = &mark;
        }
    }
    return out;
}

std::optional<std::pair<std::uint32_t, std::uint32_t>> LinkBlocks::of_list(LinkList list, std::size_t steps, int about,
                                                                           std::uint32_t line) const
{
    const LinkMark* middle = nullptr;
    for (std::size_t i = 0; middle == nullptr && i < steps; ++i) {
        middle = of(list, about >= 0 ? (std::size_t(about) + i) % steps : i, line);
    }
    if (middle == nullptr) {
        return std::nullopt;
    }
    std::pair<std::uint32_t, std::uint32_t> out{middle->first, middle->end};
    for (const LinkMark& mark : in_code_) { // those that touch, in the order of the code
        if (mark.list == list && mark.first == out.second && mark.step > middle->step) {
            out.second = mark.end;
        }
    }
    for (auto mark = in_code_.rbegin(); mark != in_code_.rend(); ++mark) {
        if (mark->list == list && mark->end == out.first && mark->step < middle->step) {
            out.first = mark->first;
        }
    }
    return out;
}

QString LinkBlocks::trouble(LinkList list, std::size_t step, const std::vector<FoundAt>& findings, State& state) const
{
    const auto marks = marks_.find({list, step});
    if (marks == marks_.end()) {
        return {};
    }
    for (const FoundAt& found : findings) {
        if (found.finding.severity == Severity::remark || !found.in_posted_code()) {
            continue;
        }
        for (const LinkMark& mark : marks->second) {
            const auto inside = [&](const Place& place) { return place.line > mark.first && place.line <= mark.end; };
            if (inside(found.finding.code) || inside(found.finding.worst_code)) {
                state = state_of(found.finding.kind);
                if (state != State::waits) {
                    return QString::fromLatin1(word_of(state));
                }
                state = found.finding.severity == Severity::error ? State::beyond : State::margin;
                return QString::fromStdString(found.finding.kind).replace(QLatin1Char('-'), QLatin1Char(' '));
            }
        }
    }
    return {};
}

} // namespace wexilum::app
