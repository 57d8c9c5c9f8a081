#include "core/control/coordinate_frames.hpp"

#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace wexilum {

CoordinateFrames::CoordinateFrames(const Controller& controller, const Machine& machine, ControlAxes& axes, ModalWords& modal,
                                   WorkZero& zero, const ToolMounts& mounts, const ToolsAndLengths& tools, ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), axes_(axes), modal_(modal), zero_(zero), mounts_(mounts), tools_(tools)
{
    knows_frames_ = modal.knows(Group::frame);
}

void CoordinateFrames::use_frame()
{
    if (knows_frames_) {
        (void)modal_.use(Group::frame);
    }
}

bool CoordinateFrames::is_xyz(std::size_t joint) const { return std::find(tip_->xyz.begin(), tip_->xyz.end(), joint) != tip_->xyz.end(); }

/// A solver for the joints that the control's transformation works on: what moves with X, Y, Z and the rotary words; all else stands as it
/// does.
Result<InverseSolver> CoordinateFrames::solver_here()
{
    Posture posture{mounts_.mount(), {}};
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const bool parked = !axes_.rotary(i) && !is_xyz(i);
        if (parked || machine_.joints[i].by_hand) {
            posture.held.push_back({JointIndex(std::uint32_t(i)), axes_.now(i)});
        }
    }
    const auto solver_of = [&](const Posture& together) {
        const auto kinematics = Kinematics::make(machine_, together);
        return kinematics ? InverseSolver::make(*kinematics) : Result<InverseSolver>(kinematics.error());
    };
    auto solver = solver_of(posture);
    tip_->around_tool = false;
    for (std::size_t i = 0; i < machine_.joints.size() && !solver; ++i) { // one that turns about the tool itself stands as it does
        if (axes_.rotary(i) && !machine_.joints[i].by_hand) {
            Posture without = posture;
            without.held.push_back({JointIndex(std::uint32_t(i)), axes_.now(i)});
            if (auto made = solver_of(without)) {
                solver = std::move(made);
                tip_->around_tool = true;
            }
        }
    }
    return solver;
}

Status CoordinateFrames::make_frame()
{
    Tip& tip = *tip_;
    tip.frame.reset();
    if (is_xyz(SIZE_MAX)) {
        return Error{ErrorKind::value, "the control has no axes X, Y and Z", {}, "add them to the controller's axes"};
    }
    if (machine_.mounts.empty()) {
        return Error{ErrorKind::value, "nothing says how the machine carries tool and work", {}, "give the machine its mounts"};
    }
    const auto solver = solver_here();
    if (!solver) {
        return solver.error();
    }
    solvers_.push_back(*solver);
    zero_.take_register();
    Readings zero = axes_.now();
    for (std::size_t i = 0; i < zero_.offsets().size(); ++i) {
        zero[Eigen::Index(i)] = machine_.joints[i].by_hand ? axes_.now(i) : zero_.offsets()[i];
    }
    const auto frame = TipFrame::make(solvers_.back(), tip.xyz, zero, tip.kind == FrameKind::world);
    if (!frame) {
        return frame.error();
    }
    tip.frame = *frame;
    if (tip.plane) {
        tip.frame->set_plane(*tip.plane);
    }
    tip.stale = false;
    tip.mounted = mounts_.changes();
    return {};
}

void CoordinateFrames::refuse(const Error& error)
{
    log_.report(Severity::error, "frame-error", "", fmt::format("the control can't take these coordinates: {}", error.message), error.cure);
}

void CoordinateFrames::apply(BlockWords& words)
{
    for (const WordMeaning* meaning : words.functions) {
        if (group_of(meaning->function) != Group::frame) {
            continue;
        }
        if (!tip_) {
            tip_ = std::make_unique<Tip>();
        }
        tip_->stale = true;
        tip_->plane.reset();
        tip_->kind = FrameKind::joints;
        const std::optional<Surface> before = std::exchange(surface_, std::nullopt);
        if (meaning->function == Function::cylinder_surface) {
            if (const Status status = read_surface(*meaning, words); !status) {
                refuse(status.error());
            }
            log_.note_change(!surface_ || !before || surface_->scale != before->scale);
        } else if (meaning->function != Function::joint_coordinates) { // whether that changes anything the word in force says
            begin_frame(*meaning, words);
        }
    }
}

void CoordinateFrames::begin_frame(const WordMeaning& meaning, BlockWords& words)
{
    Tip& tip = *tip_;
    log_.note_change();
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        tip.xyz[k] = axes_.joint_of(letters[k]).value_or(SIZE_MAX);
    }
    tip.kind = meaning.function == Function::tool_centre_point   ? FrameKind::tool_centre_point
               : meaning.function == Function::world_coordinates ? FrameKind::world
                                                                 : FrameKind::tilted_plane;
    Status status = make_frame();
    if (status && tip.kind == FrameKind::tilted_plane) {
        status = read_plane(meaning.plane, words);
    }
    if (!status) {
        refuse(status.error());
        tip.kind = FrameKind::joints;
    }
}

Status CoordinateFrames::read_surface(const WordMeaning& meaning, BlockWords& words)
{
    const auto turning = machine_.find_joint(meaning.joint);
    const auto flat = axes_.joint_of(meaning.flat);
    if (!turning || !axes_.rotary(turning->value) || !flat || axes_.rotary(*flat)) {
        return Error{ErrorKind::value,
                     fmt::format("{} does not turn a cylinder round which {} could give the way", meaning.joint, meaning.flat),
                     {},
                     "name a rotary joint and the letter of a linear one in the controller"};
    }
    const CodeWord* word = words.take(controller_.radius);
    const double radius = word != nullptr ? modal_.length(*word) : 0;
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
void CoordinateFrames::move_on_surface(ReplayMove& move)
{
    const auto [flat, turning, scale] = *surface_;
    move.surface_joint = turning;
    move.surface_scale = scale;
    move.surface_zero = offset(turning);
    move.to[Eigen::Index(turning)] = move.to[Eigen::Index(flat)] / scale + move.surface_zero;
    move.to[Eigen::Index(flat)] = axes_.now(flat);
    for (int& joint : move.arc_joints) {
        joint = move.arc && joint == int(flat) ? int(turning) : joint;
    }
}

Status CoordinateFrames::read_plane(const PlaneForm& form, BlockWords& words)
{
    std::string missing;
    const auto number = [&](char letter, bool length) {
        const CodeWord* word = words.take(letter);
        if (word == nullptr) {
            missing = missing.empty() ? std::string(1, letter) : missing;
            return 0.0;
        }
        words.withdraw(letter); // it places the plane, not an axis
        return length ? modal_.length(*word) : modal_.value(*word, controller_.direction_increment);
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
    Tip& tip = *tip_;
    Frame plane = Frame::Identity();
    plane.translation() = zero;
    if (form.by == PlaneForm::By::readings) {
        plane.linear() = tip.frame->tool_turned(axes_.now());
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

void CoordinateFrames::name_joints(const BlockWords& words)
{
    for (std::size_t& joint : tip_->xyz) {
        const std::size_t other = axes_.named(words, joint, joint);
        tip_->stale = tip_->stale || other != joint;
        joint = other;
    }
}

void CoordinateFrames::note_motion() { tip_->stale = tip_->stale || axes_.has_aligned() || tip_->around_tool; }

double CoordinateFrames::offset(std::size_t joint)
{
    zero_.take_register();
    if (in_frame() && is_xyz(joint)) {
        return 0; // it is in the frame
    }
    if (surface_ && joint == surface_->flat) {
        return 0; // the way round begins where the word of the joint that turns is zero
    }
    return zero_.of(joint);
}

Readings CoordinateFrames::here()
{
    Readings out = axes_.now();
    if (surface_) {
        out[Eigen::Index(surface_->flat)] = (axes_.now(surface_->turning) - offset(surface_->turning)) * surface_->scale;
        return out;
    }
    if (!in_frame()) {
        return out;
    }
    Tip& tip = *tip_;
    if (tip.stale || tip.mounted != mounts_.changes() || zero_.register_differs()) {
        if (const Status status = make_frame(); !status) {
            refuse(status.error());
            tip.kind = FrameKind::joints;
            return out;
        }
    }
    const InverseSolver& solver = tip.frame->solver();
    const Vec3 place = tip.frame->coordinates(solver.kinematics().pose(axes_.now(), tools_.shift()).tip, axes_.now());
    for (std::size_t k = 0; k < 3; ++k) {
        out[Eigen::Index(tip.xyz[k])] = place[Eigen::Index(k)];
    }
    return out;
}

Readings CoordinateFrames::joints_of(const BlockWords& words, const Readings& place) const
{
    const Tip& tip = *tip_;
    const bool linear = std::any_of(tip.xyz.begin(), tip.xyz.end(), [&](std::size_t joint) {
        const auto address = controller_.address_of(machine_.joints[joint].id);
        return address && words.contains(*address);
    });
    Readings out = place;
    if (!linear && !words.in_cycle && tip.kind != FrameKind::tool_centre_point) { // only turned: the linear joints stay
        for (const std::size_t joint : tip.xyz) {
            out[Eigen::Index(joint)] = axes_.now(joint);
        }
        return out;
    }
    tip.frame->solver().set_linear(out, tip_of(place), tools_.shift());
    return out;
}

Vec3 CoordinateFrames::tip_of(const Readings& place) const
{
    const Tip& tip = *tip_;
    const Vec3 at(place[Eigen::Index(tip.xyz[0])], place[Eigen::Index(tip.xyz[1])], place[Eigen::Index(tip.xyz[2])]);
    return tip.frame->tip(at, place);
}

void CoordinateFrames::move_in_frame(const BlockWords& words, const Readings& place, ReplayMove& move)
{
    const Tip& tip = *tip_;
    const InverseSolver& solver = tip.frame->solver();
    move.tip_words = true;
    move.to = joints_of(words, place);
    const bool turns = solver.turn_between(axes_.now(), move.to) > 0;
    if (move.arc) {
        if (turns) {
            log_.report(Severity::error, "arc-error", "", "rotary joints turn along an arc of the tip", "write lines");
        }
        turn_arc(move);
        return;
    }
    if (move.feed && tip.kind == FrameKind::tool_centre_point && turns) {
        move.tip_solver = &solver;
        move.tip_by_vector = controller_.tip_by_vector;
        move.tip_from = solver.kinematics().pose(axes_.now(), tools_.shift()).tip;
        move.tip_to = tip_of(place);
        move.tip_length = tools_.shift();
    }
}

/// Where the rotary joints stand the linear ones draw the same arc as the tip, turned.
void CoordinateFrames::turn_arc(ReplayMove& move) const
{
    const Tip& tip = *tip_;
    std::array<Vec3, 4> image; // of the zero and the three directions
    for (int k = 0; k < 4; ++k) {
        Readings at = move.to;
        const Vec3 point = k == 0 ? Vec3::Zero() : Vec3(Vec3::Unit(k - 1));
        tip.frame->solver().set_linear(at, tip.frame->tip(point, move.to), tools_.shift());
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
        move.to[Eigen::Index(tip.xyz[k])] = arc.end[Eigen::Index(k)];
    }
}

bool CoordinateFrames::leaves_cuts_plain() const { return !any() && (!knows_frames_ || modal_.reliable(Group::frame)); }

} // namespace wexilum
