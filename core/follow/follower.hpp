// Turns the motions of a control into poses of the tool, for any tool mount and work mount, without a job.
#pragma once

#include "core/control/happening.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/machine/kinematics.hpp"
#include "core/setup/setup.hpp"

#include <optional>
#include <vector>

namespace wexilum {

class Follower;

/// A motion with the poses at its ends, in the part's frame.
struct Followed {
    const Follower& by;
    const ReplayMove& move;
    Pose from;
    Pose to;
    Readings levers; ///< at its end: from the tip to the axis of each rotary joint of the chain, mm; 0 for the others
    double turn = 0; ///< rad: the largest way of a rotary joint of the chain that the control moves

    /// The pose at fraction u of the motion.
    [[nodiscard]] Pose at(double u) const;
    /// Whether a motion at feed is one that would be a rapid, did the control go straight in rapids: it goes as fast as the control can,
    /// and in rapid its joints would leave the straight way.
    [[nodiscard]] bool stands_for_rapid() const;
};

/// Cuts that follow one another, likewise.
struct FollowedCuts {
    const Follower& by;
    const CutRun& run;
    Pose from;            ///< where the first of them begins
    bool goes_on = false; ///< that is where the motion before ended, with the same tool and mount
    const PoseRun& to;    ///< at their ends, with the levers of rotary joints of the chain
    const Column& turn;

    /// One of them by itself. `move`: run.move(i); it must outlive what is returned.
    [[nodiscard]] Followed cut(const ReplayMove& move, std::size_t i) const;
};

/// Gets a control's motions with their poses, and everything else that happens unchanged.
class MotionListener : public ReplaySink {
public:
    void move(const ReplayMove& /*move*/) final {}
    void cuts(const CutRun& /*run*/) final {}
    virtual void moved(const Followed& motion) = 0;
    /// The same as moved() for each of them.
    virtual void cuts_moved(const FollowedCuts& cuts);
    /// Where somebody compares: how far the tool was from the path because of a block, and how far it may be.
    virtual void measured(BlockNumber /*block*/, const Deviation& /*deviation*/, const Budget& /*budget*/) {}
};

class Follower {
public:
    /// `part`: the part's frame seen from the machine's first work mount. An Error of kind value where the machine lacks a tool mount or a
    /// work mount. The machine must outlive the follower.
    static Result<Follower> make(const Machine& machine, const Frame& part);
    /// For the works of a setup, of which the first is followed. An Error too where the machine lacks the mount of one.
    static Result<Follower> make(const Machine& machine, const Setup& setup);

    /// Listeners are called in the order in which they are added; they must outlive the follower's use.
    void add(MotionListener& listener) { listeners_.push_back(&listener); }
    void take(const Happening& happening);

    /// From the next motion on, poses are seen from this part: a work by its place in the setup.
    void follow_work(std::uint32_t work) { next_work_ = work; }
    /// The motion that came last, from the work that is to be followed next.
    [[nodiscard]] Followed seen_again(const ReplayMove& move);
    /// The work that the last motion was seen from.
    [[nodiscard]] std::uint32_t work() const { return work_; }

    /// The machine with one of its tool mounts and what holds the work, everything in it free.
    struct Chain {
        Kinematics kinematics;
        std::vector<JointIndex> turning; ///< rotary joints that the control moves
    };
    /// Of the work that is followed. Precondition: a tool mount.
    [[nodiscard]] const Chain& chain(std::uint32_t mount) const { return *chains_[work_][mount]; }
    /// Part's frame. `levers` may be null; otherwise as in Kinematics.
    [[nodiscard]] Pose pose_of(std::uint32_t mount, const Readings& readings, double tool_length, Readings* levers = nullptr) const;
    /// The same in the frame of another part.
    [[nodiscard]] Pose pose_at_work(std::uint32_t work, std::uint32_t mount, const Readings& readings, double tool_length) const;
    /// Along a tool; up, where it is a blade that stands along its cut. Frame of the part of a work.
    [[nodiscard]] Vec3 out_of_work(std::uint32_t work, std::uint32_t mount, const Readings& readings, const Pose& pose) const;
    /// The corners of the tip's way, beginning and end among them: what joints that go each at their own speed make of a straight one.
    /// Precondition: no rotary joint moves.
    [[nodiscard]] std::vector<Vec3> corners(const ReplayMove& move, bool together) const;
    [[nodiscard]] Pose pose_at(const ReplayMove& move, double u) const { return pose_of(move.mount, move.at(u), move.tool_length); }
    /// The same for many readings by joint, from `first` to before `end`; as Kinematics::poses_along().
    void poses_along(std::uint32_t mount, const std::vector<Column>& readings, std::size_t first, std::size_t end, double tool_length,
                     bool levers, PoseRun& out) const;

    /// Where the motion that came last has ended; readings of size 0 before the first.
    [[nodiscard]] const Readings& last_readings() const { return end_; }
    [[nodiscard]] const Pose& last_pose() const { return end_pose_; }

private:
    Follower(const Machine& machine, const Frame& part) : machine_(&machine), in_part_(part.inverse()) {}
    [[nodiscard]] bool goes_on(const ReplayMove& move) const;
    [[nodiscard]] Pose start_of(const ReplayMove& move) const;
    void end_at(const ReplayMove& like, const Pose& pose);
    void add_work(const Mount& work);
    void take_work();
    [[nodiscard]] Followed followed(const ReplayMove& move);
    void follow(const ReplayMove& move);
    void follow(const CutRun& run);

    const Machine* machine_;
    PoseMap in_part_; ///< from the frame of what holds the work
    /// By work, then by mount; nothing for work mounts.
    std::vector<std::vector<std::optional<Chain>>> chains_;
    std::uint32_t work_ = 0;
    std::uint32_t next_work_ = 0;
    std::vector<MotionListener*> listeners_;
    PoseRun cut_ends_;
    Column cut_turns_{};
    // Where the motion before ended.
    Readings end_;
    double end_length_ = 0;
    std::uint32_t end_mount_ = 0;
    Pose end_pose_;
};

} // namespace wexilum
