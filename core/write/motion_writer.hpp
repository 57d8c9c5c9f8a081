// Native motion: brings the machine from where it stands to where a record wants it, block by block.
//
// Rules kept here: rotary joints move in rapid only while the tool is retracted; a rapid that moves sideways happens at the
// higher end of its way; what is written is decided on rounded readings; where rotary joints move, the feed is written so
// that the tip keeps its own.
#pragma once

#include "core/write/cut_run_writer.hpp"
#include "core/write/link_writer.hpp"

#include <functional>
#include <optional>
#include <vector>

namespace wexilum {

class MotionWriter {
public:
    /// Everything must outlive the writer. It starts where the machine is at home, position not yet stated. `files` are those that
    /// sources point into.
    MotionWriter(const Assembly& assembly, WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files);

    /// Where findings are reported. State elsewhere that may act on a cut registers here as a part.
    [[nodiscard]] WriteLog& log() { return log_; }
    /// Where the machine stands, from the counts written.
    [[nodiscard]] const WrittenPlace& place() const { return place_; }
    /// Where the machine stands, as the path plans it.
    [[nodiscard]] Readings planned_now() const { return circles_.planned_now(); }
    /// The coordinates of the next motion, and what every block relies on.
    [[nodiscard]] FrameWriter& frames() { return frames_; }
    /// Plain cuts, many at once.
    [[nodiscard]] CutRunWriter& along() { return along_; }
    /// A tool is in the spindle now: its length has to be stated with the next approach.
    void set_tool(const Tool& tool);

    /// As the functions of LinkWriter and CutWriter.
    void retract() { links_.retract(); }
    void rotary_home() { links_.rotary_home(); }
    void rapid(const Pose& pose, const Readings& planned, const FeedSpec* last = nullptr) { links_.rapid(pose, planned, last); }
    void feed(const PathPiece& piece, const SheetWay& way, const FeedSpec& feed) { cuts_.feed(piece, way, feed); }
    void turn_standing(const Pose& pose, const Readings& from, const Readings& to, const FeedSpec& feed)
    {
        cuts_.turn_standing(pose, from, to, feed);
    }
    void change_posture(const Posture& posture, const InverseSolver& solver) { links_.take_posture(posture, solver); }
    [[nodiscard]] std::vector<LinkMark> take_link_marks() { return links_.take_marks(); }
    void set_retract(std::function<void()> retract) { links_.set_retract(std::move(retract)); }

    /// The operation of the next motion; what it points to must stay until the motion after the next call.
    void set_operation(const LinkedOperation& operation)
    {
        operations_.next = operation;
        moved_ = true;
    }
    /// Whether the program has had any motion.
    [[nodiscard]] bool moved() const { return moved_; }
    /// Text has switched coordinates, `to_joints`: to the joints' own readings; otherwise the writer switches back to those.
    void frame_by_text(bool to_joints);
    /// ProgramFrame::note_exact() of the writer's own frame.
    void note_exact(ExactValues* exact) { place_.frame.note_exact(exact); }
    /// Whether the tool stands at least as high as a pose, with the rotary joints where `planned` wants them, and the wanted coordinates
    /// are in force.
    [[nodiscard]] bool stands_above(const Pose& pose, const Readings& planned) const;
    /// How the control drills by its own cycle.
    struct Drilling {
        std::size_t joint = 0;         ///< whose word states clearance and depth
        std::optional<Function> plane; ///< that has to be in force
    };
    /// Where a way along the tool, or on a tilted plane along `axis` (work mount's frame), changes one word alone, along which a canned
    /// cycle can drill; nothing otherwise.
    [[nodiscard]] std::optional<Drilling> drilling(const Vec3& axis) const;
    /// A joint has been brought somewhere by other words than the path's.
    void moved_to(std::size_t joint, double reading);
    /// The control has moved the linear joints by itself (end of a cycle).
    void set_position(const MachinePosition& position) { place_.set_position(position); }
    void check_travel(const Readings& readings) { place_.check_travel(readings); }
    /// A word of text has locked or released a joint's brake.
    void brake_is(const std::string& joint, bool locked) { brakes_.is(joint, locked); }
    void lost_place() { emitter_.forget_all(); }
    /// Text or a rule has moved joints: the next motion is approached from a retract.
    void left_path();
    /// Text has brought a joint somewhere: the next motion states it, whatever it is thought to read.
    void stands_anywhere(std::size_t joint) { place_.stated[joint] = false; }
    /// Where the machine stands is not known to be so whenever the program comes here.
    void forget_places();
    /// Adds a feed to a block, with its mode's word where that changes.
    void add_feed(Statement& statement, FeedMode mode, double value) { feeds_.add(statement, mode, value); }

private:
    const Assembly& assembly_;
    WordEmitter& emitter_;
    WriteLog log_;
    OperationsAtHand operations_;
    WrittenPlace place_;
    CircleWords circles_;
    FeedWords feeds_;
    BrakeWriter brakes_;
    FrameWriter frames_;
    CutLines lines_;
    CutWriter cuts_;
    CutRunWriter along_;
    RapidWriter rapids_;
    LinkWriter links_;
    bool moved_ = false;
};

} // namespace wexilum
