// Links: away from the work, to a first position, over the clearance surface, and back, by the lists of their operations.
#pragma once

#include "core/write/link_places.hpp"

#include <functional>
#include <vector>

namespace wexilum {

class LinkWriter {
public:
    /// All must outlive the object.
    LinkWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds,
               BrakeWriter& brakes, FrameWriter& frames, CutLines& lines, RapidWriter& rapids, OperationsAtHand& operations, WriteLog& log)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), brakes_(brakes), frames_(frames),
          rapids_(rapids), places_(assembly, emitter, place, circles, feeds, brakes, frames, lines, rapids, operations, log),
          operations_(operations), log_(log)
    {}

    /// In rapid to a pose (work mount's frame) with planned rotary readings. With `last` the way down of a first approach goes at that
    /// feed: the path does not say that the tool may come there in rapid.
    void rapid(const Pose& pose, const Readings& planned, const FeedSpec* last);
    /// Away from the work as the operation's links say, then to the home of the joint that retracts where they have not led there.
    void retract();
    void rotary_home();
    /// Called for each retract that a motion needs, instead of retract().
    void set_retract(std::function<void()> retract) { own_retract_ = std::move(retract); }
    /// Joints that a posture holds and the control moves go to their places in their order; those set by hand have been set.
    /// Precondition: retracted.
    void take_posture(const Posture& posture, const InverseSolver& solver);
    /// Where partial moves of links are in the code so far.
    [[nodiscard]] std::vector<LinkMark> take_marks() { return std::move(marks_); }

private:
    void approach(const Pose& pose, const Readings& planned, const FeedSpec* last);
    [[nodiscard]] bool goes_home_first(const LinkStep& step) const;
    void leave();
    void leave_along_tool();
    void marked(const OperationLinks& links, LinkList list, std::size_t step, const std::function<void()>& write);
    void go(const LinkStep& step, LinkPlace* place);
    void go_home(const std::vector<JointIndex>& joints);
    void home_linear(const std::vector<JointIndex>& joints);
    void go_to_readings(const std::vector<HeldJoint>& readings);
    [[nodiscard]] bool points_beside(const Pose& pose, const Readings& planned) const;
    [[nodiscard]] Vec3 clear_place(const Pose& pose, const Readings& planned, const LinkedOperation& operation);
    [[nodiscard]] static bool has(JointSet joints, std::optional<std::size_t> joint) { return joint && (joints & bit_of(*joint)) != 0; }

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    BrakeWriter& brakes_;
    FrameWriter& frames_;
    RapidWriter& rapids_;
    LinkPlaces places_;
    OperationsAtHand& operations_;
    WriteLog& log_;
    std::vector<LinkMark> marks_;
    std::function<void()> own_retract_;
};

} // namespace wexilum
