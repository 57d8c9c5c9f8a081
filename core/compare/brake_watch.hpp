// Brakes of joints that may turn in cuts: where none of an operation's cuts turns anything, they have to be locked.
#pragma once

#include "core/compare/expected.hpp"
#include "core/control/replay_move.hpp"

#include <functional>

namespace wexilum {

/// Follows the cuts of operations and reports joints that stand still in all cuts of one operation without being held by their brakes.
/// What may only be positioned is the control's to judge, motion by motion.
class BrakeWatch {
public:
    /// Called with the joint, the first cut in which it was not held, and the record that was cut.
    using Report = std::function<void(const Joint& joint, const Expected& item, BlockNumber block)>;

    /// The machine must outlive the watch.
    BrakeWatch(const Machine& machine, Report report);
    /// A motion at feed, `item` is what the path has there.
    void cut(const ReplayMove& move, const Expected& item);
    /// Those from `first` to before `end`, all of one operation; `item` is what they share.
    void cuts(const CutRun& run, std::size_t first, std::size_t end, const Expected& item);
    /// The operation has ended.
    void settle();

private:
    [[nodiscard]] bool wanted(std::uint32_t open, const Expected& item);
    void note(std::uint32_t open, const Expected& item, BlockNumber block);

    /// The first cut in which a joint was open.
    struct Open {
        Expected item;
        BlockNumber block;
    };
    const Machine& machine_;
    Report report_;
    std::vector<std::size_t> rotary_;
    std::size_t operation_ = 0;
    bool turned_ = false; ///< a cut of the operation has turned something
    std::uint32_t open_ = 0;
    std::vector<std::optional<Open>> first_; ///< by joint
};

} // namespace wexilum
