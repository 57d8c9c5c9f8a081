// Holds what the simulated control does against the agreed path.
//
// Every record's pose must be reached, in order, by the end of a block; between, the tip has to stay on the record's line or
// arc and the axis on its great circle. Feed motion that belongs to no record is extra; records that no block reaches are
// uncovered. Rapids are links: they must reach the path's own rapid targets, turn rotary joints only while retracted, and move
// sideways only at the higher end of their way; outside the clearance surface of the operation that they lead to they may do both.
// What the run has put into the path (a stop of a rule, a dwell) may not fall into a cut. A loop is done as often as the job's options say.
#pragma once

#include "core/compare/cuts_together.hpp"
#include "core/compare/hole_check.hpp"

#include <optional>

namespace wexilum {

class Comparer final : public MotionListener {
public:
    /// Everything must outlive the comparer. `follower`: the one that it is to listen to; it is told which work the path is at. Observers
    /// get what is measured.
    Comparer(const Task& task, Follower& follower, ExpectedPath& path, ReplayReport& report,
             const std::vector<MotionListener*>& observers = {});

    /// The file that the following blocks come from, for places.
    void begin_file(const std::string& name) { log_.begin_file(name); }

    void moved(const Followed& motion) override;
    void cuts_moved(const FollowedCuts& cuts) override;
    void tool_change(BlockNumber block, std::uint32_t tool) override;
    void dwell(BlockNumber block, double seconds) override;
    void stop(BlockNumber block, bool optional) override;
    void loop(BlockNumber block, double count) override;
    void by_hand(BlockNumber block, std::uint32_t mount, const Readings& readings) override;
    /// After the last block: what is left of the path is uncovered.
    void finish();

private:
    /// From the next motion on all is seen from the work that the path waits for; whether that is another one.
    bool go_over();
    /// A cut of one work by the register of another.
    void check_register(const ReplayMove& move);
    [[nodiscard]] bool inside_cut();
    void check_added(const char* what, BlockNumber block);
    void leave_uncovered(std::size_t from, std::size_t to);
    void leave_uncovered(const Expected& item);

    const Task& task_;
    Follower& follower_;
    CompareLog log_;
    BudgetRule budget_;
    PathPlace place_;
    RecordCheck records_;
    StateCheck states_;
    LinkCheck links_;
    CutCheck cuts_;
    HoleCheck holes_;
    CutsTogether together_;
    std::uint32_t work_ = 0; ///< that the path is at
    bool looped_ = false;
};

} // namespace wexilum
