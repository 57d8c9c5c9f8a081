#include "core/advice/jog.hpp"

#include "core/base/units.hpp"
#include "core/task/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double just_before = 0.02;  // mm: as near as a jog goes at most
constexpr double part_length = 2;     // mm of linear joints between two looks at travel and at what comes apart
constexpr double part_turn = 0.02;    // rad of rotary joints
constexpr int most_parts = 4000;      // of one way
constexpr int halvings = 14;          // to where it stops
constexpr double comes_nearer = 1e-6; // mm: less is rounding

Error cannot(std::string message, std::string cure) { return {ErrorKind::value, std::move(message), {}, std::move(cure)}; }

} // namespace

Jogger::Jogger(const Assembly& assembly, InverseSolver solver, ContactSet contact)
    : assembly_(&assembly), solver_(std::move(solver)), contact_(std::move(contact))
{}

Result<Jogger> Jogger::make(const Assembly& a, std::size_t operation)
{
    auto contact = ContactSet::make(a.machine, a.setup);
    if (!contact) {
        return contact.error();
    }
    const Posture posture = a.posture_of(operation);
    auto solver = solver_of(a, posture);
    if (!solver) {
        return solver.error();
    }
    Jogger out(a, std::move(*solver), std::move(*contact));
    out.posture_ = posture;
    return out;
}

void Jogger::fit(const Tool* tool, double length)
{
    tool_ = tool;
    length_ = length;
    contact_.fit(posture_.mount, tool);
}

bool Jogger::in_chain(JointIndex joint) const
{
    const auto& driving = solver_.kinematics().driving();
    return std::find(driving.begin(), driving.end(), joint) != driving.end();
}

Pose Jogger::pose(const Readings& now) const
{
    return transformed(assembly_->setup.part().inverse(), solver_.kinematics().pose(now, length_));
}

/// In the work mount's frame.
Vec3 Jogger::direction(const Readings& now, JogFrame frame, std::size_t axis) const
{
    const Vec3 unit = Vec3::Unit(Eigen::Index(axis));
    switch (frame) {
    case JogFrame::part: return assembly_->setup.part().linear() * unit;
    case JogFrame::tool: return solver_.kinematics().tool_from_work(now).linear() * unit;
    case JogFrame::machine: break;
    }
    const Mount work = holder_of(*assembly_, posture_.work);
    const Mat3 carried =
        work.parent < 0 ? Mat3(Mat3::Identity()) : Mat3(joint_frames(assembly_->machine, now)[std::size_t(work.parent)].linear());
    return (carried * work.frame.linear()).transpose() * unit;
}

// --- ways ---------------------------------------------------------------------------------------------------------------

JogWay Jogger::axis(const Readings& now, JointIndex joint, double to) const
{
    return [this, now, joint, to](double part) {
        Readings out = now;
        double& reading = out[Eigen::Index(joint.value)];
        reading += (to - reading) * part;
        bring_followers(assembly_->machine, out);
        return std::optional(out);
    };
}

Result<JogWay> Jogger::axis_with_tip_held(const Readings& now, JointIndex joint, double to) const
{
    const Joint& turning = assembly_->machine.joints[joint.value];
    if (turning.kind != JointKind::rotary || !in_chain(joint)) {
        return cannot(fmt::format("{} does not turn the tool against the work here: there is nothing to hold the tip against", turning.id),
                      "move it without the tip held");
    }
    const Vec3 tip = solver_.kinematics().pose(now, length_).tip;
    return JogWay([this, now, joint, to, tip](double part) {
        Readings out = now;
        double& reading = out[Eigen::Index(joint.value)];
        reading += (to - reading) * part;
        solver_.set_linear(out, tip, length_);
        bring_followers(assembly_->machine, out);
        return std::optional(out);
    });
}

Result<JogWay> Jogger::along(const Readings& now, JogFrame frame, std::size_t axis, double mm) const
{
    const Vec3 tip = solver_.kinematics().pose(now, length_).tip;
    const Vec3 way = direction(now, frame, axis) * mm;
    return JogWay([this, now, tip, way](double part) {
        Readings out = now;
        solver_.set_linear(out, tip + way * part, length_);
        bring_followers(assembly_->machine, out);
        return std::optional(out);
    });
}

Result<JogWay> Jogger::about(const Readings& now, JogFrame frame, std::size_t axis, double rad) const
{
    if (solver_.rotary().empty()) {
        return cannot("no rotary joint turns the tool here", "choose an operation with a head, or jog along an axis");
    }
    const Pose here = solver_.kinematics().pose(now, length_);
    const Vec3 pivot = direction(now, frame, axis);
    if (std::abs(pivot.dot(here.axis)) > 1 - 1e-12) {
        return cannot("the tool would turn about itself, which changes nothing for this machine", "jog about another axis");
    }
    const JogWay way = [this, now, here, pivot, rad](double part) -> std::optional<Readings> {
        const Pose wanted{here.tip, Eigen::AngleAxisd(rad * part, pivot) * here.axis};
        const Candidates found = solver_.solve(wanted, length_, now);
        const Candidate* nearest = nullptr;
        for (const Candidate& one : found.list) {
            const auto turn = [&](const Candidate& c) {
                double out = 0;
                for (const JointIndex j : solver_.rotary()) {
                    out = std::max(out, std::abs(c.readings[Eigen::Index(j.value)] - now[Eigen::Index(j.value)]));
                }
                return out;
            };
            nearest = nearest == nullptr || turn(one) < turn(*nearest) ? &one : nearest;
        }
        return nearest != nullptr ? std::optional(nearest->readings) : std::nullopt;
    };
    if (!way(1)) {
        const Candidates found = solver_.solve({here.tip, Eigen::AngleAxisd(rad, pivot) * here.axis}, length_, now);
        return cannot(fmt::format("no rotary posture points the tool there: {:.3f} deg are missing", to_deg(found.missed_by)),
                      "turn it less far, or about another axis");
    }
    return way;
}

// --- going --------------------------------------------------------------------------------------------------------------

Jogger::Two Jogger::closest(std::size_t pair, const Readings& at) const
{
    const ContactWatch& watch = contact_.watch();
    Two out;
    for (const std::size_t a : watch.pair(pair).first_solids) {
        for (const std::size_t b : watch.pair(pair).second_solids) {
            const double distance = watch.apart(a, b, at);
            out = distance < out.distance ? Two{a, b, distance} : out;
        }
    }
    return out;
}

double Jogger::distance_of(std::size_t pair, const Readings& at) const { return closest(pair, at).distance; }

std::string Jogger::names_of(std::size_t pair, const Readings& at) const
{
    const Two two = closest(pair, at);
    const auto& solids = contact_.watch().solids();
    return fmt::format("{} and {}", solids[two.a].body().id, solids[two.b].body().id);
}

bool Jogger::leads_out(std::size_t pair, const JogWay& way) const
{
    double part = 1.0 / 16;
    for (int i = 0; i < 13; ++i, part *= 2) { // up to 256 times the way
        const auto ahead = way(part);
        const auto back = way(-part);
        const bool out = ahead && distance_of(pair, *ahead) > 0;
        if (out || (back && distance_of(pair, *back) > 0)) {
            return out;
        }
    }
    return false;
}

/// Sets how near each pair may come, and gathers those that are nearer already; what is in the way where one touches and the way does not
/// lead out of that.
std::optional<Jogger::Outcome> Jogger::keep_clear(const Readings& now, const JogWay& way, bool closer, std::vector<Held>& held)
{
    ContactWatch& watch = contact_.watch();
    for (std::size_t p = 0; p < watch.pairs(); ++p) {
        const double clearance = closer ? just_before : std::max(just_before, watch.pair(p).clearance);
        const double distance = distance_of(p, now);
        watch.watch(p, distance >= clearance);
        watch.keep(p, clearance);
        if (distance >= clearance) {
            continue;
        }
        if (distance <= 0 && !leads_out(p, way)) {
            return Outcome{now, Stopped::contact, fmt::format("{} touch: only moves that take them apart are possible", names_of(p, now))};
        }
        held.push_back({p, distance});
    }
    return std::nullopt;
}

/// A joint that would go further beyond its travel.
std::optional<Jogger::Outcome> Jogger::end_of_travel(const Readings& from, const Readings& to) const
{
    for (std::size_t i = 0; i < assembly_->machine.joints.size(); ++i) {
        const Joint& joint = assembly_->machine.joints[i];
        const double before = from[Eigen::Index(i)];
        const double after = to[Eigen::Index(i)];
        const auto& travel = joint.travel;
        if (travel && ((after < travel->low - 1e-9 && after < before) || (after > travel->high + 1e-9 && after > before))) {
            const double bound = after < before ? travel->low : travel->high;
            return Outcome{{},
                           Stopped::travel,
                           joint.kind == JointKind::rotary
                               ? fmt::format("{} is at the end of its travel, {:.4f} deg", joint.id, to_deg(bound))
                               : fmt::format("{} is at the end of its travel, {:.3f} mm", joint.id, bound)};
        }
    }
    return std::nullopt;
}

/// What is in the way of a stretch.
std::optional<Jogger::Outcome> Jogger::hindrance(const Readings& from, const std::optional<Readings>& to, bool closer,
                                                 const std::vector<Held>& held)
{
    if (!to) {
        return Outcome{{}, Stopped::reach, "the machine has no posture further along this move"};
    }
    if (auto end = end_of_travel(from, *to)) {
        return end;
    }
    ContactWatch& watch = contact_.watch();
    std::vector<Meeting> meetings;
    watch.along(from, *to, 0, meetings);
    if (!meetings.empty()) {
        const auto& solids = watch.solids();
        const Meeting& first = meetings.front();
        return Outcome{{},
                       closer ? Stopped::contact : Stopped::clearance,
                       fmt::format("{} and {} would come nearer than {:.2f} mm", solids[first.a].body().id, solids[first.b].body().id,
                                   closer ? just_before : std::max(just_before, watch.pair(first.pair).clearance))};
    }
    for (const Held& one : held) { // one that is nearer than it should be may not come nearer still; one that touches has to come apart
        const double after = distance_of(one.pair, *to);
        if (after < std::min(one.distance, distance_of(one.pair, from)) - comes_nearer || (one.distance > 0 && after <= 0)) {
            return Outcome{{},
                           Stopped::clearance,
                           fmt::format("{} are nearer than they should be, and would come nearer still", names_of(one.pair, *to))};
        }
    }
    return std::nullopt;
}

Jogger::Outcome Jogger::go(const Readings& now, const JogWay& way, bool closer)
{
    const auto end = way(1);
    if (!end) {
        return {now, Stopped::reach, "the machine has no posture along the whole of this move"};
    }
    std::vector<Held> held;
    if (auto touching = keep_clear(now, way, closer, held)) {
        return *touching;
    }
    double most = 0;
    for (std::size_t i = 0; i < assembly_->machine.joints.size(); ++i) {
        const double by = std::abs((*end)[Eigen::Index(i)] - now[Eigen::Index(i)]);
        most = std::max(most, by / (assembly_->machine.joints[i].kind == JointKind::rotary ? part_turn : part_length));
    }
    const int parts = std::clamp(int(std::ceil(most)), 1, most_parts);
    Readings at = now;
    for (int k = 1; k <= parts; ++k) {
        const auto next = k == parts ? end : way(double(k) / parts);
        if (!hindrance(at, next, closer, held)) {
            at = *next;
            continue;
        }
        double low = double(k - 1) / parts;
        double high = double(k) / parts;
        std::optional<Outcome> why;
        for (int i = 0; i < halvings; ++i) {
            const double middle = (low + high) / 2;
            const auto between = way(middle);
            if (const auto found = hindrance(at, between, closer, held)) {
                why = found;
                high = middle;
            } else {
                at = *between;
                low = middle;
            }
        }
        const auto last = hindrance(at, way(high), closer, held); // the last obstacle is the one reported
        Outcome out = last ? *last : why.value_or(Outcome{});
        out.readings = at;
        return out;
    }
    return {at, Stopped::no, {}};
}

std::optional<Jogger::Near> Jogger::nearest(const Readings& now) const
{
    std::optional<Near> out;
    const ContactWatch& watch = contact_.watch();
    for (std::size_t p = 0; p < watch.pairs(); ++p) {
        const Two two = closest(p, now);
        const double clearance = watch.pair(p).clearance;
        if (std::isfinite(two.distance) && (!out || two.distance - clearance < out->distance - out->clearance)) {
            out = Near{watch.solids()[two.a].body().id, watch.solids()[two.b].body().id, two.distance, clearance};
        }
    }
    return out;
}

std::vector<std::optional<double>> Jogger::work_readings(const Readings& now) const
{
    ProgramFrame frame(*assembly_);
    frame.change_solver(solver_, posture_.work);
    frame.set_length_shift(length_);
    frame.take_sums(now);
    const Readings shown = frame.program_values(now);
    std::vector<std::optional<double>> out(assembly_->machine.joints.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (!assembly_->machine.joints[i].by_hand && in_chain(JointIndex(std::uint32_t(i)))) {
            out[i] = shown[Eigen::Index(i)];
        }
    }
    return out;
}

} // namespace wexilum
