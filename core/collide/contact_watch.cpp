#include "core/collide/contact_watch.hpp"

#include "core/machine/kinematics.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double largest_turn = 0.2; // rad of all rotary joints in one part of a motion
constexpr double least_step = 0.05;  // mm, where the clearance is smaller

} // namespace

ContactWatch::ContactWatch(const Machine& machine, std::vector<Solid> solids, std::vector<KeptApart> pairs)
    : machine_(machine), solids_(std::move(solids))
{
    for (KeptApart& kept : pairs) {
        Pair pair;
        for (const std::size_t a : kept.first_solids) {
            for (const std::size_t b : kept.second_solids) {
                pair.twos.push_back({a, b, carried_by(solids_[a].body().parent) ^ carried_by(solids_[b].body().parent), -1});
            }
        }
        pair.clearance = kept.clearance;
        pair.kept = std::move(kept);
        pairs_.push_back(std::move(pair));
    }
}

/// The joints from the base to this one.
std::uint32_t ContactWatch::carried_by(int joint) const
{
    std::uint32_t out = 0;
    for (; joint >= 0; joint = machine_.joints[std::size_t(joint)].parent) {
        out |= std::uint32_t{1} << joint;
    }
    return out;
}

void ContactWatch::exchange(std::size_t solid, Solid by)
{
    solids_[solid] = std::move(by);
    for (Pair& pair : pairs_) {
        for (Two& two : pair.twos) {
            if (two.a == solid || two.b == solid) {
                two.between = carried_by(solids_[two.a].body().parent) ^ carried_by(solids_[two.b].body().parent);
                two.room = -1;
            }
        }
    }
}

Frame ContactWatch::placed(const Solid& solid, const std::vector<Frame>& frames) const
{
    const int parent = solid.body().parent;
    return parent < 0 ? solid.body().frame : frames[std::size_t(parent)] * solid.body().frame;
}

double ContactWatch::apart(std::size_t a, std::size_t b, const Readings& readings) const
{
    const std::vector<Frame> frames = joint_frames(machine_, readings);
    return Solid::distance(solids_[a], placed(solids_[a], frames), solids_[b], placed(solids_[b], frames));
}

std::optional<std::pair<Vec3, Vec3>> ContactWatch::nearest(std::size_t a, std::size_t b, const Readings& readings) const
{
    const std::vector<Frame> frames = joint_frames(machine_, readings);
    return Solid::nearest(solids_[a], placed(solids_[a], frames), solids_[b], placed(solids_[b], frames));
}

void ContactWatch::along(const Readings& before, const Readings& after, double slack, std::vector<Meeting>& out)
{
    Readings from = before;
    Readings to = after;
    bring_followers(machine_, from);
    bring_followers(machine_, to);
    if (last_.size() != from.size() || last_ != from) {
        for (Pair& pair : pairs_) {
            for (Two& two : pair.twos) {
                two.room = -1;
            }
        }
    }
    last_ = to;
    double turn = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        turn += machine_.joints[i].kind == JointKind::rotary ? std::abs(to[Eigen::Index(i)] - from[Eigen::Index(i)]) : 0;
    }
    const int parts = std::max(1, int(std::ceil(turn / largest_turn)));
    Readings begin = from;
    for (int k = 1; k <= parts; ++k) {
        const Readings end = k == parts ? to : Readings(from + (to - from) * (double(k) / parts));
        follow({begin, end, double(k - 1) / parts, double(k) / parts, slack}, out);
        begin = end;
    }
}

void ContactWatch::follow(const Part& part, std::vector<Meeting>& out)
{
    std::uint32_t moving = 0;
    std::uint32_t turning = 0;
    double straight = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const double way = std::abs(part.to[Eigen::Index(i)] - part.from[Eigen::Index(i)]);
        const std::uint32_t bit = way != 0 ? std::uint32_t{1} << i : 0;
        moving |= bit;
        const bool turns = machine_.joints[i].kind == JointKind::rotary;
        turning |= turns ? bit : 0;
        straight += turns ? 0 : way;
    }
    std::vector<Frame> frames;
    for (std::size_t p = 0; p < pairs_.size(); ++p) {
        Pair& pair = pairs_[p];
        for (Two& two : pair.twos) {
            if (!pair.watched) {
                two.room = -1;
                continue;
            }
            if ((two.between & moving) == 0 && two.room > 0) {
                continue;
            }
            double way = straight + part.slack; // never less than the joints between them make
            if (two.room - way <= pair.clearance || (two.between & turning) != 0) {
                if (frames.empty()) {
                    frames = joint_frames(machine_, part.from);
                }
                way = bound(two, part, frames);
            }
            if (two.room - way >= pair.clearance && two.room > way) {
                two.room -= way;
                continue;
            }
            measure(p, two, part, way, out);
        }
    }
}

/// No point of one solid comes nearer to the other by more than this. With D the way of the linear joints between them and S that of the
/// rotary ones, a solid's points are never further from the axis of joint j than a_j + D + S, where a_j is how far they are at the start;
/// so S <= sum |w_j| (a_j + D + S). A turn moves both solids against each other alike, whichever is taken to stand: the nearer counts.
double ContactWatch::bound(const Two& two, const Part& part, const std::vector<Frame>& frames) const
{
    double straight = 0;
    for (std::uint32_t bits = two.between; bits != 0; bits &= bits - 1) {
        const auto i = std::size_t(std::countr_zero(bits));
        straight += machine_.joints[i].kind == JointKind::linear ? std::abs(part.to[Eigen::Index(i)] - part.from[Eigen::Index(i)]) : 0;
    }
    double turns = 0;
    double swept = 0;
    for (std::uint32_t bits = two.between; bits != 0; bits &= bits - 1) {
        const auto i = std::size_t(std::countr_zero(bits));
        const Joint& joint = machine_.joints[i];
        const double turn = std::abs(part.to[Eigen::Index(i)] - part.from[Eigen::Index(i)]);
        if (joint.kind == JointKind::linear || turn == 0) {
            continue;
        }
        const Vec3 axis = frames[i].linear() * joint.direction;
        const Vec3 point = frames[i] * joint.point;
        double reach = 1e300;
        for (const std::size_t s : {two.a, two.b}) {
            const Solid& solid = solids_[s];
            reach = std::min(reach, (placed(solid, frames) * solid.middle() - point).cross(axis).norm() + solid.radius());
        }
        turns += turn;
        swept += turn * (reach + straight);
    }
    return straight + swept / (1 - turns) + part.slack;
}

void ContactWatch::measure(std::size_t pair, Two& two, const Part& part, double way, std::vector<Meeting>& out)
{
    const Solid& a = solids_[two.a];
    const Solid& b = solids_[two.b];
    const double clearance = pairs_[pair].clearance;
    Meeting nearest{pair, two.a, two.b, 0, 1e300};
    double u = 0;
    for (;;) {
        const Readings at = u == 0 ? part.from : u == 1 ? part.to : Readings(part.from + (part.to - part.from) * u);
        const std::vector<Frame> frames = joint_frames(machine_, at);
        const Frame at_a = placed(a, frames);
        const Frame at_b = placed(b, frames);
        const double rest = way * (1 - u);
        const double balls = (at_a * a.middle() - at_b * b.middle()).norm() - a.radius() - b.radius();
        double distance = balls;
        if (balls - rest < clearance) {
            distance = Solid::distance(a, at_a, b, at_b);
            ++measured_;
            if (distance < nearest.distance) {
                nearest.distance = distance;
                nearest.fraction = part.begin + (part.end - part.begin) * u;
            }
        }
        if (nearest.distance <= 0) { // they touch: nothing worse is to come
            two.room = -1;
            break;
        }
        if (distance - rest >= clearance || u == 1) {
            two.room = std::max(0.0, distance - rest);
            break;
        }
        if (way <= 0) {
            u = 1;
            continue;
        }
        u = std::min(1.0, u + std::max({distance - clearance, clearance / 2, least_step}) / way);
    }
    if (nearest.distance >= clearance && nearest.distance > 0) {
        return;
    }
    const auto same =
        std::find_if(out.begin(), out.end(), [&](const Meeting& m) { return m.pair == pair && m.a == two.a && m.b == two.b; });
    if (same == out.end()) {
        out.push_back(nearest);
    } else if (nearest.distance < same->distance) {
        *same = nearest;
    }
}

} // namespace wexilum
