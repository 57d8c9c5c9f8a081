#include "core/compare/expected.hpp"

#include "core/toolpath/arc_piece.hpp"

namespace wexilum {

/// Whether straight cuts come next, which then are at hand.
bool ExpectedPath::run_comes()
{
    if (run_at_ < run_.count) {
        return true;
    }
    run_at_ = 0;
    if (!records_.next_run(run_)) {
        run_.count = 0;
    }
    return run_.count > 0;
}

std::optional<ExpectedPath::Cuts> ExpectedPath::cuts()
{
    if (!window_.empty() || ended_ || !here_ || !run_comes() || run_.surfaces) { // what they do at their surface is looked at one by one
        return std::nullopt;
    }
    return Cuts{&run_, run_at_, run_.count, *here_, &state_};
}

void ExpectedPath::pass_cuts(std::size_t count)
{
    run_at_ += count;
    index_ += count;
    first_ += count;
    here_ = run_.pose(run_at_ - 1);
    surface_ = Vec3::Zero();
}

bool ExpectedPath::read_more()
{
    if (ended_) {
        return false;
    }
    if (run_comes()) {
        record_.source = run_.source(run_at_);
        added_ = false;
        on(record::Linear{run_.pose(run_at_), run_.surface_at(run_at_)});
        ++run_at_;
        ++index_;
        return true;
    }
    auto more = records_.next(record_);
    added_ = records_.inserted();
    if (!more || !*more) {
        status_ = more ? Status() : Status(more.error());
        ended_ = true;
        return false;
    }
    std::visit([&](const auto& r) { on(r); }, record_.data);
    ++index_;
    return true;
}

Expected& ExpectedPath::add(Expected::Kind kind)
{
    Expected& item = window_.emplace_back(state_);
    item.kind = kind;
    item.record = index_;
    item.source = record_.source;
    item.added = added_;
    return item;
}

void ExpectedPath::motion(Expected::Kind kind, const PathPiece& piece)
{
    Expected& item = add(kind);
    item.piece = piece;
    item.surface_from = surface_;
    surface_ = Vec3::Zero();
    item.start_known = here_.has_value();
    here_ = piece.to;
}

void ExpectedPath::on(const record::Rapid& r) { motion(Expected::Kind::rapid, {here_.value_or(r.to), r.to, std::nullopt}); }

void ExpectedPath::on(const record::Linear& r)
{
    // The first motion with a tool has no way of its own, only an end.
    const bool first = !here_;
    motion(first ? Expected::Kind::rapid : Expected::Kind::feed, {here_.value_or(r.to), r.to, std::nullopt});
    window_.back().may_feed = first;
    window_.back().surface_to = surface_ = r.surface;
}

template <Curve T>
void ExpectedPath::on(const T& r)
{
    if (!here_) {
        motion(Expected::Kind::rapid, {r.to, r.to, std::nullopt});
        window_.back().may_feed = true;
        return;
    }
    motion(Expected::Kind::feed, arc_piece(Frame::Identity(), *here_, r));
}

void ExpectedPath::on(const record::CycleStart& r)
{
    const auto plan = plan_cycle(r);
    plan_ = plan.ok() ? std::optional(plan.value()) : std::nullopt;
    const auto feed = r.parameters.find("feed");
    const auto per_rev = r.parameters.find("feed_per_rev");
    cycle_feed_ = feed == r.parameters.end() ? 0 : feed->second;
    cycle_per_rev_ = per_rev == r.parameters.end() ? 0 : per_rev->second;
}

void ExpectedPath::on(const record::CyclePoint& r)
{
    if (!plan_) {
        return;
    }
    motion(Expected::Kind::hole, {r.at, r.at, std::nullopt});
    Expected& item = window_.back();
    item.plan = *plan_;
    here_ = Pose{r.at.tip + r.at.axis * plan_->retreat, r.at.axis};
    if (cycle_per_rev_ > 0) {
        item.feed_mode = FeedMode::per_revolution;
        item.feed = cycle_per_rev_;
    } else if (cycle_feed_ > 0) {
        item.feed_mode = FeedMode::per_minute;
        item.feed = cycle_feed_;
    }
}

void ExpectedPath::on(const record::ToolChange& r)
{
    if (r.number == state_.tool) {
        return;
    }
    const Tool* tool = task_.setup.find_tool(r.number);
    state_.tool = r.number;
    state_.tool_length = tool != nullptr ? tool->length.value_or(0) : 0;
    add(Expected::Kind::tool_change);
    here_.reset();
}

void ExpectedPath::on(const record::Feed& r)
{
    state_.feed_mode = r.mode;
    state_.feed = r.value;
}

void ExpectedPath::on(const record::Spindle& r)
{
    state_.spindle = r.state;
    if (r.state != record::SpindleState::off) {
        state_.spindle_rpm = r.speed_rpm;
    }
}

void ExpectedPath::on(const record::Dwell& r)
{
    const double seconds = !r.revolutions ? r.amount : state_.spindle_rpm > 0 ? r.amount * 60 / state_.spindle_rpm : 0;
    add(Expected::Kind::dwell).dwell = seconds;
}

void ExpectedPath::on(const record::PostureChange& r)
{
    state_.solver = &solvers_.of(r.posture);
    state_.posture = &solvers_.kept(r.posture);
    here_.reset();
    if (r.fitted || !r.by_hand.empty()) {
        add(Expected::Kind::by_hand);
    }
}

} // namespace wexilum
