// Links of the comparer: what may move in rapid, and whether the path's own rapid targets are reached.
#include "core/compare/compare.hpp"

#include "core/base/units.hpp"
#include "core/motion/rapid_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double at_home = 0.02; // mm: coordinates of the tip can't say a joint's place to the last digit

bool is_motion(const Expected& item)
{
    return item.kind == Expected::Kind::rapid || item.kind == Expected::Kind::feed || item.kind == Expected::Kind::hole;
}

} // namespace

/// The joint that retracts: the machine's, or the one aligned with it that works in its stead.
std::optional<std::size_t> Comparer::away_joint()
{
    const auto& retract = task_.machine.retract;
    const Expected* item = current();
    if (!retract || item == nullptr) {
        return retract ? std::optional<std::size_t>(retract->value) : std::nullopt;
    }
    const auto& linear = item->solver->linear();
    const auto works = working_joint(task_.machine, task_.controller, *retract,
                                     [&](JointIndex j) { return std::find(linear.begin(), linear.end(), j) != linear.end(); });
    return works.value_or(*retract).value;
}

bool Comparer::retracted(const Readings& readings)
{
    const auto away = away_joint();
    return away && std::abs(readings[Eigen::Index(*away)] - task_.machine.joints[*away].home) < at_home;
}

/// Part's frame: along a tool; up, where it is a blade that stands along its cut.
Vec3 Comparer::out_of_work(const ReplayMove& move, const Pose& from) const
{
    const Kinematics& kinematics = chain(move.mount).kinematics;
    return kinematics.blade() ? Vec3(task_.setup.part.linear().transpose() * kinematics.out_of_work(move.from)) : from.axis;
}

void Comparer::check_link(const Seen& seen)
{
    const ReplayMove& m = seen.move;
    const Machine& machine = task_.machine;
    const double turn = seen.turn;
    const bool stays_retracted = retracted(m.from) && retracted(m.to);
    const auto away = away_joint();
    if (m.to_machine_position && away) {
        const auto at = Eigen::Index(*away);
        const double off = std::abs(m.to[at] - machine.joints[*away].home);
        if (m.from[at] != m.to[at] && off > 1e-6) {
            find(Severity::error, "retract-short", "", fmt::format("the retract ends {:.4f} mm from its place", off),
                 "send the joint to its home", nullptr, m.block, off);
        }
    }
    if (!stays_retracted && stays_clear(seen)) {
        return;
    }
    if (turn > 1e-9 && !stays_retracted) {
        find(Severity::error, "turns-while-low", "", "rotary joints turn in rapid while the tool is not retracted",
             "retract before the turn", current(), m.block, turn);
        return;
    }
    if (stays_retracted || turn > 1e-9) {
        return;
    }
    check_deep(seen);
    std::size_t moving = 0;
    bool retract_moves = false;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        // Coordinates of the tip move joints by their rounding.
        const bool moves = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]) > (m.tip_words ? 2 * m.length_increment : 1e-9);
        moving += moves ? 1 : 0;
        retract_moves = retract_moves || (moves && away == i);
    }
    if (moving == 1 && retract_moves) {
        check_across(seen);
        return; // straight away from the work or straight back
    }
    const Vec3 way = seen.to.tip - seen.from.tip;
    const Vec3 out = out_of_work(m, seen.from);
    const double rise = out.dot(way);
    const double side = (way - out * rise).norm();
    const double least = 2 * m.length_increment;
    if (side <= least) {
        const Expected* to = current();
        const double beyond = rise > 0 || to == nullptr || !is_motion(*to) ? 1e300 : out.dot(to->piece.to.tip);
        check_bent(seen, out, front_along(out, beyond));
        return;
    }
    if (std::abs(rise) > least && !m.together()) {
        find(Severity::error, "slanting-rapid", "",
             "a rapid moves sideways and along the tool in one block; the control may do either first",
             "write two blocks: away first, or sideways first", current(), m.block, side);
        return;
    }
    const Expected* item = current();
    const bool between_known =
        link_from_ && item != nullptr && is_motion(*item) && angle_between(link_from_->axis, item->piece.to.axis) < 1e-4;
    if (!between_known) {
        find(Severity::error, "sideways-while-low", "",
             "a rapid moves sideways while the tool is not retracted, after a tool change or on the way to another tool axis",
             "retract before it", item, m.block, side);
        return;
    }
    const Vec3 axis = chain(m.mount).kinematics.blade() ? out : link_from_->axis;
    const double target = item->kind == Expected::Kind::hole ? item->plan.clearance : 0;
    const double high = std::max(axis.dot(link_from_->tip), axis.dot(item->piece.to.tip) + target);
    double low = 1e300; // on the way that the joints go
    for (const Vec3& tip : follower_.corners(m, m.together())) {
        low = std::min(low, axis.dot(tip));
    }
    if (low < high - 2 * seen.budget.tip - 1e-3) {
        find(Severity::error, "sideways-while-low", "",
             fmt::format("a rapid moves sideways {:.3f} mm below the higher end of its way", high - low), "go up first, or down last", item,
             m.block, high - low);
    }
}

/// A rapid may not lead deeper along the tool than both the place of the path that it comes from and the one that it leads to.
void Comparer::check_deep(const Seen& seen)
{
    const ReplayMove& m = seen.move;
    const Vec3 out = out_of_work(m, seen.to);
    const bool blade = chain(m.mount).kinematics.blade();
    const auto counts = [&](const Pose& pose) { return blade || pose.axis.dot(out) > same_direction; };
    double least = 1e300;
    if (link_from_ && counts(*link_from_)) {
        least = out.dot(link_from_->tip);
    }
    const Expected* item = current();
    const bool comes = item != nullptr && is_motion(*item) && (item->kind != Expected::Kind::feed || !link_from_);
    if (comes && counts(item->piece.to)) {
        least = std::min(least, out.dot(item->piece.to.tip) + (item->kind == Expected::Kind::hole ? item->plan.clearance : 0));
    }
    const auto parks = [&](const HeldJoint& held) {
        const auto at = Eigen::Index(held.joint.value);
        return m.from[at] != m.to[at];
    };
    if (item != nullptr && item->posture != nullptr && std::any_of(item->posture->held.begin(), item->posture->held.end(), parks)) {
        return; // a joint goes where the next operation parks it, which is judged there
    }
    const double low = out.dot(seen.to.tip); // what its joints do on the way is told by the other checks
    if (least < 1e100 && !retracted(m.to) && low < least - 2 * seen.budget.tip - 1e-3) {
        find(Severity::error, "rapid-too-deep", "",
             fmt::format("a rapid goes {:.3f} mm deeper than the path on both its sides", least - low),
             "correct the coordinate, or remove the block", item, m.block, least - low);
    }
}

/// How far the path has come along an axis, where it has gone along that one; `otherwise` where it has turned.
double Comparer::front_along(const Vec3& axis, double otherwise) const
{
    return front_ && front_axis_.dot(axis) > same_direction ? *front_ : otherwise;
}

void Comparer::take_front(const Pose& at)
{
    const bool goes_on = front_ && front_axis_.dot(at.axis) > same_direction;
    front_ = std::max(goes_on ? *front_ : -1e300, at.axis.dot(at.tip));
    front_axis_ = at.axis;
}

/// A rapid along the tool: below `level` along `out` its joints must keep the tip on the straight way.
void Comparer::check_bent(const Seen& seen, const Vec3& out, double level)
{
    const ReplayMove& m = seen.move;
    if (m.together()) {
        return;
    }
    const std::vector<Vec3> tips = follower_.corners(m, false);
    const Vec3 way = (seen.to.tip - seen.from.tip).normalized();
    double dragged = 0;
    double deep = 0;
    const auto look = [&](const Vec3& tip) {
        const Vec3 off = tip - seen.from.tip;
        const double side = (off - way * way.dot(off)).norm();
        if (side > dragged) {
            dragged = side;
            deep = level - out.dot(tip);
        }
    };
    for (std::size_t i = 1; i < tips.size(); ++i) { // between corners the way aside grows or shrinks evenly
        const double h0 = out.dot(tips[i - 1]);
        const double h1 = out.dot(tips[i]);
        if (h0 < level) {
            look(tips[i - 1]);
        }
        if (h1 < level) {
            look(tips[i]);
        }
        if ((h0 < level) != (h1 < level)) {
            look(tips[i - 1] + (tips[i] - tips[i - 1]) * ((level - h0) / (h1 - h0)));
        }
    }
    if (dragged > 2 * m.length_increment + seen.budget.tip) {
        const std::string where =
            deep < 1e100 ? fmt::format("{:.3f} mm before it is out of the work", deep) : std::string("out of its cut");
        find(Severity::error, "bent-rapid", "",
             fmt::format("each joint of this rapid goes at its own speed: the tool is dragged {:.3f} mm sideways {}", dragged, where),
             "go this way at feed, or with a word that goes straight", current(), m.block, dragged);
    }
}

/// Whether the tool, seen as a line from its tip on, stays outside the clearance surface of the operation that it is on its way to.
bool Comparer::stays_clear(const Seen& seen)
{
    constexpr double slack = 0.02; // mm
    constexpr int samples = 32;
    const ReplayMove& m = seen.move;
    const Expected* item = current();
    const auto& clearance = task_.links_of(item != nullptr ? item->operations : task_.links.size()).clearance;
    if (!clearance) {
        return false;
    }
    const ClearanceSurface allowed = clearance->shrunk(slack + 2 * seen.budget.tip);
    const std::vector<Readings> stretches = rapid_stretches(task_.machine, m.from, m.to, m.together());
    for (std::size_t i = 1; i < stretches.size(); ++i) {
        for (int k = 0; k <= samples; ++k) {
            const Readings at = stretches[i - 1] + (stretches[i] - stretches[i - 1]) * (double(k) / samples);
            if (!allowed.is_clear(pose_of(m.mount, at, m.tool_length))) {
                return false;
            }
        }
    }
    return true;
}

/// The joint that retracts leads across the tool of a head that points elsewhere: then the tool has to be clear of the work before.
void Comparer::check_across(const Seen& seen)
{
    const ReplayMove& m = seen.move;
    const Vec3 way = seen.to.tip - seen.from.tip;
    const Vec3& axis = seen.to.axis;
    if (!task_.machine.mounts[m.mount].attachment || axis.cross(way).norm() <= 2 * m.length_increment) {
        return;
    }
    const bool leaves = retracted(m.to);
    const Expected* item = current();
    std::optional<double> level = leaves ? front_ : std::nullopt;
    if (!leaves && item != nullptr && is_motion(*item)) {
        level = axis.dot(item->piece.to.tip);
    }
    const double low = level ? *level - std::min(axis.dot(seen.from.tip), axis.dot(seen.to.tip)) : 0;
    if (low > 2 * seen.budget.tip + 1e-3) {
        find(Severity::error, "across-while-in", "",
             fmt::format("the tool goes across its own direction {:.3f} mm before it is out of the work", low),
             leaves ? "go out along the tool before the retract" : "come down outside, then go in along the tool", item, m.block, low);
    }
}

bool Comparer::match_rapid(const Seen& seen)
{
    for (std::size_t i = next_; path_.at(i) != nullptr && path_.at(i)->kind == Expected::Kind::rapid; ++i) {
        const Pose& wanted = path_.at(i)->piece.to;
        const Deviation d{(seen.to.tip - wanted.tip).norm(), angle_between(seen.to.axis, wanted.axis)};
        if (i == next_) {
            const double far = d.tip + d.axis * 100;
            if (!any_rapid_ || far <= nearest_) {
                nearest_ = far;
                nearest_move_ = seen.move;
                nearest_set_ = last_set_;
            }
            any_rapid_ = true;
        }
        if (!within(d, seen.budget)) {
            continue;
        }
        if (i > next_) {
            while (next_ < i) {
                miss_rapids();
            }
        }
        if (seen.move.feed && !path_.at(i)->may_feed && !seen.stands_for_rapid) {
            find(Severity::error, "rapid-at-feed", "", "the path goes here in rapid, the program at feed",
                 "write the word for rapid before it", path_.at(i), seen.move.block);
        }
        reached(seen, *path_.at(i), d);
        advance(seen.to);
        // The same place again is reached as well.
        while (current() != nullptr && current()->kind == Expected::Kind::rapid &&
               within(deviation_at(current()->piece, 1, seen.to), seen.budget)) {
            reached(seen, *current(), deviation_at(current()->piece, 1, seen.to));
            advance(seen.to);
        }
        return true;
    }
    return false;
}

void Comparer::miss_rapids()
{
    const Expected* item = current();
    if (item == nullptr || item->kind != Expected::Kind::rapid) {
        return;
    }
    find(Severity::error, "target-missed", "", "no rapid of the program ends at this position",
         "compare the rapid with its record: a wrong word, or a block that is missing", item,
         any_rapid_ ? blame(*nearest_move_, nearest_set_, *item->solver, item->piece.to) : BlockNumber(), nearest_);
    const Pose pose = item->piece.to;
    advance(pose);
}

void Comparer::rapid(const Seen& seen)
{
    check_link(seen);
    if (current() == nullptr) {
        check_after_end(seen);
    }
    match_rapid(seen);
}

void Comparer::check_after_end(const Seen& seen)
{
    // Behind the last record the machine may go home, or where the last retreat says; a tool may first go out of the work along itself.
    const Vec3 way = seen.to.tip - seen.from.tip;
    const auto moves = [&](std::size_t i) { return std::abs(seen.move.to[Eigen::Index(i)] - seen.move.from[Eigen::Index(i)]) > 1e-9; };
    const auto away = away_joint();
    const OperationLinks& last = task_.links_of(task_.links.size());
    bool leans = task_.machine.mounts[seen.move.mount].attachment || last.clearance;
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        leans = leans || (moves(i) && away != i);
    }
    const Vec3 out = out_of_work(seen.move, seen.to);
    if (leans && seen.turn < 1e-9 && way.dot(out) > 0 && way.cross(out).norm() <= 2 * seen.move.length_increment) {
        return;
    }
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        const auto at = Eigen::Index(i);
        const Joint& joint = task_.machine.joints[i];
        const bool endless = joint.kind == JointKind::rotary && !joint.travel; // home on whatever turn
        const auto there = [&](double place) {
            const double off = seen.move.to[at] - place;
            return std::abs(endless ? std::remainder(off, 2 * pi) : off) <= budget_.half_increment(i) * 1.02;
        };
        const auto stated = [&](const LinkStep& step) {
            return std::any_of(step.readings.begin(), step.readings.end(),
                               [&](const HeldJoint& held) { return held.joint.value == i && there(held.reading); });
        };
        if (std::abs(seen.move.to[at] - seen.move.from[at]) > 1e-12) {
            const bool wanted = there(joint.home) || std::any_of(last.retreat.begin(), last.retreat.end(), stated);
            strayed_[i] = wanted ? BlockNumber(0) : seen.move.block; // a way home may take several blocks
        }
    }
}

void Comparer::tell_strayed()
{
    for (std::size_t i = 0; i < strayed_.size(); ++i) {
        if (strayed_[i].value != 0) {
            const std::string& id = task_.machine.joints[i].id;
            find(Severity::warning, "stray-rapid", id, fmt::format("after the last record {} moves to a place that is not its home", id),
                 "send it home, or take the block away", nullptr, strayed_[i]);
        }
    }
}

} // namespace wexilum
