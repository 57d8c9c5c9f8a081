// Native motion: brings the machine from where it stands to where a record wants it, block by block.
//
// Rules kept here: rotary joints move in rapid only while the tool is retracted; a rapid that moves sideways happens at the
// higher end of its way; what is written is decided on rounded readings; where rotary joints move, the feed is written so
// that the tip keeps its own.
#pragma once

#include "core/base/finding.hpp"
#include "core/dialect/word_emitter.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/job/assembly.hpp"
#include "core/path/outline.hpp"
#include "core/solve/subdivide.hpp"
#include "core/write/program_frame.hpp"

#include <functional>
#include <optional>
#include <vector>

namespace wexilum {

/// The feed a record asks for.
struct FeedSpec {
    FeedMode mode = FeedMode::per_minute;
    double value = 0; ///< as in record::Feed; 0: none stated yet
    double spindle_rpm = 0;
    /// Whether it says how long a way takes.
    [[nodiscard]] bool stated() const { return value > 0 && (mode != FeedMode::per_revolution || spindle_rpm > 0); }
    /// Time for a way of the tip; 0 where the feed is missing.
    [[nodiscard]] double seconds(double length) const;
};

/// Joints of a machine, a bit for each.
using JointSet = std::uint32_t;
[[nodiscard]] constexpr JointSet bit_of(std::size_t joint) { return JointSet{1} << joint; }

/// What motion needs to know of its operation; all may be null before the first.
struct LinkedOperation {
    const OperationOutline* outline = nullptr;
    const OperationLinks* links = nullptr;
    const Wrap* wrap = nullptr; ///< null: not wound
};

/// A cut's readings: the rotary ones at both ends, on one sheet of a branch.
struct SheetWay {
    int branch = 0;
    Turns from{};
    Turns to{};
};

/// Cuts of a run that are plain by the plan; all in the work mount's frame.
struct CutsAlong {
    const LinearRun* run = nullptr;
    std::uint64_t serial = 0;                     ///< another one for each run and each part of it that is planned together
    std::size_t end = 0;                          ///< of the part that is planned
    const std::array<Column, 2>* turns = nullptr; ///< planned rotary readings
    Vec3 from = Vec3::Zero();                     ///< where the tip stands before the cut at hand
    Turns from_turns{};                           ///< and the rotary readings planned for there
};

class MotionWriter {
public:
    /// Everything must outlive the writer. It starts where the machine is at home, position not yet stated. `files` are those that
    /// sources point into.
    MotionWriter(const Assembly& assembly, WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files);

    void set_source(const Source& source, std::size_t record)
    {
        source_ = source;
        record_ = record;
    }
    /// A tool is in the spindle now: its length has to be stated with the next approach.
    void set_tool(const Tool& tool);

    /// Away from the work as the operation's links say, then to the home of the joint that retracts where they have not led there.
    void retract();
    void rotary_home();
    /// The machine stands together otherwise from here on: joints that are held go to their places in their order, those set by hand have
    /// been set. The solver must outlive the writer. Precondition: retracted.
    void change_posture(const Posture& posture, const InverseSolver& solver);
    /// The operation of the next motion; what it points to must stay until the motion after the next call.
    void set_operation(const LinkedOperation& operation)
    {
        next_operation_ = operation;
        moved_ = true;
    }
    /// Whether the program has had any motion.
    [[nodiscard]] bool moved() const { return moved_; }
    /// In which coordinates the next motion is to be written. A change takes a retract.
    void want_frame(FrameKind kind) { wanted_frame_ = kind; }
    /// Back to the joints' own readings, where coordinates of the tip are in force.
    void leave_frame();
    /// Text has switched coordinates, `to_joints`: to the joints' own readings; otherwise the writer switches back to those.
    void frame_by_text(bool to_joints);
    [[nodiscard]] const InverseSolver& solver() const { return *solver_; }
    [[nodiscard]] const Posture& posture() const { return posture_; }
    /// In rapid to a pose (work mount's frame) with planned rotary readings. With `last` the way down of a first approach goes at that
    /// feed: the path does not say that the tool may come there in rapid.
    void rapid(const Pose& pose, const Turns& planned, const FeedSpec* last = nullptr);
    /// States again what every block relies on and the control may have lost (units, absolute, offset, length).
    void restate_base();
    /// At feed along a piece (work mount's frame). An arc is written as arcs where controller and dialect have them in its plane,
    /// otherwise as lines within the job's tolerance.
    void feed(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed);
    /// The same for straight cuts of a run from `first` to before `end`, as far as each is one block and no other word than axes and feed
    /// changes; how many of them. Nothing is done about the others. The source is the run's.
    std::size_t feed_along(const CutsAlong& cuts, std::size_t first, std::size_t end, const FeedSpec& feed);
    /// Whether feed_along() would take cuts from `at` on that are plain. Precondition for plain_along(): this was so for a cut before it.
    bool open_along(const CutsAlong& cuts, std::size_t at, const FeedSpec& feed);
    /// Whether a cut is plain: inside travel and one block.
    [[nodiscard]] bool plain_along(const CutsAlong& cuts, std::size_t at) const
    {
        return ahead_.run == cuts.serial && at >= ahead_.first && at < ahead_.end && ahead_.plain[at];
    }
    /// Turns the rotary joints while the tool stands still at a pose; both readings hold it there. As fast as the joints can.
    void turn_standing(const Pose& pose, const Turns& from, const Turns& to, const FeedSpec& feed);

    /// Where the machine stands, from the counts written.
    [[nodiscard]] const Readings& now() const { return now_.readings; }
    [[nodiscard]] const Stand& stand() const { return now_; }
    [[nodiscard]] Turns turns_now() const;
    [[nodiscard]] bool positioned() const { return positioned_; }
    [[nodiscard]] double tool_length() const { return tool_length_; }
    [[nodiscard]] const ProgramFrame& frame() const { return frame_; }
    /// ProgramFrame::note_exact() of the writer's own frame.
    void note_exact(ExactValues* exact) { frame_.note_exact(exact); }
    /// The stand for a tip with the rotary joints as they stand now.
    [[nodiscard]] Stand with_same_turn(const Vec3& tip) const
    {
        return frame_.stand(now_, solver_->turns_of(now_.readings), tip, tool_length_);
    }
    /// Whether the tool stands at least as high as a pose, with the rotary joints where `planned` wants them, and the wanted coordinates
    /// are in force.
    [[nodiscard]] bool stands_above(const Pose& pose, const Turns& planned) const;
    /// How the control drills by its own cycle.
    struct Drilling {
        std::size_t joint = 0;         ///< whose word tells clearance and depth
        std::optional<Function> plane; ///< that has to be in force
    };
    /// Where a way along the tool, or on a tilted plane along `axis` (work mount's frame), changes one word alone, along which a canned
    /// cycle can drill; nothing otherwise.
    [[nodiscard]] std::optional<Drilling> drilling(const Vec3& axis) const;
    /// A joint has been brought somewhere by other words than the path's.
    void moved_to(std::size_t joint, double reading);
    /// The control has moved the linear joints by itself (end of a cycle).
    void stands(const Stand& stand) { now_ = stand; }
    void check_travel(const Readings& readings);
    /// A word of text has locked or released a joint's brake.
    void brake_is(const std::string& joint, bool locked);
    void lost_place() { emitter_.forget_all(); }
    /// Text or a rule has moved joints: the next motion is approached from a retract.
    void left_path()
    {
        positioned_ = retracted_ = false;
        moved_ = true;
    }
    /// Text has brought a joint somewhere: the next motion states it, whatever it is thought to read.
    void stands_anywhere(std::size_t joint) { stated_[joint] = false; }
    /// Where the machine stands is not known to be so whenever the program comes here.
    void forget_places()
    {
        positioned_ = retracted_ = false;
        stated_.assign(stated_.size(), false);
        length_stated_ = false;
        length_on_ = assembly_.dialect.length_by_register;
        mode_.reset();
        for (Brake& brake : brakes_) {
            brake.locked.reset();
        }
    }
    /// Where partial moves of links came to stand so far.
    [[nodiscard]] std::vector<LinkMark> take_link_marks() { return std::move(link_marks_); }
    /// Called for each retract that a motion needs, instead of retract().
    void set_retract(std::function<void()> retract) { own_retract_ = std::move(retract); }
    /// Adds a finding at the record at hand and the block that comes next.
    void report(Severity severity, const std::string& kind, const std::string& subject, std::string message, std::string cure, double worst,
                std::size_t gap = 1);
    /// Slots for mode and value of a feed; remembers the mode.
    void add_feed(Statement& statement, FeedMode mode, double value) { statement.slots.push_back(feed_slot(statement, mode, value)); }

private:
    /// An arc seen in the program's own axes X, Y, Z.
    struct ArcFrame {
        std::array<std::size_t, 3> joints{}; ///< joint behind X, Y, Z
        std::array<double, 3> signs{};
        int u = 0; ///< in-plane axes in the plane's own order,
        int v = 1;
        int w = 2; ///< and the one across
        Function plane = Function::plane_xy;
        bool counter_clockwise = true;
        Vec3 centre = Vec3::Zero(); ///< what the three joints' words tell at the centre
        bool helix = false;
        bool named = false;              ///< a joint works in the stead of one that the plane would mean by itself
        const SheetWay* wound = nullptr; ///< the arc is one of the flat; the turns come with it
    };
    /// What a block to a stand does to the joints of the chain.
    struct Way {
        std::uint32_t moved = 0; ///< a bit for each joint of chain_ whose counts change
        bool rotary = false;     ///< one of them is rotary
        bool inside = true;      ///< the stand is inside travel
        double slowest = 0;      ///< s
    };
    /// A joint of the chain as every block needs it.
    struct ChainJoint {
        std::size_t joint;
        double per_speed;
        double low; ///< travel, with room for rounding
        double high;
        Quantity quantity;
    };
    static constexpr std::size_t most_along = 5;
    /// Where cuts of a run bring the machine, by the joints of chain_.
    struct CutStands {
        std::uint64_t run = 0; ///< its serial; 0: none
        std::size_t first = 0;
        std::size_t end = 0;
        std::array<LineRun::Counts, most_along> counts{};
        std::array<Column, most_along> readings{};
        std::array<double, most_along> stood{}; ///< readings before the first
        Column length{};                        ///< of the tip's way, mm
        Column slowest{};                       ///< as in Way, s
        std::array<std::uint8_t, longest_run> moved{};
        std::array<bool, longest_run> plain{}; ///< inside travel and one block
    };
    [[nodiscard]] bool along_open(const FeedSpec& feed) const;
    [[nodiscard]] bool ready_along(const CutsAlong& cuts, std::size_t at) const;
    void prepare(const CutsAlong& cuts, std::size_t first);
    [[nodiscard]] double combined_way(std::size_t at) const;
    [[nodiscard]] Stand rounded(const Turns& turns, const Vec3& tip) const { return frame_.stand(now_, turns, tip, tool_length_); }
    [[nodiscard]] Way way_to(const Stand& target) const;
    void stand_at(std::size_t joint, const Stand& target)
    {
        now_.counts[joint] = target.counts[joint];
        now_.readings[Eigen::Index(joint)] = target.readings[Eigen::Index(joint)];
    }
    [[nodiscard]] bool differs(const Stand& target, bool rotary) const;
    bool move(Function function, const Stand& target, JointSet joints);
    /// In rapid, or straight at the fastest feed where the rapid would drag the tool aside or lower. Rotary joints stand.
    void move_clear(const Stand& target, JointSet joints);
    [[nodiscard]] std::optional<FeedSpec> straight_feed(const Stand& target, JointSet joints);
    void take_chain();
    void release(std::size_t joint);
    void release_moving(const Stand& target);
    void lock_standing();
    [[nodiscard]] std::optional<std::size_t> away_joint() const;
    void forget_coordinates();
    [[nodiscard]] double rotary_home_of(std::size_t joint) const;
    void bring(Stand& target, std::size_t joint, double reading) const;

    // Links.
    /// Where a link leads to.
    struct LinkPlace {
        Pose pose;
        Turns turns;
        Vec3 clear;           ///< of the tip, from where the way along the tool is free
        const FeedSpec* last; ///< the feed of the last way; null: rapid
        bool length_done = false;
    };
    void approach(const Pose& pose, const Turns& planned, const FeedSpec* last);
    void leave();
    void leave_along_tool();
    void marked(const OperationLinks& links, LinkList list, std::size_t step, const std::function<void()>& write);
    void go(const LinkStep& step, LinkPlace* place);
    void go_home(const std::vector<JointIndex>& joints);
    void home_linear(const std::vector<JointIndex>& joints);
    void go_to_readings(const std::vector<HeldJoint>& readings);
    void go_to_place(JointSet joints, const Vec3& tip, LinkPlace& place);
    void go_in_frame(JointSet joints, const Vec3& tip, LinkPlace& place);
    void ride(LinkPlace& place);
    void link_move(JointSet joints, const Turns& turns, const Vec3& tip, LinkPlace& place);
    [[nodiscard]] bool points_beside(const Pose& pose, const Turns& turns) const;
    /// Along a tool; up, where it is a blade that stands along its cut.
    [[nodiscard]] Vec3 out_of_work(const Pose& pose, const Readings& readings) const
    {
        return solver_->kinematics().blade() ? solver_->kinematics().out_of_work(readings) : pose.axis;
    }
    [[nodiscard]] Vec3 clear_place(const Pose& pose, const Turns& turns, const LinkedOperation& operation);
    [[nodiscard]] bool has(JointSet joints, std::optional<std::size_t> joint) const { return joint && (joints & bit_of(*joint)) != 0; }
    bool enter_frame(const Pose& pose, const Turns& planned);
    void enter_cylinder();
    void go_on_cylinder(JointSet joints, const Vec3& tip, const LinkPlace& place);
    void check_beside(const Pose& end, const Turns& turns);
    [[nodiscard]] bool in_wanted_frame() const
    {
        return frame_.kind() == wanted_frame_ && !(on_cylinder() && here_.wrap != next_operation_.wrap);
    }
    [[nodiscard]] bool on_cylinder() const { return frame_.kind() == FrameKind::cylinder; }
    [[nodiscard]] Interpolation interpolation() const;
    [[nodiscard]] double word_value(const Stand& stand, std::size_t joint) const;
    void add_length(Statement& statement);
    void set_length_shift(double mm);
    void report_many_blocks(const SheetWay& way, double length);
    bool move_once(Function function, const Stand& target, JointSet joints, const FeedSpec* feed = nullptr);
    void add_axis(Statement& statement, std::size_t joint, std::int64_t counts);
    /// The counts to write for a joint that goes from where it stands to these.
    std::int64_t axis_word(std::size_t joint, std::int64_t counts);
    /// How many blocks a way of the rotary joints takes at least, so that the control goes the way that is meant.
    [[nodiscard]] int blocks_between(const Turns& from, const Turns& to) const;
    /// Planned turns, with the whole turns added by which joints that go one way only have come further.
    [[nodiscard]] Turns shifted(const Turns& planned) const;
    void go_one_way(const Turns& planned);
    void check_one_way(const Turns& from, const Turns& to);
    /// A cut moves joints that may only be positioned.
    void report_positioned(const Stand& target, const Way& way);
    void feed_line(const Stand& target, double seconds, double length, const FeedSpec& feed);
    void feed_point(const Turns& turns, const Vec3& tip, double seconds, double length, const FeedSpec& feed);
    /// Adds the feed's mode and gives its value, which goes behind the axes.
    [[nodiscard]] Slot block_feed(Statement& statement, const Stand& target, const Way& way, double seconds, double length,
                                  const FeedSpec& feed);
    [[nodiscard]] Slot feed_slot(Statement& statement, FeedMode mode, double value);
    /// Whether the last block was a cut as well and nothing has been forgotten since, so that its words but axes and feed hold.
    [[nodiscard]] bool cutting_on() const
    {
        return cut_words_hold_ && cut_stamp_ == emitter_.stamp() && cut_forgotten_ == emitter_.forgotten();
    }
    /// Nothing, and in `why` the reason, where it has to be written as lines.
    [[nodiscard]] std::optional<ArcFrame> arc_frame(const PathPiece& piece, const SheetWay& way, std::string& why) const;
    [[nodiscard]] Vec3 told_on_cylinder(const WoundWay& wound, const Vec3& flat, const std::array<std::size_t, 3>& joints) const;
    [[nodiscard]] Stand stand_on(const PathPiece& piece, const ArcFrame& frame, double s) const;
    void feed_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const FeedSpec& feed, int depth);
    bool write_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const Stand& target, const FeedSpec& feed);

    const Assembly& assembly_;
    const InverseSolver* solver_;
    Posture posture_;
    LinkedOperation here_; ///< of the last motion
    LinkedOperation next_operation_;
    std::vector<LinkMark> link_marks_;
    WordEmitter& emitter_;
    FindingList& findings_;
    ProgramFrame frame_;
    const std::vector<std::string>& files_;
    Stand now_;
    Stand next_;                    ///< where a cut goes; differs from now_ in the chain's joints only
    std::vector<ChainJoint> chain_; ///< in the order of their words in a block
    CutStands ahead_;
    Subdivision parts_;                                         ///< kept for its memory
    std::vector<bool> stated_;                                  // joints that the program itself has brought somewhere
    std::array<std::optional<std::int64_t>, max_joints> words_; ///< last written for joints whose words are places on a circle
    Turns further_{};                                           ///< rad, whole turns: see shifted()
    std::function<void()> own_retract_;
    std::uint64_t cut_forgotten_ = 0;
    std::uint64_t cut_stamp_ = UINT64_MAX;
    std::uint64_t base_known_at_ = UINT64_MAX; ///< what the emitter had forgotten when the base was last restated
    double tool_length_ = 0;
    double carried_seconds_ = 0;
    double carried_length_ = 0;
    std::size_t record_ = 0;
    Source source_;
    std::uint32_t rotary_bits_ = 0; ///< of chain_
    JointSet rotary_joints_ = 0;    ///< of the machine, those of the chain
    JointSet linear_joints_ = 0;
    /// A joint's brake that the program has words for.
    struct Brake {
        std::size_t joint;
        const BrakeWords* words;
        std::optional<bool> locked; ///< nothing: not known
    };
    std::vector<Brake> brakes_;
    std::uint32_t positioned_bits_ = 0; ///< of those that may not move in a cut
    std::uint32_t length_register_ = 0;
    FrameKind wanted_frame_ = FrameKind::joints;
    std::optional<FeedMode> mode_;
    bool beside_ = false;              ///< the tool does not point along the joint that retracts
    bool tool_turns_ = false;          ///< that depends on the readings
    bool length_register_acts_ = true; ///< a length register acts along the tool
    bool cut_words_hold_ = false;      ///< a cut's words are modal in this dialect
    bool moved_ = false;
    bool skewed_ = false; ///< linear joints stand out of square: the way of the joints is not the tip's
    bool positioned_ = false;
    bool retracted_ = false;
    bool length_stated_ = false;
    bool length_on_ = false; ///< the control may have a length in force, of this tool or another
};

} // namespace wexilum
