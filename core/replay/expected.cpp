#include "core/replay/expected.hpp"

#include "core/toolpath/arc_piece.hpp"

namespace wexilum {
namespace {

class Builder {
public:
    explicit Builder(const Assembly& assembly) : a_(assembly) {}

    std::vector<Expected> build()
    {
        for (index_ = 0; index_ < a_.toolpath.records.size(); ++index_) {
            std::visit([&](const auto& r) { on(r); }, a_.toolpath.records[index_].data);
        }
        return std::move(out_);
    }

private:
    Expected& add(Expected::Kind kind)
    {
        Expected item = state_;
        item.kind = kind;
        item.record = index_;
        item.source = a_.toolpath.records[index_].source;
        out_.push_back(std::move(item));
        return out_.back();
    }

    void motion(Expected::Kind kind, const PathPiece& piece)
    {
        Expected& item = add(kind);
        item.piece = piece;
        item.start_known = here_.has_value();
        here_ = piece.to;
    }

    void on(const record::From&) {} // only says where the tool is thought to stand
    void on(const record::Rapid& r) { motion(Expected::Kind::rapid, {here_.value_or(r.to), r.to, std::nullopt}); }
    void on(const record::Linear& r)
    {
        // The first motion with a tool has no way of its own, only an end.
        motion(here_ ? Expected::Kind::feed : Expected::Kind::rapid, {here_.value_or(r.to), r.to, std::nullopt});
    }
    void on(const record::Circular& r)
    {
        if (!here_) {
            motion(Expected::Kind::rapid, {r.to, r.to, std::nullopt});
            return;
        }
        motion(Expected::Kind::feed, arc_piece(Frame::Identity(), *here_, r));
    }
    void on(const record::CycleStart& r)
    {
        const auto plan = plan_cycle(r);
        plan_ = plan.ok() ? std::optional(plan.value()) : std::nullopt;
        const auto feed = r.parameters.find("feed");
        const auto per_rev = r.parameters.find("feed_per_rev");
        cycle_feed_ = feed == r.parameters.end() ? 0 : feed->second;
        cycle_per_rev_ = per_rev == r.parameters.end() ? 0 : per_rev->second;
    }
    void on(const record::CyclePoint& r)
    {
        if (!plan_) {
            return;
        }
        motion(Expected::Kind::hole, {r.at, r.at, std::nullopt});
        Expected& item = out_.back();
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
    void on(const record::CycleEnd&) { plan_.reset(); }
    void on(const record::ToolChange& r)
    {
        if (r.number == state_.tool) {
            return;
        }
        const Tool* tool = a_.setup.find_tool(r.number);
        state_.tool = r.number;
        state_.tool_length = tool != nullptr ? tool->length.value_or(0) : 0;
        add(Expected::Kind::tool_change);
        here_.reset();
    }
    void on(const record::Feed& r)
    {
        state_.feed_mode = r.mode;
        state_.feed = r.value;
    }
    void on(const record::Spindle& r)
    {
        state_.spindle = r.state;
        if (r.state != record::SpindleState::off) {
            state_.spindle_rpm = r.speed_rpm;
        }
    }
    void on(const record::Coolant& r) { state_.coolant = r.state; }
    void on(const record::Stop&) { add(Expected::Kind::stop); }
    void on(const record::OptionalStop&) { add(Expected::Kind::optional_stop); }
    void on(const record::Dwell& r)
    {
        const double seconds = !r.revolutions ? r.amount : state_.spindle_rpm > 0 ? r.amount * 60 / state_.spindle_rpm : 0;
        add(Expected::Kind::dwell).dwell = seconds;
    }
    template <typename T>
    void on(const T&) // names, comments, inserted text, unknown words: nothing that moves
    {}

    const Assembly& a_;
    std::vector<Expected> out_;
    Expected state_;
    std::size_t index_ = 0;
    std::optional<Pose> here_;
    std::optional<CyclePlan> plan_;
    double cycle_feed_ = 0;
    double cycle_per_rev_ = 0;
};

} // namespace

double Expected::seconds(double length, double whole_length) const
{
    switch (feed_mode) {
    case FeedMode::per_minute: return feed > 0 ? length / feed : 0;
    case FeedMode::per_revolution: return feed > 0 && spindle_rpm > 0 ? length / (feed * spindle_rpm / 60) : 0;
    case FeedMode::inverse_time: return feed > 0 && whole_length > 0 ? length / whole_length / feed : 0;
    }
    return 0;
}

std::vector<Expected> expected_path(const Assembly& assembly) { return Builder(assembly).build(); }

} // namespace wexilum
