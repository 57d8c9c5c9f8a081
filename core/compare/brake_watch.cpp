#include "core/compare/brake_watch.hpp"

#include "core/control/block_words.hpp"

#include <bit>
#include <cmath>

namespace wexilum {

BrakeWatch::BrakeWatch(const Machine& machine, Report report) : machine_(machine), report_(std::move(report)), first_(machine.joints.size())
{
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        if (machine.joints[i].kind == JointKind::rotary) {
            rotary_.push_back(i);
        }
    }
}

/// Whether there is anything to look at in a cut.
bool BrakeWatch::wanted(std::uint32_t open, const Expected& item)
{
    if (item.operations != operation_) {
        settle();
        operation_ = item.operations;
    }
    return !turned_ && open != 0;
}

void BrakeWatch::cut(const ReplayMove& move, const Expected& item)
{
    if (!wanted(move.open_brakes, item)) {
        return;
    }
    for (const std::size_t joint : rotary_) {
        turned_ = turned_ || std::abs(move.to[Eigen::Index(joint)] - move.from[Eigen::Index(joint)]) > standing;
    }
    note(move.open_brakes, item, move.block);
}

void BrakeWatch::cuts(const CutRun& run, std::size_t first, std::size_t end, const Expected& item)
{
    if (!wanted(run.common.open_brakes, item)) {
        return;
    }
    for (const std::size_t joint : rotary_) {
        for (std::size_t at = first; at < end && !turned_; ++at) {
            turned_ = std::abs(run.to[joint][at] - run.from(joint, at)) > standing;
        }
    }
    note(run.common.open_brakes, item, run.block[first]);
}

void BrakeWatch::note(std::uint32_t open, const Expected& item, BlockNumber block)
{
    for (std::uint32_t bits = open & ~open_; bits != 0; bits &= bits - 1) {
        first_[std::size_t(std::countr_zero(bits))] = Open{item, block};
    }
    open_ |= open;
}

void BrakeWatch::settle()
{
    for (std::uint32_t bits = turned_ ? 0 : open_; bits != 0; bits &= bits - 1) {
        const auto joint = std::size_t(std::countr_zero(bits));
        if (machine_.joints[joint].moves_while_cutting) {
            report_(machine_.joints[joint], first_[joint]->item, first_[joint]->block);
        }
    }
    turned_ = false;
    open_ = 0;
}

} // namespace wexilum
