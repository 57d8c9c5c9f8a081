#include "core/control/work_zero.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

/// The directions of X, Y and Z across a plane, and along its first and second axis.
std::array<int, 3> directions_of(Function plane)
{
    const int w = plane == Function::plane_zx ? 1 : plane == Function::plane_yz ? 0 : 2;
    return {w, (w + 1) % 3, (w + 2) % 3};
}

} // namespace

WorkZero::WorkZero(const Controller& controller, const Machine& machine, const ControlMemory& memory, ControlAxes& axes, ModalWords& modal,
                   const ToolsAndLengths& tools, ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), memory_(memory), axes_(axes), modal_(modal), tools_(tools)
{
    knows_turns_ = modal.knows(Group::rotation);
}

void WorkZero::take_register()
{
    const WordMeaning* meaning = modal_.use(Group::offset);
    if (meaning == taken_ && !offsets_.empty()) {
        return;
    }
    taken_ = meaning;
    offsets_.assign(machine_.joints.size(), 0.0);
    const auto found = meaning == nullptr ? memory_.offsets.end() : memory_.offsets.find(meaning->work_register);
    if (found != memory_.offsets.end()) {
        for (const auto& [index, value] : found->second) {
            offsets_[index] = value;
        }
    } else if (meaning != nullptr && memory_.tools != nullptr) {
        log_.report(Severity::error, "offset-missing", meaning->work_register,
                    fmt::format("the offset register {} is empty", meaning->work_register), "state it in the setup");
    }
}

double WorkZero::of(std::size_t joint) const
{
    double out = offsets_[joint] + shift_[joint] + (joint == tools_.length_joint() ? tools_.shift() : 0);
    if (const std::vector<SignedJoint>* summed = axes_.summed(joint)) {
        for (const SignedJoint& other : *summed) {
            out -= other.first ? 0 : other.sign * axes_.now(other.joint.value);
        }
    }
    return out;
}

void WorkZero::apply(const BlockWords& words)
{
    if (words.has(Function::coordinate_shift)) {
        shift_by(words);
    }
    for (const WordMeaning* meaning : words.functions) {
        if (group_of(meaning->function) == Group::rotation) {
            meaning->function == Function::coordinate_rotation ? turn_by(words) : turned_.reset();
        }
    }
}

void WorkZero::reset()
{
    shift_.fill(0);
    shifted_ = 0;
    turned_.reset();
}

void WorkZero::shift_by(const BlockWords& words)
{
    bool any = false;
    for (const auto& [address, joint] : axes_.letters()) {
        const CodeWord* word = words.take(address);
        if (word == nullptr) {
            continue;
        }
        words.withdraw(address);
        any = true;
        const double value = axes_.coordinate(joint, *word);
        log_.note_change(value != shift_[joint]);
        shift_[joint] = value;
        const std::uint32_t bit = std::uint32_t{1} << joint;
        shifted_ = value != 0 ? shifted_ | bit : shifted_ & ~bit;
    }
    if (!any) {
        log_.report(Severity::error, "code-error", "", "a shift of coordinates names no axis",
                    "write how far with the letter of each axis");
    }
}

void WorkZero::turn_by(const BlockWords& words)
{
    const auto before = std::exchange(turned_, std::nullopt);
    const auto [w, u, v] = directions_of(modal_.use(Group::plane, Function::plane_xy));
    const std::string letters = "XYZ";
    TurnedPlane turned;
    turned.across = w;
    const CodeWord* angle = words.take(controller_.rotation);
    bool whole = angle != nullptr;
    for (std::size_t k = 0; k < 2; ++k) {
        const char letter = letters[std::size_t(k == 0 ? u : v)];
        const CodeWord* word = words.take(letter);
        const auto joint = axes_.joint_of(letter);
        whole = whole && word != nullptr && joint;
        if (whole) {
            turned.joints[k] = *joint;
            turned.centre[k] = modal_.length(*word);
        }
        words.withdraw(letter);
    }
    words.withdraw(controller_.rotation);
    if (!whole) {
        log_.report(Severity::error, "code-error", "",
                    fmt::format("a rotation of coordinates needs its angle {} and the place about which it turns, {} and {}",
                                controller_.rotation, letters[std::size_t(u)], letters[std::size_t(v)]),
                    "write them in the same block");
        return;
    }
    turned.angle = modal_.angle(*angle);
    log_.note_change(!before || before->across != turned.across || before->angle != turned.angle || before->centre != turned.centre);
    turned_ = turned;
}

void WorkZero::use_rotation()
{
    if (knows_turns_) {
        (void)modal_.use(Group::rotation);
    }
}

std::array<double, 2> WorkZero::turned_place(const Readings& readings, double way) const
{
    const TurnedPlane& t = *turned_;
    const double x = readings[Eigen::Index(t.joints[0])] - of(t.joints[0]) - t.centre[0];
    const double y = readings[Eigen::Index(t.joints[1])] - of(t.joints[1]) - t.centre[1];
    const double c = std::cos(t.angle);
    const double s = std::sin(t.angle) * way;
    return {t.centre[0] + c * x - s * y, t.centre[1] + s * x + c * y};
}

void WorkZero::turn(Readings& readings, double way) const
{
    const auto place = turned_place(readings, way);
    for (std::size_t k = 0; k < 2; ++k) {
        readings[Eigen::Index(turned_->joints[k])] = place[k] + of(turned_->joints[k]);
    }
}

/// Half an increment of the angle at the lever of the place that is further out, and half of one of the centre's two words.
double WorkZero::turned_slack(const Readings& from, const Readings& to) const
{
    const TurnedPlane& t = *turned_;
    double reach = 0;
    for (const Readings* at : {&from, &to}) {
        double squares = 0;
        for (std::size_t k = 0; k < 2; ++k) {
            const double way = (*at)[Eigen::Index(t.joints[k])] - of(t.joints[k]) - t.centre[k];
            squares += way * way;
        }
        reach = std::max(reach, std::sqrt(squares));
    }
    const double centre = 2 * std::abs(std::sin(t.angle / 2)) * std::sqrt(0.5) * controller_.length_increment * modal_.unit();
    return 0.5 * to_rad(controller_.angle_increment) * reach + centre;
}

bool WorkZero::leaves_cuts_plain() const
{
    return !turned_ && !offsets_.empty() && modal_.reliable(Group::offset) && modal_.state(Group::offset).meaning == taken_ &&
           (!knows_turns_ || modal_.reliable(Group::rotation));
}

} // namespace wexilum
