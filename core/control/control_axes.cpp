#include "core/control/control_axes.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

ControlAxes::ControlAxes(const Controller& controller, const Machine& machine, Readings& readings, ModalWords& modal, ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), now_(readings), modal_(modal)
{
    for (const auto& [address, id] : controller.axes) {
        if (const auto joint = machine.find_joint(id)) {
            letters_.emplace_back(address, joint->value);
            all_ |= std::uint32_t{1} << joint->value;
            turns_[joint->value] = rotary(joint->value) ? controller.turn_reading(id) : TurnReading::wound;
        }
    }
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        if (!machine.joints[i].moves_while_cutting) {
            positioned_.push_back(i);
        }
    }
    aligned_.reserve(controller.aligned.size()); // pointed into
    for (const AlignedJoints& group : controller.aligned) {
        const auto& joints = aligned_.emplace_back(signed_joints(machine, group.joints));
        if (group.summed && !joints.empty()) {
            summed_[joints.front().joint.value] = &joints;
        }
    }
}

std::string ControlAxes::way_text(std::size_t joint, double way) const
{
    return fmt::format("{:.4f} {}", rotary(joint) ? to_deg(way) : way, rotary(joint) ? "deg" : "mm");
}

std::optional<std::size_t> ControlAxes::joint_of(char letter) const
{
    for (const auto& [known, joint] : letters_) {
        if (known == letter) {
            return joint;
        }
    }
    return std::nullopt;
}

double ControlAxes::furthest(const Readings& from, const Readings& to) const
{
    Readings way = (to - from).cwiseAbs();
    for (const Relation& relation : machine_.relations) {
        way[Eigen::Index(relation.follower.value)] = 0;
    }
    return way.maxCoeff();
}

void ControlAxes::report_unplaced()
{
    for (const auto& [address, joint] : letters_) {
        if (!known(joint)) {
            const std::string& id = machine_.joints[joint].id;
            log_.rely_on(id, fmt::format("a cut relies on where {} stood before", id), "position it");
        }
    }
}

std::size_t ControlAxes::named(const BlockWords& words, std::size_t joint, std::size_t otherwise) const
{
    for (const auto& group : aligned_) {
        if (std::none_of(group.begin(), group.end(), [&](const SignedJoint& j) { return j.joint.value == joint; })) {
            continue;
        }
        for (const auto& [address, other] : letters_) {
            if (words.contains(address) &&
                std::any_of(group.begin(), group.end(), [&](const SignedJoint& j) { return j.joint.value == other; })) {
                return other;
            }
        }
        return otherwise;
    }
    return joint;
}

double ControlAxes::coordinate(std::size_t joint, const CodeWord& word) { return rotary(joint) ? modal_.angle(word) : modal_.length(word); }

Turned ControlAxes::turned_by_word(std::size_t joint, double value, double offset) const
{
    const double amount = turns_[joint] == TurnReading::signed_way ? std::abs(value) : value;
    return turned_to(turns_[joint], now(joint), amount + offset, std::signbit(value), to_rad(controller_.angle_increment));
}

double ControlAxes::turn(std::size_t joint, const CodeWord& word, double value, double offset)
{
    if (turns_[joint] == TurnReading::wound) {
        return value + offset;
    }
    const Turned turned = turned_by_word(joint, value, offset);
    if (turned.unclear) {
        const std::string& id = machine_.joints[joint].id;
        log_.report(
            Severity::error, "turn-unclear", id,
            fmt::format("{} {:g} is half a turn from where {} stands: the control may go either way", word.letter, to_deg(value), id),
            "go there in two blocks");
    }
    return turned.to;
}

void ControlAxes::check_positioned(const Readings& to)
{
    for (const std::size_t joint : positioned_) {
        const double by = std::abs(to[Eigen::Index(joint)] - now(joint));
        if (by > standing) {
            const std::string& id = machine_.joints[joint].id;
            log_.report(Severity::error, "positions-only", id,
                        fmt::format("{} moves by {} at feed, but it may only be positioned", id, way_text(joint, by)),
                        "position it in rapid, away from the work", by);
        }
    }
}

void ControlAxes::check_travel(const Readings& to)
{
    for (const Overtravel& over :
         inside_travel(machine_, to, travel_slack) ? std::vector<Overtravel>() : overtravels(machine_, to, travel_slack)) {
        log_.report(Severity::error, "beyond-travel", machine_.joints[over.joint.value].id, text_of(machine_, over),
                    "the machine would stop with an alarm here", over.beyond);
    }
}

} // namespace wexilum
