#include "core/control/arc_blocks.hpp"

#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

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

void ArcBlocks::run(const BlockWords& words_in, const Readings& to, bool clockwise)
{
    BlockWords words = words_in;
    const Controller& controller = parts_.controller;
    const Plane plane = plane_in_force();
    Arc arc;
    arc.normal = clockwise ? Vec3(-Vec3::Unit(plane.w)) : Vec3(Vec3::Unit(plane.w));
    auto refused = name_joints(words_in, words.arc_joints);
    const auto& planes = controller.arc_planes;
    if (!controller.has_arcs || std::find(planes.begin(), planes.end(), plane.name) == planes.end()) {
        refused = Refused{fmt::format("the control moves no arcs in the plane {}", plane.name), "write lines, or choose another plane"};
    }
    if (!refused) {
        draw_ends(words, to, arc);
        refused = centre_of(words_in, plane, arc, words.arc_by_centre);
    }
    if (!refused && std::abs(arc.end[plane.w] - arc.start[plane.w]) > 1e-9 && !controller.arc_helix) {
        refused = Refused{"the control moves no helix", "write lines"};
    }
    if (refused) {
        parts_.log.report(Severity::error, "arc-error", "", std::move(refused->message), std::move(refused->cure));
        for (const char c : controller.centre) {
            words_in.use(c);
        }
        words_in.use(controller.radius);
        words.arc_by_centre = false;
        motions_.go(words, to, true);
        return;
    }
    arc.sweep = arc_sweep(arc.start, arc.end, arc.centre, arc.normal, 1e-9);
    if (controller.radius_rule == Controller::RadiusRule::start) {
        const Vec3 upwards = Vec3::Unit(plane.w);
        const Vec3 foot = arc.centre + upwards * upwards.dot(arc.end - arc.centre);
        arc.end = foot + (arc.end - foot).normalized() * arc.start_radius();
    }
    motions_.go(words, to, true, arc);
}

ArcBlocks::Plane ArcBlocks::plane_in_force()
{
    Plane out;
    out.function = parts_.modal.use(Group::plane, Function::plane_xy);
    out.name = name_of(out.function).substr(6);
    out.w = out.function == Function::plane_xy ? 2 : out.function == Function::plane_zx ? 1 : 0;
    out.u = (out.w + 1) % 3;
    out.v = (out.w + 2) % 3;
    return out;
}

/// The joints behind X, Y and Z.
std::optional<ArcBlocks::Refused> ArcBlocks::name_joints(const BlockWords& words, std::array<int, 3>& joints) const
{
    const std::string letters = "XYZ";
    for (std::size_t k = 0; k < 3; ++k) {
        const auto joint = parts_.axes.joint_of(letters[k]);
        if (!joint) {
            return Refused{"the control has no axes X, Y and Z for an arc", "add them to the controller's axes"};
        }
        joints[k] = int(parts_.axes.named(words, *joint, *joint));
    }
    return std::nullopt;
}

/// Its ends.
void ArcBlocks::draw_ends(const BlockWords& words, const Readings& to, Arc& arc)
{
    const Readings from = parts_.frames.here();
    for (int k = 0; k < 3; ++k) {
        arc.start[k] = from[words.arc_joints[std::size_t(k)]];
        arc.end[k] = to[words.arc_joints[std::size_t(k)]];
    }
}

/// Its centre, from the words for that or the radius.
std::optional<ArcBlocks::Refused> ArcBlocks::centre_of(const BlockWords& words, const Plane& plane, Arc& arc, bool& by_centre)
{
    const Controller& controller = parts_.controller;
    ModalWords& modal = parts_.modal;
    const CodeWord* radius = words.take(controller.radius);
    std::array<const CodeWord*, 3> centre{};
    for (std::size_t k = 0; k < 3; ++k) {
        centre[k] = words.take(controller.centre[k]);
    }
    if (centre[std::size_t(plane.w)] != nullptr) {
        return Refused{fmt::format("the centre word {} does not lie in the plane {}", controller.centre[std::size_t(plane.w)], plane.name),
                       "correct the plane or the word"};
    }
    by_centre = centre[std::size_t(plane.u)] != nullptr || centre[std::size_t(plane.v)] != nullptr;
    if (by_centre == (radius != nullptr) || (by_centre && !controller.arc_centre) || (!by_centre && !controller.arc_radius)) {
        return Refused{"an arc needs either its centre or its radius, as the control takes it", "write one of the two forms"};
    }
    const auto& turned = parts_.zero.turned();
    if (turned && turned->across != plane.w) {
        return Refused{"the coordinates are turned in another plane than the arc's", "take the rotation back first"};
    }
    if (by_centre) {
        std::array<double, 2> way{};
        for (std::size_t k = 0; k < 2; ++k) {
            const CodeWord* word = centre[std::size_t(k == 0 ? plane.u : plane.v)];
            way[k] = word != nullptr ? modal.length(*word) : 0;
        }
        const double turn = turned ? turned->angle : 0;
        arc.centre = arc.start;
        arc.centre[plane.u] += turned ? std::cos(turn) * way[0] - std::sin(turn) * way[1] : way[0];
        arc.centre[plane.v] += turned ? std::sin(turn) * way[0] + std::cos(turn) * way[1] : way[1];
    } else {
        const Vec3 upwards = Vec3::Unit(plane.w);
        const auto found = centre_from_radius(arc.start, arc.end, upwards, modal.length(*radius), upwards.dot(arc.normal) > 0);
        if (!found) {
            return Refused{"no arc of this radius joins start and end", "correct the radius or the end"};
        }
        arc.centre = *found;
    }
    const double start_radius = arc.start_radius();
    const double end_radius = arc.end_radius();
    if (start_radius < 1e-9) {
        return Refused{"the arc's centre is its start", "correct the centre"};
    }
    if (std::abs(start_radius - end_radius) > controller.arc_end_tolerance) {
        parts_.log.report(Severity::error, "arc-error", "",
                          fmt::format("start and end radius differ by {:.4f} mm, the control takes {:.4f} mm",
                                      std::abs(start_radius - end_radius), controller.arc_end_tolerance),
                          "correct centre or end", std::abs(start_radius - end_radius));
    }
    return std::nullopt;
}

} // namespace wexilum
