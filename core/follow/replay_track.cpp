#include "core/follow/replay_track.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double joined = 1e-6;       // mm: the tip stands where it stood
const double chord_turn = to_rad(4);  // of an arc, for the eye
const double rotary_step = to_rad(5); // of a rotary joint, likewise
constexpr int most_chords = 256;

/// Chords for the eye along a motion.
int chords_of(const ReplayMove& move, const std::vector<bool>& rotary)
{
    double turn = 0;
    if (move.arc) {
        turn = move.arc->sweep / chord_turn;
    }
    for (std::size_t i = 0; i < rotary.size(); ++i) {
        if (rotary[i]) {
            turn = std::max(turn, std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) / rotary_step);
        }
    }
    return std::clamp(static_cast<int>(std::ceil(std::min(turn, 1e6))), 1, most_chords);
}

} // namespace

float ReplayTrack::Measure::ratio() const
{
    return tip < 0 ? 0 : std::max(tip_budget > 0 ? tip / tip_budget : 0, axis_budget > 0 ? axis / axis_budget : 0);
}

ReplayTrack::ReplayTrack(const Machine& machine) : joints_(machine.joints.size()), home_(machine.home())
{
    for (std::size_t i = 0; i < joints_; ++i) {
        rotary_.push_back(machine.joints[i].kind == JointKind::rotary);
        low_.push_back(home_[Eigen::Index(i)]);
        high_.push_back(home_[Eigen::Index(i)]);
    }
}

void ReplayTrack::add_point(const Vec3& at, bool begins)
{
    if (begins) {
        begins_.push_back(static_cast<std::uint32_t>(points_.size()));
    }
    points_.push_back({{float(at.x()), float(at.y()), float(at.z())}, static_cast<std::uint32_t>(motions_.size())});
}

void ReplayTrack::moved(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    const bool first = motion.by.work() == 0;
    // All works are drawn as the first of them sees the tool.
    const auto tip_at = [&](double u) {
        return first ? motion.at(u).tip : motion.by.pose_at_work(0, move.mount, move.at(u), move.tool_length).tip;
    };
    const Vec3 from = first ? motion.from.tip : tip_at(0);
    const auto& last = points_.empty() ? std::array<float, 3>{} : points_.back().at;
    const Vec3 stood(last[0], last[1], last[2]);
    // Points are kept in single precision.
    if (points_.empty() || (stood - from).norm() > joined + 1e-6 * from.cwiseAbs().maxCoeff()) {
        add_point(from, true);
    }
    const int chords = chords_of(move, rotary_);
    for (int i = 1; i < chords; ++i) {
        add_point(tip_at(double(i) / chords), false);
    }
    add_point(first ? motion.to.tip : tip_at(1), false);
    for (std::size_t i = 0; i < joints_; ++i) {
        const double reading = move.to[Eigen::Index(i)];
        readings_.push_back(reading);
        low_[i] = std::min(low_[i], reading);
        high_[i] = std::max(high_[i], reading);
    }
    lengths_.push_back(static_cast<float>(move.tool_length));
    steps_.push_back(move.called_by.value != 0 ? move.called_by.value : move.block.value);
    if (move.called_by.value != 0) {
        called_[move.block.value] = static_cast<std::uint32_t>(motions_.size());
    }
    const auto rate = static_cast<float>(move.seconds > 0 ? 1 / move.seconds : 0);
    motions_.push_back({move.block.value,
                        move.tool,
                        move.feed && !motion.stands_for_rapid(),
                        static_cast<std::uint32_t>(points_.size() - 1),
                        {static_cast<float>(move.waited), static_cast<float>(move.seconds), rate, 0, false, false}});
}

void ReplayTrack::measured(BlockNumber block, const Deviation& deviation, const Budget& budget)
{
    if (block.value >= measures_.size()) {
        measures_.resize(std::max<std::size_t>(block.value + 1, measures_.size() + measures_.size() / 2));
    }
    Measure next{static_cast<float>(deviation.tip), static_cast<float>(deviation.axis), static_cast<float>(budget.tip),
                 static_cast<float>(budget.axis)};
    Measure& kept = measures_[block.value];
    if (kept.tip < 0 || next.ratio() > kept.ratio()) {
        kept = next;
    }
}

Readings ReplayTrack::readings(std::size_t motion) const
{
    Readings out = Readings::Zero(Eigen::Index(joints_));
    std::copy_n(readings_.data() + motion * joints_, joints_, out.data());
    return out;
}

std::optional<std::size_t> ReplayTrack::motion_at(std::uint32_t block) const
{
    if (const auto found = called_.find(block); found != called_.end()) {
        return found->second;
    }
    const auto after = std::upper_bound(steps_.begin(), steps_.end(), block);
    return after == steps_.begin() ? std::nullopt : std::optional(std::size_t(after - steps_.begin()) - 1);
}

bool ReplayTrack::begins(std::size_t point) const
{
    return std::binary_search(begins_.begin(), begins_.end(), static_cast<std::uint32_t>(point));
}

} // namespace wexilum
