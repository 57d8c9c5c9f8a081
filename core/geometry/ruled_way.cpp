#include "core/geometry/ruled_way.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

namespace wexilum {
namespace {

constexpr int samples = 32;                // of a turn rate
constexpr int looked_at = 128;             // places where rulings are checked
constexpr double most_turn = 0.1;          // rad of a part
constexpr double near_great_circle = 1e-4; // rad
constexpr int most_parts = 4096;

Vec3 ruling(const RulingCurve& lower, const RulingCurve& upper, double s) { return upper.at(s) - lower.at(s); }

/// How far the axis is, in the middle of a part, from the great circle between its ends; rad.
double off_great_circle(const RuledWay& way, double s0, double s1)
{
    const Vec3 a = way.at(s0).axis;
    const Vec3 b = way.at(s1).axis;
    const Vec3 middle = way.at((s0 + s1) / 2).axis;
    const Vec3 across = a.cross(b);
    const double size = across.norm();
    return size < 1e-12 ? unit_angle_between(a, middle) : std::abs(std::asin(std::clamp(middle.dot(across) / size, -1.0, 1.0)));
}

} // namespace

double RulingCurve::nearest(const Vec3& point, double lo) const
{
    if (arc) {
        return arc->nearest(point, lo);
    }
    const Vec3 way = to - from;
    const double square = way.squaredNorm();
    return std::clamp(square > 0 ? way.dot(point - from) / square : 1.0, lo, 1.0);
}

RulingCurve RulingCurve::between(double s0, double s1) const
{
    RulingCurve out{at(s0), at(s1), arc};
    if (out.arc) {
        out.arc->start = out.from;
        out.arc->end = out.to;
        out.arc->sweep = arc->sweep * (s1 - s0);
    }
    return out;
}

RulingCurve RulingCurve::moved(const Mat3& map, const Vec3& move) const
{
    const auto point = [&](const Vec3& p) { return Vec3(map * p + move); };
    RulingCurve out{point(from), point(to), arc};
    if (out.arc) {
        out.arc->start = out.from;
        out.arc->end = out.to;
        out.arc->centre = point(arc->centre);
        out.arc->normal = map * arc->normal * (map.determinant() < 0 ? -1.0 : 1.0); // a pseudo-vector
    }
    return out;
}

RuledWay::RuledWay(const RulingCurve& lower, const RulingCurve& upper) : lower_(lower), upper_(upper), turn_rate_(0)
{
    Vec3 before = at(0).axis;
    for (int i = 1; i <= samples; ++i) {
        const Vec3 axis = at(double(i) / samples).axis;
        turn_rate_ = std::max(turn_rate_, unit_angle_between(before, axis));
        before = axis;
    }
    turn_rate_ = length() > 0 ? turn_rate_ * samples / length() : 0;
}

Pose RuledWay::at(double s) const { return {lower_.at(s), ruling(lower_, upper_, s).normalized()}; }

std::shared_ptr<const PathWay> RuledWay::between(double s0, double s1) const
{
    return std::make_shared<const RuledWay>(lower_.between(s0, s1), upper_.between(s0, s1));
}

std::shared_ptr<const PathWay> RuledWay::moved(const Mat3& map, const Vec3& move) const
{
    return std::make_shared<const RuledWay>(lower_.moved(map, move), upper_.moved(map, move));
}

RuledProblem check_rulings(const RulingCurve& lower, const RulingCurve& upper, double& s)
{
    if (!(lower.length() > shortest_ruling)) {
        return RuledProblem::no_length;
    }
    std::vector<double> places;
    places.reserve(looked_at + 2);
    for (int i = 0; i <= looked_at; ++i) {
        places.push_back(double(i) / looked_at);
    }
    const Vec3 first = ruling(lower, upper, 0);
    const Vec3 change = ruling(lower, upper, 1) - first;
    if (!lower.arc && !upper.arc && change.squaredNorm() > 0) { // the shortest of first + s change
        places.push_back(std::clamp(-first.dot(change) / change.squaredNorm(), 0.0, 1.0));
        std::sort(places.begin(), places.end());
    }
    Vec3 before = first;
    for (const double place : places) {
        s = place;
        const Vec3 here = ruling(lower, upper, s);
        if (!(here.norm() >= shortest_ruling)) {
            return RuledProblem::meets;
        }
        if (angle_between(before, here) > whole_turn / 3) {
            return RuledProblem::turns_over;
        }
        before = here;
    }
    return RuledProblem::none;
}

int parts_near_great_circles(const RuledWay& way)
{
    int parts = std::clamp(int(std::ceil(way.turn_rate() * way.length() / most_turn)), 1, most_parts);
    const auto fine = [&] {
        for (int i = 0; i < parts; ++i) {
            if (off_great_circle(way, double(i) / parts, double(i + 1) / parts) > near_great_circle) {
                return false;
            }
        }
        return true;
    };
    while (parts < most_parts && !fine()) {
        parts = std::min(2 * parts, most_parts);
    }
    return parts;
}

} // namespace wexilum
