#include "core/write/cut_lines.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

namespace wexilum {

void CutLines::line(const MachinePosition& target, double seconds, double length, const FeedSpec& feed)
{
    seconds += feeds_.carried_seconds;
    length += feeds_.carried_length;
    const BlockWay way = place_.way_to(target);
    if (way.moved == 0) {
        feeds_.carried_seconds = seconds;
        feeds_.carried_length = length;
        return;
    }
    feeds_.carried_seconds = feeds_.carried_length = 0;
    if (!way.inside) {
        place_.check_travel(target.readings);
    }
    if ((way.moved & place_.chain.positioned_bits) != 0) {
        report_positioned(target, way);
    }
    if (way.rotary) {
        brakes_.release_moving(target);
    }
    Statement statement(StatementKind::motion);
    const Slot value = feeds_.for_block(statement, target, way, seconds, length, feed);
    if (feeds_.cutting_on() && statement.slots.size() == 0) {
        cut_on(target, way, value);
    } else {
        if (auto word = emitter_.function(Function::linear)) {
            statement.slots.push_back(*word);
        }
        for (const WorkingChain::Joint& chain : place_.chain.joints) {
            if (!place_.on_cylinder() || chain.joint != place_.frame.cylinder().turning) {
                circles_.add_axis(statement, chain.joint, target.counts[chain.joint]);
            }
            place_.move_joint(chain.joint, target);
        }
        statement.slots.push_back(value);
        emitter_.emit(statement);
    }
    feeds_.note_cut();
    place_.retracted = false;
}

/// A block of nothing but the axes that move, and the feed.
void CutLines::cut_on(const MachinePosition& target, const BlockWay& way, const Slot& feed)
{
    std::array<JointCounts, max_joints> moved;
    std::size_t count = 0;
    for (std::uint32_t bits = way.moved; bits != 0; bits &= bits - 1) {
        const WorkingChain::Joint& chain = place_.chain.joints[std::size_t(std::countr_zero(bits))];
        moved[count++] = {chain.joint, circles_.axis_word(chain.joint, target.counts[chain.joint]), chain.quantity};
        place_.move_joint(chain.joint, target);
    }
    emitter_.emit_cut(std::span(moved).first(count), feed);
    if (place_.frame.kind() != FrameKind::joints) [[unlikely]] {
        place_.set_position(target); // a joint may move though its word stays
    }
}

[[gnu::flatten]] void CutLines::point(const Readings& planned, const Vec3& tip, double seconds, double length, const FeedSpec& feed)
{
    line(place_.next(planned, tip), seconds, length, feed);
}

void CutLines::report_positioned(const MachinePosition& target, const BlockWay& way)
{
    for (std::uint32_t bits = way.moved & place_.chain.positioned_bits; bits != 0; bits &= bits - 1) {
        const std::size_t joint = place_.chain.joints[std::size_t(std::countr_zero(bits))].joint;
        const std::string& id = assembly_.machine.joints[joint].id;
        const double by = std::abs(target.readings[Eigen::Index(joint)] - place_.now()[Eigen::Index(joint)]);
        const bool rotary = place_.frame.is_rotary()[joint];
        log_.report(Severity::error, "positions-only", id,
                    fmt::format("the cut moves {} by {:.4f} {}, but it may only be positioned", id, rotary ? to_deg(by) : by,
                                rotary ? "deg" : "mm"),
                    "cut with it standing still, or say in the machine that it moves while cutting", rotary ? to_deg(by) : by,
                    neighbouring_records);
    }
}

/// The joint whose letter gives the way round a cylinder stands still: the cut must not need it.
void CutLines::check_beside(const Pose& end, const Readings& planned)
{
    const double beside = place_.frame.beside_cylinder(planned, end.tip, place_.tool_length);
    if (std::abs(beside) > 2 * place_.frame.rounding().step(Quantity::length)) {
        const std::string& joint = assembly_.machine.joints[place_.frame.cylinder().flat].id;
        log_.report(
            Severity::error, "beside-cylinder", joint,
            fmt::format("{} stands while the control turns the cylinder, but the cut would need it {:.4f} mm further", joint, beside),
            "let the wrap's axis lie on the axis of the rotary joint, or write it with \"frame\": \"joints\"", std::abs(beside),
            neighbouring_records);
    }
}

Interpolation CutLines::interpolation() const
{
    return place_.frame.kind() != FrameKind::tool_centre_point ? Interpolation::joints
           : assembly_.controller.tip_by_vector                ? Interpolation::tip_and_vector
                                                               : Interpolation::tip_and_joints;
}

} // namespace wexilum
