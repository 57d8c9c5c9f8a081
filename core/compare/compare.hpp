// Holds what the simulated control does against the agreed path.
//
// Every record's pose must be reached, in order, by the end of a block; between, the tip has to stay on the record's line or
// arc and the axis on its great circle. Feed motion that belongs to no record is extra; records that no block reaches are
// uncovered. Rapids are links: they must reach the path's own rapid targets, turn rotary joints only while retracted, and move
// sideways only at the higher end of their way; outside the clearance surface of the operation that they lead to they may do both.
// What the run has put into the path (a stop of a rule, a dwell) may not fall into a cut. A loop is done as often as the job's options say.
#pragma once

#include "core/compare/brake_watch.hpp"
#include "core/compare/budget.hpp"
#include "core/compare/expected.hpp"
#include "core/compare/report.hpp"
#include "core/follow/follower.hpp"
#include "core/path/kerf.hpp"

#include <functional>
#include <memory>
#include <optional>
#include <vector>

namespace wexilum {

class Comparer final : public MotionListener {
public:
    /// Everything must outlive the comparer. `follower`: the one that it is to listen to. `observer` is told what is measured; may be null.
    Comparer(const Task& task, const Follower& follower, ExpectedPath& path, ReplayReport& report, MotionListener* observer = nullptr);
    ~Comparer() override;
    Comparer(const Comparer&) = delete;
    Comparer& operator=(const Comparer&) = delete;

    /// The file that the following blocks come from, for places.
    void begin_file(const std::string& name);

    void moved(const Followed& motion) override;
    void cuts_moved(const FollowedCuts& cuts) override;
    void tool_change(BlockNumber block, std::uint32_t tool) override;
    void dwell(BlockNumber block, double seconds) override;
    void stop(BlockNumber block, bool optional) override;
    void loop(BlockNumber block, double count) override;
    void by_hand(BlockNumber block, std::uint32_t mount, const Readings& readings) override;
    void program_end(BlockNumber block) override;
    /// After the last block: what is left of the path is uncovered.
    void finish();

private:
    /// A motion with the poses at its ends, in the part's frame.
    struct Seen {
        const ReplayMove& move;
        Pose from;
        Pose to;
        Budget budget;                 ///< at a record
        double lever_term = 0;         ///< mm: rotary increments at their levers
        double turn = 0;               ///< rad: the largest way of a rotary joint
        bool stands_for_rapid = false; ///< as in Followed
    };
    /// A hole being drilled.
    struct Hole {
        bool fed = false;
        double deepest = 0;
        double dwell = 0;
        bool complete = false;
        BlockNumber fed_by; ///< the last block that fed in it
    };

    [[nodiscard]] Seen see(const Followed& motion);
    using Chain = Follower::Chain;
    [[nodiscard]] const Chain& chain(std::uint32_t mount) const { return follower_.chain(mount); }
    [[nodiscard]] Pose pose_of(std::uint32_t mount, const Readings& readings, double tool_length) const
    {
        return follower_.pose_of(mount, readings, tool_length);
    }
    [[nodiscard]] Pose pose_at(const ReplayMove& move, double u) const { return follower_.pose_at(move, u); }
    /// The block that last moved the joint which is furthest from where `wanted` needs it: the likeliest wrong word.
    [[nodiscard]] BlockNumber blame(const ReplayMove& move, const std::vector<BlockNumber>& set_by, const InverseSolver& solver,
                                    const Pose& wanted);
    [[nodiscard]] std::optional<Readings> exact_readings(const InverseSolver& solver, const Pose& wanted, double tool_length,
                                                         const Readings& near);
    [[nodiscard]] Readings allowed_misfit(const ReplayMove& move, double lever_term) const;
    [[nodiscard]] double lever_term(const Chain& chain, const Readings& levers) const;
    void check_after_end(const Seen& seen);
    void tell_strayed();
    [[nodiscard]] bool inside_cut();
    void check_added(const char* what, BlockNumber block);
    void check_kerf(const Seen& seen);
    void miss_posture(const ReplayMove& move);
    void check_parked(const ReplayMove& move);
    [[nodiscard]] const Expected* current() { return path_.at(next_); }

    // Links.
    void rapid(const Seen& seen);
    void check_link(const Seen& seen);
    void check_across(const Seen& seen);
    void check_bent(const Seen& seen, const Vec3& out, double level);
    void check_deep(const Seen& seen);
    [[nodiscard]] double front_along(const Vec3& axis, double otherwise) const;
    void take_front(const Pose& at);
    [[nodiscard]] bool stays_clear(const Seen& seen);
    [[nodiscard]] Vec3 out_of_work(const ReplayMove& move, const Pose& from) const;
    bool match_rapid(const Seen& seen);
    void miss_rapids();

    // Cuts.
    void cut(const Seen& seen);
    bool look_ahead(const Seen& seen);
    bool nearly_reached(const Seen& seen);
    void pass_tiny(const Seen* seen);
    [[nodiscard]] double place_by_time(const Seen& seen, const Expected& item, double s, double& reach);
    void sample(const Seen& seen, const Expected& item, bool to_the_end);
    bool goes_round(const Seen& seen, const Expected& item);
    bool standing_turn(const Seen& seen, const Expected& item);
    void check_feed(const Seen& seen, const Expected& item, double s0, double s1);
    void check_state(const Seen& seen, const Expected& item);
    [[nodiscard]] bool spindle_differs(const ReplayMove& move, const Expected& item) const;
    [[nodiscard]] bool coolant_differs(const ReplayMove& move, const Expected& item) const;
    void check_rotary_words(const Seen& seen, const Expected& item, double s, double reach);
    void check_centre(const Seen& seen, const Expected& item);
    void extra(const Seen& seen);

    // Many cuts at once.
    struct Along;
    std::size_t cuts_along(const FollowedCuts& cuts, std::size_t first, std::size_t count);
    void follow(const InverseSolver& solver);
    [[nodiscard]] std::size_t words_along(const ExpectedPath::Cuts& items, double tool_length, std::size_t count);
    void middles_along(const FollowedCuts& cuts, std::size_t first, std::size_t end);
    void compare_ends(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end);
    void compare_middles(const FollowedCuts& cuts, std::size_t first, std::size_t end);
    void compare_feeds(const CutRun& run, const Expected& state, std::size_t first, std::size_t end);
    void compare_words(const CutRun& run, const InverseSolver& solver, std::size_t item, std::size_t first, std::size_t end);
    void note_along(const FollowedCuts& cuts, const ExpectedPath::Cuts& items, std::size_t first, std::size_t end);

    // Holes.
    bool hole(const Seen& seen);
    [[nodiscard]] bool comes_from_afar(const Seen& seen, const Expected& item) const;
    void check_level(const Seen& seen, const Expected& item, double height);
    [[nodiscard]] std::optional<std::size_t> away_joint();
    [[nodiscard]] bool retracted(const Readings& readings);
    void hole_rapid(const Seen& seen, const Expected& item, double h0, double h1);
    void hole_feed(const Seen& seen, const Expected& item, double h0, double h1);
    void leave_hole(const Seen& seen, const Expected& item);

    void reached(const Seen& seen, const Expected& item, const Deviation& deviation);
    void advance(const Pose& at);
    void uncovered(std::size_t from, std::size_t to);
    void leave_unfinished();
    void note(Measured& measured, const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block);
    [[nodiscard]] static bool within(const Deviation& deviation, const Budget& budget);
    void find(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure, const Expected* item,
              BlockNumber block, double worst = 0);

    const Task& task_;
    const Follower& follower_;
    ExpectedPath& path_;
    std::string code_file_;
    ReplayReport& report_;
    MotionListener* observer_; ///< may be null
    BudgetRule budget_;
    KerfWatch kerf_;
    BrakeWatch brakes_;
    std::optional<double> loops_; ///< how often the job's options want its loop done; none: they do not say
    bool looped_ = false;
    PoseMap in_work_; ///< from the part's frame to the work mount's
    BranchFollower branches_;
    const InverseSolver* followed_ = nullptr; ///< whose branches_ are
    std::size_t next_ = 0;
    double progress_ = 0;           // along the current feed piece, by the tip
    double progress_place_ = 0;     // the same by time, where that is finer
    double progress_reach_ = 0;     // mm: how far off that may be, by the feed words of all its blocks
    bool progress_exact_ = true;    // every block of this piece so far told its place by its time
    BlockNumber progress_block_;    // the block that last moved along it
    Deviation progress_short_;      // how far its end was from the piece's end
    std::optional<Pose> link_from_; // the last pose of the path that was reached; nothing after a tool change
    std::optional<Hole> hole_;
    const Posture* checked_posture_ = nullptr;
    std::optional<double> front_; ///< mm: how far along the tool the path has come since posture or direction changed
    Vec3 front_axis_ = Vec3::Zero();
    // The rapid of this link that came nearest to the target now waited for.
    double nearest_ = 0;
    std::optional<ReplayMove> nearest_move_;
    std::vector<BlockNumber> nearest_set_; // last_set_ at that time
    bool any_rapid_ = false;
    std::vector<BlockNumber> last_set_; // by joint
    std::vector<BlockNumber> strayed_;  // by joint: the rapid behind the last record that has left it away from home; 0: none
    std::unique_ptr<Along> along_;      ///< null until cuts have come together

    static constexpr double same_direction = 1 - 5e-9; ///< cosine
    static constexpr double small_turn = 0.02;         ///< rad: of a motion that needs to be looked at in its middle only
    static constexpr double shortest_timed = 0.01;     ///< mm
    static constexpr double allowed_share = 1.02;      ///< of half an increment that a word may be off
};

} // namespace wexilum
