// How the control reads X, Y and Z where they are coordinates of the tip: tool-centre-point control, tilted planes, the room.
#include "core/control/frames.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

std::string refused(const Error& error) { return fmt::format("the control can't take these coordinates: {}", error.message); }

} // namespace

bool SimulatedControl::in_frame() const { return tip_words_ && tip_words_->kind != FrameKind::joints; }

/// What carries the tool is another now.
void SimulatedControl::forget_frame()
{
    if (tip_words_) {
        tip_words_->stale = true;
    }
}

/// The machine that the control's transformation works on: what moves with X, Y, Z and the rotary words; all else stands as it does.
Status SimulatedControl::make_frame()
{
    TipWords& tip = *tip_words_;
    tip.frame.reset();
    if (std::find(tip.xyz.begin(), tip.xyz.end(), SIZE_MAX) != tip.xyz.end()) {
        return Error{ErrorKind::value, "the control has no axes X, Y and Z", {}, "add them to the controller's axes"};
    }
    if (machine_.mounts.empty()) {
        return Error{ErrorKind::value, "nothing says how the machine carries tool and work", {}, "give the machine its mounts"};
    }
    Posture posture{mount_, {}};
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const bool parked = !rotary(i) && std::find(tip.xyz.begin(), tip.xyz.end(), i) == tip.xyz.end();
        if (parked || machine_.joints[i].by_hand) {
            posture.held.push_back({JointIndex(std::uint32_t(i)), now_[Eigen::Index(i)]});
        }
    }
    const auto solver_of = [&](const Posture& together) {
        const auto kinematics = Kinematics::make(machine_, together);
        return kinematics ? InverseSolver::make(*kinematics) : Result<InverseSolver>(kinematics.error());
    };
    auto solver = solver_of(posture);
    tip.around_tool = false;
    for (std::size_t i = 0; i < machine_.joints.size() && !solver; ++i) { // one that turns about the tool itself stands as it does
        if (rotary(i) && !machine_.joints[i].by_hand) {
            Posture without = posture;
            without.held.push_back({JointIndex(std::uint32_t(i)), now_[Eigen::Index(i)]});
            if (auto made = solver_of(without)) {
                solver = std::move(made);
                tip.around_tool = true;
            }
        }
    }
    if (!solver) {
        return solver.error();
    }
    tip.solvers.push_back(*solver);
    (void)offset(0); // brings the register in
    Readings zero = now_;
    for (std::size_t i = 0; i < offsets_.size(); ++i) {
        zero[Eigen::Index(i)] = machine_.joints[i].by_hand ? now_[Eigen::Index(i)] : offsets_[i];
    }
    const auto frame = TipFrame::make(tip.solvers.back(), tip.xyz, zero, tip.kind == FrameKind::world);
    if (!frame) {
        return frame.error();
    }
    tip.frame = *frame;
    if (tip.plane) {
        tip.frame->set_plane(*tip.plane);
    }
    tip.stale = false;
    return {};
}

void SimulatedControl::apply_frame(BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        if (group_of(meaning->function) != Group::frame) {
            continue;
        }
        if (!tip_words_) {
            tip_words_ = std::make_unique<TipWords>();
        }
        TipWords& tip = *tip_words_;
        tip.stale = true;
        tip.plane.reset();
        tip.kind = FrameKind::joints;
        const std::optional<Surface> before = std::exchange(surface_, std::nullopt);
        if (meaning->function == Function::cylinder_surface) {
            const Status status = read_surface(*meaning, words);
            if (!status) {
                report(Severity::error, "frame-error", "", refused(status.error()), status.error().cure);
            }
            changed_ = changed_ || !surface_ || !before || surface_->scale != before->scale;
            continue;
        }
        if (meaning->function == Function::joint_coordinates) {
            continue; // whether that changes anything the word in force tells
        }
        changed_ = true;
        const std::string letters = "XYZ";
        for (std::size_t k = 0; k < 3; ++k) {
            tip.xyz[k] = joint_of(letters[k]).value_or(SIZE_MAX);
        }
        tip.kind = meaning->function == Function::tool_centre_point   ? FrameKind::tool_centre_point
                   : meaning->function == Function::world_coordinates ? FrameKind::world
                                                                      : FrameKind::tilted_plane;
        Status status = make_frame();
        if (status && tip.kind == FrameKind::tilted_plane) {
            status = read_plane(meaning->plane, words);
        }
        if (!status) {
            report(Severity::error, "frame-error", "", refused(status.error()), status.error().cure);
            tip.kind = FrameKind::joints;
        }
    }
}

Status SimulatedControl::read_surface(const WordMeaning& meaning, BlockWords& words)
{
    const auto turning = machine_.find_joint(meaning.joint);
    const auto flat = joint_of(meaning.flat);
    if (!turning || !rotary(turning->value) || !flat || rotary(*flat)) {
        return Error{ErrorKind::value,
                     fmt::format("{} does not turn a cylinder round which {} could tell the way", meaning.joint, meaning.flat),
                     {},
                     "name a rotary joint and the letter of a linear one in the controller"};
    }
    const CodeWord* word = words.take(controller_.radius);
    const double radius = word != nullptr ? length_value(*word) : 0;
    if (radius <= 0) {
        return Error{ErrorKind::value,
                     fmt::format("the cylinder's radius {} is missing, or not above zero", controller_.radius),
                     {},
                     "write it in the same block"};
    }
    surface_ = Surface{*flat, turning->value, radius};
    return {};
}

/// The joint under the letter of the way round stands; the one that turns the cylinder goes.
void SimulatedControl::move_on_surface(ReplayMove& move)
{
    const auto [flat, turning, scale] = *surface_;
    move.surface_joint = turning;
    move.surface_scale = scale;
    move.surface_zero = offset(turning);
    move.to[Eigen::Index(turning)] = move.to[Eigen::Index(flat)] / scale + move.surface_zero;
    move.to[Eigen::Index(flat)] = now_[Eigen::Index(flat)];
    for (int& joint : move.arc_joints) {
        joint = move.arc && joint == int(flat) ? int(turning) : joint;
    }
}

Status SimulatedControl::read_plane(const PlaneForm& form, BlockWords& words)
{
    TipWords& tip = *tip_words_;
    std::string missing;
    const auto number = [&](char letter, bool length) {
        const CodeWord* word = words.take(letter);
        if (word == nullptr) {
            missing = missing.empty() ? std::string(1, letter) : missing;
            return 0.0;
        }
        words.addresses[BlockWords::place(letter)] = nullptr; // it places the plane, not an axis
        return length ? length_value(*word) : plain_value(*word, controller_.direction_increment);
    };
    Vec3 zero;
    for (int k = 0; k < 3; ++k) {
        zero[k] = number(form.origin[std::size_t(k)], true);
    }
    std::vector<double> numbers;
    for (const char letter : form.letters) {
        numbers.push_back(number(letter, form.lengths()));
    }
    if (!missing.empty()) {
        return Error{ErrorKind::value, fmt::format("the plane's word {} is missing", missing), {}, "write all its words in one block"};
    }
    Frame plane = Frame::Identity();
    plane.translation() = zero;
    if (form.by == PlaneForm::By::readings) {
        plane.linear() = tip.frame->tool_turned(tip.frame->solver().turns_of(now_));
    } else {
        const auto declared = plane_from(form, zero, numbers);
        if (!declared) {
            return declared.error();
        }
        plane = *declared;
    }
    tip.plane = plane;
    tip.frame->set_plane(plane);
    return {};
}

/// Of joints that point the same way the coordinate is that of the one that the block names.
void SimulatedControl::name_frame_joints(const BlockWords& words)
{
    TipWords& tip = *tip_words_;
    for (std::size_t& joint : tip.xyz) {
        const std::size_t other = named(words, joint, joint);
        tip.stale = tip.stale || other != joint;
        joint = other;
    }
}

Readings SimulatedControl::here()
{
    if (surface_) {
        Readings out = now_;
        out[Eigen::Index(surface_->flat)] = (now_[Eigen::Index(surface_->turning)] - offset(surface_->turning)) * surface_->scale;
        return out;
    }
    if (!in_frame()) {
        return now_;
    }
    TipWords& tip = *tip_words_;
    if (tip.stale || use(Group::offset) != offset_meaning_) {
        if (const Status status = make_frame(); !status) {
            report(Severity::error, "frame-error", "", refused(status.error()), status.error().cure);
            tip.kind = FrameKind::joints;
            return now_;
        }
    }
    const InverseSolver& solver = tip.frame->solver();
    const Vec3 place = tip.frame->coordinates(solver.kinematics().pose(now_, length_shift_).tip, solver.turns_of(now_));
    Readings out = now_;
    for (std::size_t k = 0; k < 3; ++k) {
        out[Eigen::Index(tip.xyz[k])] = place[Eigen::Index(k)];
    }
    return out;
}

Readings SimulatedControl::joints_of(const BlockWords& words, const Readings& place)
{
    const TipWords& tip = *tip_words_;
    const bool linear = std::any_of(tip.xyz.begin(), tip.xyz.end(), [&](std::size_t joint) {
        const auto address = controller_.address_of(machine_.joints[joint].id);
        return address && words.contains(*address);
    });
    Readings out = place;
    if (!linear && !words.in_cycle && tip.kind != FrameKind::tool_centre_point) { // only turned: the linear joints stay
        for (const std::size_t joint : tip.xyz) {
            out[Eigen::Index(joint)] = now_[Eigen::Index(joint)];
        }
        return out;
    }
    const InverseSolver& solver = tip.frame->solver();
    solver.set_linear(out, tip_of(place), length_shift_);
    return out;
}

Vec3 SimulatedControl::tip_of(const Readings& place) const
{
    const TipWords& tip = *tip_words_;
    const Vec3 at(place[Eigen::Index(tip.xyz[0])], place[Eigen::Index(tip.xyz[1])], place[Eigen::Index(tip.xyz[2])]);
    return tip.frame->tip(at, tip.frame->solver().turns_of(place));
}

/// A motion whose ends are coordinates becomes one of the joints.
void SimulatedControl::move_in_frame(const BlockWords& words, const Readings& place, ReplayMove& move)
{
    const TipWords& tip = *tip_words_;
    const InverseSolver& solver = tip.frame->solver();
    const Turns before = solver.turns_of(now_);
    move.tip_words = true;
    move.to = joints_of(words, place);
    const Turns after = solver.turns_of(move.to);
    if (move.arc) {
        if (before != after) {
            report(Severity::error, "arc-error", "", "rotary joints turn along an arc of the tip", "write lines");
        }
        // Where the rotary joints stand the linear ones draw the same arc, turned.
        std::array<Vec3, 4> image; // of the zero and the three directions
        for (int k = 0; k < 4; ++k) {
            Readings at = move.to;
            const Vec3 point = k == 0 ? Vec3::Zero() : Vec3(Vec3::Unit(k - 1));
            solver.set_linear(at, tip.frame->tip(point, after), length_shift_);
            image[std::size_t(k)] = Vec3(at[Eigen::Index(tip.xyz[0])], at[Eigen::Index(tip.xyz[1])], at[Eigen::Index(tip.xyz[2])]);
        }
        Mat3 map;
        map << image[1] - image[0], image[2] - image[0], image[3] - image[0];
        Arc& arc = *move.arc;
        for (Vec3* point : {&arc.start, &arc.end, &arc.centre}) {
            *point = image[0] + map * *point;
        }
        arc.normal = (map * arc.normal * map.determinant()).normalized();
        for (std::size_t k = 0; k < 3; ++k) {
            move.arc_joints[k] = int(tip.xyz[k]);
        }
        for (int k = 0; k < 3; ++k) {
            move.to[Eigen::Index(tip.xyz[std::size_t(k)])] = arc.end[k];
        }
        return;
    }
    if (move.feed && tip.kind == FrameKind::tool_centre_point && before != after) {
        move.tip_solver = &solver;
        move.tip_by_vector = controller_.tip_by_vector;
        move.tip_from = solver.kinematics().pose(now_, length_shift_).tip;
        move.tip_to = tip_of(place);
        move.tip_length = length_shift_;
    }
}

Readings ReplayMove::on_tip_line(double u) const
{
    Readings out = from + (to - from) * u;
    const Vec3 tip = tip_from + (tip_to - tip_from) * u;
    if (tip_by_vector) {
        const Pose a = tip_solver->kinematics().pose(from, tip_length);
        const Pose b = tip_solver->kinematics().pose(to, tip_length);
        const Candidates found = tip_solver->solve({tip, great_circle(a.axis, b.axis, u)}, tip_length, out);
        double least = 1e300;
        Readings nearest = out;
        for (const Candidate& candidate : found.list) {
            double far = 0;
            for (const JointIndex joint : tip_solver->rotary()) {
                far = std::max(far, std::abs(candidate.readings[Eigen::Index(joint.value)] - out[Eigen::Index(joint.value)]));
            }
            if (far < least) {
                least = far;
                nearest = candidate.readings;
            }
        }
        return nearest;
    }
    tip_solver->set_linear(out, tip, tip_length);
    return out;
}

} // namespace wexilum
