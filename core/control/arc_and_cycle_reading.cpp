// How the control reads arcs and point cycles.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using record::SpindleState;

/// Centre of an arc in the plane of u and v from its radius. Positive radius: at most half a turn.
std::optional<Vec3> centre_from_radius(const Vec3& start, const Vec3& end, const Vec3& normal, double radius, bool counter_clockwise)
{
    Vec3 chord = end - start;
    chord -= normal * normal.dot(chord);
    const double half = chord.norm() / 2;
    const double size = std::abs(radius);
    if (half < 1e-9 || half > size + 1e-3) {
        return std::nullopt;
    }
    const double height = std::sqrt(std::max(0.0, size * size - half * half));
    // Left of the chord for a short counter-clockwise arc.
    const double side = (counter_clockwise ? 1.0 : -1.0) * (radius > 0 ? 1.0 : -1.0);
    const Vec3 left = normal.cross(chord).normalized();
    Vec3 centre = start + chord / 2 + left * (side * height);
    return centre;
}

} // namespace

void SimulatedControl::run_arc(const BlockWords& words_in, Readings to, bool clockwise)
{
    BlockWords words = words_in;
    const auto give_up = [&](std::string message, std::string cure) {
        report(Severity::error, "arc-error", "", std::move(message), std::move(cure));
        for (const char c : controller_.centre) {
            words_in.use(c);
        }
        words_in.use(controller_.radius);
        go(words, to, true);
    };
    const WordMeaning* plane = use(Group::plane);
    const Function function = plane != nullptr ? plane->function : Function::plane_xy;
    const std::string name(name_of(function).substr(6));
    const auto& planes = controller_.arc_planes;
    if (!controller_.has_arcs || std::find(planes.begin(), planes.end(), name) == planes.end()) {
        give_up(fmt::format("the control moves no arcs in the plane {}", name), "write lines, or choose another plane");
        return;
    }
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        const auto joint = joint_of(letters[k]);
        if (!joint) {
            give_up("the control has no axes X, Y and Z for an arc", "add them to the controller's axes");
            return;
        }
        words.arc_joints[k] = int(named(words_in, *joint, *joint));
    }
    const int w = function == Function::plane_xy ? 2 : function == Function::plane_zx ? 1 : 0;
    const int u = (w + 1) % 3;
    const int v = (w + 2) % 3;
    Arc arc;
    const Readings from = here();
    for (int k = 0; k < 3; ++k) {
        arc.start[k] = from[words.arc_joints[std::size_t(k)]];
        arc.end[k] = to[words.arc_joints[std::size_t(k)]];
    }
    const Vec3 upwards = Vec3::Unit(w);
    arc.normal = clockwise ? Vec3(-upwards) : upwards;
    const CodeWord* radius = words_in.take(controller_.radius);
    std::array<const CodeWord*, 3> centre{};
    for (std::size_t k = 0; k < 3; ++k) {
        centre[k] = words_in.take(controller_.centre[k]);
    }
    if (centre[std::size_t(w)] != nullptr) {
        give_up(fmt::format("the centre word {} does not lie in the plane {}", controller_.centre[std::size_t(w)], name),
                "correct the plane or the word");
        return;
    }
    const bool by_centre = centre[std::size_t(u)] != nullptr || centre[std::size_t(v)] != nullptr;
    if (by_centre == (radius != nullptr) || (by_centre && !controller_.arc_centre) || (!by_centre && !controller_.arc_radius)) {
        give_up("an arc needs either its centre or its radius, as the control takes it", "write one of the two forms");
        return;
    }
    if (turned_ && turned_->across != w) {
        give_up("the coordinates are turned in another plane than the arc's", "take the rotation back first");
        return;
    }
    if (by_centre) {
        std::array<double, 2> way{};
        for (std::size_t k = 0; k < 2; ++k) {
            const CodeWord* word = centre[std::size_t(k == 0 ? u : v)];
            way[k] = word != nullptr ? length_value(*word) : 0;
        }
        const double turn = turned_ ? turned_->angle : 0;
        arc.centre = arc.start;
        arc.centre[u] += turned_ ? std::cos(turn) * way[0] - std::sin(turn) * way[1] : way[0];
        arc.centre[v] += turned_ ? std::sin(turn) * way[0] + std::cos(turn) * way[1] : way[1];
    } else {
        const auto found = centre_from_radius(arc.start, arc.end, upwards, length_value(*radius), !clockwise);
        if (!found) {
            give_up("no arc of this radius joins start and end", "correct the radius or the end");
            return;
        }
        arc.centre = *found;
    }
    const double start_radius = arc.start_radius();
    const double end_radius = arc.end_radius();
    if (start_radius < 1e-9) {
        give_up("the arc's centre is its start", "correct the centre");
        return;
    }
    if (std::abs(start_radius - end_radius) > controller_.arc_end_tolerance) {
        report(Severity::error, "arc-error", "",
               fmt::format("start and end radius differ by {:.4f} mm, the control takes {:.4f} mm", std::abs(start_radius - end_radius),
                           controller_.arc_end_tolerance),
               "correct centre or end", std::abs(start_radius - end_radius));
    }
    if (std::abs(arc.end[w] - arc.start[w]) > 1e-9 && !controller_.arc_helix) {
        give_up("the control moves no helix", "write lines");
        return;
    }
    arc.sweep = arc_sweep(arc.start, arc.end, arc.centre, arc.normal, 1e-9);
    if (controller_.radius_rule == Controller::RadiusRule::start) {
        const Vec3 foot = arc.centre + upwards * upwards.dot(arc.end - arc.centre);
        arc.end = foot + (arc.end - foot).normalized() * start_radius;
    }
    words.arc_by_centre = by_centre;
    go(words, to, true, arc);
}

void SimulatedControl::cycle_leg(double level, bool feed)
{
    Readings to = here();
    const bool moves = std::abs(level - to[Eigen::Index(cycle_joint_)]) > 1e-9;
    to[Eigen::Index(cycle_joint_)] = level;
    if (moves) {
        go(*words_, to, feed);
    }
}

/// The joint along which a cycle that begins in this block drills.
std::size_t SimulatedControl::drilled(const BlockWords& words)
{
    if (controller_.cycles_across_plane && !in_frame()) {
        const WordMeaning* plane = use(Group::plane);
        const auto joint = joint_of(across(plane != nullptr ? plane->function : Function::plane_xy));
        return joint ? named(words, *joint, *joint) : SIZE_MAX;
    }
    return length_default_ == SIZE_MAX ? SIZE_MAX : named(words, length_default_, length_default_);
}

void SimulatedControl::run_cycle(const BlockWords& words, Readings to)
{
    const CycleMotion& cycle = state_[std::size_t(Group::motion)].meaning->cycle;
    cycle_joint_ = cycle_joint_ == SIZE_MAX ? SIZE_MAX : named(words, cycle_joint_, cycle_joint_);
    if (controller_.cycles_across_plane && !in_frame() && cycle_joint_ != SIZE_MAX && drilled(words) != cycle_joint_) {
        report(Severity::error, "cycle-plane", "", "the plane changes while a cycle is on: it would drill along another axis",
               "cancel the cycle before the plane changes");
        return;
    }
    if (words.has(Function::machine_coordinates)) {
        report(Severity::error, "code-error", "", "a cycle in machine coordinates is not simulated",
               "drill at the work offset's coordinates");
        return;
    }
    const auto at = Eigen::Index(cycle_joint_);
    const WordMeaning* distance = use(Group::distance);
    if (cycle_joint_ == SIZE_MAX || (distance != nullptr && distance->function == Function::incremental)) {
        report(Severity::error, "code-error", "", "a cycle in incremental coordinates or without a length joint is not simulated",
               "write it in absolute coordinates");
        return;
    }
    // The axis word of the length joint is the bottom of the hole, not a place to go to.
    const auto address = cycle_joint_ == SIZE_MAX ? std::nullopt : controller_.address_of(machine_.joints[cycle_joint_].id);
    if (address && words.contains(*address)) {
        cycle_bottom_ = to[at];
    }
    words.in_cycle = true;
    const Readings from = here();
    to[at] = from[at];
    if (const CodeWord* word = words.take(controller_.cycle_clearance)) {
        cycle_clearance_ = length_value(*word) + offset(cycle_joint_);
    }
    if (const CodeWord* word = words.take(controller_.cycle_step)) {
        cycle_step_ = length_value(*word);
    }
    if (const CodeWord* word = words.take(controller_.cycle_dwell)) {
        cycle_dwell_ = controller_.dwell_in_milliseconds ? plain_value(*word, 1) / 1000 : plain_value(*word, controller_.time_increment);
    }
    const bool pecks = cycle.motion == "peck" || cycle.motion == "chip_break";
    if (!cycle_bottom_ || !cycle_clearance_ || (pecks && !(cycle_step_.value_or(0) > 0))) {
        report(Severity::error, "code-error", "", "the cycle lacks its bottom, its clearance or its step", "write the missing word");
        return;
    }
    if (pecks && std::abs(*cycle_clearance_ - *cycle_bottom_) / *cycle_step_ > 10000) {
        report(Severity::error, "code-error", "", "the cycle's step makes more than 10000 pecks", "correct the step word");
        return;
    }
    if (!cycle_) {
        cycle_ = std::make_unique<CycleRun>();
    }
    *cycle_ = {CycleRun::Stage::down, true, &cycle, *cycle_clearance_, *cycle_bottom_, *cycle_clearance_, pecks ? *cycle_step_ : 0, to};
}

/// The next motion of the cycle at hand, or its dwell.
void SimulatedControl::next_cycle_leg()
{
    using Stage = CycleRun::Stage;
    CycleRun& run = *cycle_;
    const auto at = Eigen::Index(cycle_joint_);
    const double out = run.bottom > run.clearance ? -1 : 1; // across a side plane it may drill towards higher values
    const auto further_out = [&](double a, double b) { return out * a > out * b ? a : b; };
    switch (run.stage) {
    case Stage::down: {
        const double from = here()[at];
        run.stage = Stage::over;
        if (further_out(run.clearance, from) != from) {
            cycle_leg(run.clearance, false);
            run.to[at] = run.clearance;
        }
        return;
    }
    case Stage::over:
        run.stage = Stage::in;
        if ((run.to - here()).cwiseAbs().maxCoeff() > (in_frame() ? 1e-9 : 1e-12)) {
            go(*words_, run.to, false);
        }
        return;
    case Stage::in:
        run.stage = Stage::peck;
        cycle_leg(run.clearance, false);
        return;
    case Stage::peck:
        if (run.step > 0 && out * (run.reached - run.bottom) - run.step > 1e-9) {
            run.reached -= out * run.step;
            run.stage = run.cycle->motion == "peck" ? Stage::peck_out : Stage::peck_back;
            cycle_leg(run.reached, true);
            return;
        }
        run.stage = Stage::dwell;
        cycle_leg(run.bottom, true);
        return;
    case Stage::peck_out:
        run.stage = Stage::peck_back;
        cycle_leg(run.clearance, false);
        return;
    case Stage::peck_back: {
        const double back = run.reached + out * run.cycle->gap;
        run.stage = Stage::peck;
        cycle_leg(further_out(run.clearance, back) == run.clearance ? back : run.clearance, false);
        return;
    }
    case Stage::dwell:
        run.stage = Stage::back;
        if (cycle_dwell_ > 0) {
            happens(Happening::Kind::dwell).seconds = cycle_dwell_;
        }
        return;
    case Stage::back: {
        const SpindleState forward = spindle_;
        const bool taps = run.cycle->motion == "tap";
        if (taps) {
            spindle_ = forward == SpindleState::clockwise ? SpindleState::counter_clockwise : SpindleState::clockwise;
        }
        run.stage = Stage::away;
        cycle_leg(run.clearance, taps || run.cycle->motion == "bore");
        spindle_ = forward;
        return;
    }
    case Stage::away: {
        run.on = false;
        const WordMeaning* back = use(Group::cycle_return);
        if (back != nullptr && back->function == Function::return_initial) {
            cycle_leg(further_out(initial_level_, run.clearance), false);
        }
        changed_ = true;
        return;
    }
    }
}

} // namespace wexilum
