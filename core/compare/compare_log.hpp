// What a comparison reports: findings with their places in path and code, and how far off the tool was.
#pragma once

#include "core/compare/expected.hpp"
#include "core/compare/report.hpp"
#include "core/follow/follower.hpp"

#include <string>
#include <vector>

namespace wexilum {

class PathCheck;

class CompareLog {
public:
    /// All must outlive the log. Observers get what is measured.
    CompareLog(const Machine& machine, const ExpectedPath& path, ReplayReport& report, const std::vector<MotionListener*>& observers);
    CompareLog(const CompareLog&) = delete;
    CompareLog& operator=(const CompareLog&) = delete;

    /// The file that the following blocks come from.
    void begin_file(const std::string& name);
    /// `item`: of the path; null: of none. Block 0: of none.
    void find(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure, const Expected* item,
              BlockNumber block, double worst = 0);
    /// How far off a block's end is from a record, or its way from the path between; beyond the budget it is a finding.
    void note_at_record(const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block)
    {
        note(report_.at_records, deviation, budget, item, block);
    }
    void note_between(const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block)
    {
        note(report_.between, deviation, budget, item, block);
    }
    /// Every check adds to the sums.
    [[nodiscard]] ReplayReport& report() { return report_; }
    [[nodiscard]] const std::vector<MotionListener*>& observers() const { return observers_; }
    /// The ratio of deviation to budget that is the largest so far.
    void note_worst(double ratio, const Source& source, BlockNumber block);

    /// The blocks of this file that have moved each joint last, by joint; 0: none.
    [[nodiscard]] const std::vector<BlockNumber>& set_by() const { return set_by_; }
    void note_motion(const ReplayMove& move);
    void note_cuts(const CutRun& run, std::size_t first, std::size_t end);

    [[nodiscard]] const std::vector<const PathCheck*>& checks() const { return checks_; }

private:
    friend class PathCheck;
    void note(Measured& measured, const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block);

    const ExpectedPath& path_;
    ReplayReport& report_;
    std::vector<MotionListener*> observers_;
    std::string code_file_;
    std::vector<BlockNumber> set_by_;
    std::vector<const PathCheck*> checks_;
};

/// Looks at motions of a kind. A check has to say which cuts need no closer look from it; its constructor enters it in the log, so that
/// none can be forgotten.
class PathCheck {
public:
    /// The log must outlive the check, and the check whoever asks the log for its checks.
    explicit PathCheck(CompareLog& log) : log_(log) { log.checks_.push_back(this); }
    virtual ~PathCheck() = default;
    PathCheck(const PathCheck&) = delete;
    PathCheck& operator=(const PathCheck&) = delete;

    /// Whether cuts of which each ends at the path's next record, in time and within its budgets, with its words as far off as rounding
    /// explains, are all right for this check. `common`: what they share; `state`: of the records.
    [[nodiscard]] virtual bool leaves_cuts_plain(const ReplayMove& common, const Expected& state) const = 0;

protected:
    CompareLog& log_; // NOLINT(misc-non-private-member-variables-in-classes): every check reports there
};

[[nodiscard]] inline bool fits(const Deviation& deviation, const Budget& budget)
{
    return deviation.tip <= budget.tip && deviation.axis <= budget.axis;
}

/// A motion with the poses at its ends, in the part's frame.
struct SeenMotion {
    const ReplayMove& move;
    Pose from;
    Pose to;
    Budget budget;                 ///< at a record
    double lever_term = 0;         ///< mm: rotary increments at their levers
    double turn = 0;               ///< rad: the largest way of a rotary joint
    bool stands_for_rapid = false; ///< as in Followed
};

} // namespace wexilum
