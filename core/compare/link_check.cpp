#include "core/compare/link_check.hpp"

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

LinkCheck::LinkCheck(const Task& task, const Follower& follower, const BudgetRule& budget, PathPlace& place, RecordCheck& records,
                     CompareLog& log)
    : PathCheck(log), task_(task), follower_(follower), budget_(budget), place_(place), records_(records),
      strayed_(task.machine.joints.size())
{}

/// The joint that retracts: the machine's, or the one aligned with it that works in its place.
std::optional<std::size_t> LinkCheck::away_joint()
{
    const auto& retract = task_.machine.retract;
    const Expected* item = place_.current();
    if (!retract || item == nullptr) {
        return retract ? std::optional<std::size_t>(retract->value) : std::nullopt;
    }
    const auto& linear = item->solver->linear();
    const auto works = working_joint(task_.machine, task_.controller, *retract,
                                     [&](JointIndex j) { return std::find(linear.begin(), linear.end(), j) != linear.end(); });
    return works.value_or(*retract).value;
}

bool LinkCheck::retracted(const Readings& readings)
{
    const auto away = away_joint();
    return away && std::abs(readings[Eigen::Index(*away)] - task_.machine.joints[*away].home) < at_home;
}

/// Part's frame: along a tool; up, where it is a blade that stands along its cut.
Vec3 LinkCheck::out_of_work(const ReplayMove& move, const Pose& from) const
{
    return follower_.out_of_work(follower_.work(), move.mount, move.from, from);
}

LinkCheck::Way LinkCheck::way_of(std::uint32_t work, const ReplayMove& move, const Pose& from, const Pose& to) const
{
    Way out;
    const Vec3 way = to.tip - from.tip;
    out.out = follower_.out_of_work(work, move.mount, move.from, from);
    out.rise = out.out.dot(way);
    out.side = (way - out.out * out.rise).norm();
    return out;
}

void LinkCheck::leave_work(std::uint32_t work) { left_ = {work, place_.front()}; }

void LinkCheck::check_leaving(const SeenMotion& seen)
{
    const ReplayMove& m = seen.move;
    const Left left = *left_;
    if (retracted(m.from) || retracted(m.to)) {
        left_.reset();
    }
    check_retract(seen);
    if (retracted(m.from)) {
        return;
    }
    const Pose from = follower_.pose_at_work(left.work, m.mount, m.from, m.tool_length);
    const Way way = way_of(left.work, m, from, follower_.pose_at_work(left.work, m.mount, m.to, m.tool_length));
    const double least = 2 * m.length_increment;
    const bool out = seen.turn <= 1e-9 && way.side <= least && way.rise > 0 && (m.together() || m.feed);
    const bool away = only_retracts(m) && (retracted(m.to) || (m.by_clock && comes_home(m))); // what follows has to go on so
    if (seen.turn > 1e-9 || !(out || away)) {
        const std::string& id = task_.setup.works[left.work].id;
        log_.find(Severity::error, "work-left-low", id, fmt::format("the tool goes on to another work before it has retracted from {}", id),
                  "bring the joint that retracts home before the next work", place_.current(), m.block, way.side);
        return;
    }
    if (away && task_.machine.mounts[m.mount].attachment && way.side > least && left.front) {
        report_across(seen, *left.front - way.out.dot(from.tip), true);
    }
}

/// The tool has `low` mm to go until it is out of the work where the joint that retracts leads across it.
void LinkCheck::report_across(const SeenMotion& seen, double low, bool leaves)
{
    if (low > 2 * seen.budget.tip + 1e-3) {
        log_.find(Severity::error, "across-while-in", "",
                  fmt::format("the tool moves across its own direction {:.3f} mm before it is out of the work", low),
                  leaves ? "go out along the tool before the retract" : "come down outside, then go in along the tool", place_.current(),
                  seen.move.block, low);
    }
}

/// Sent to a machine position, the joint that retracts goes all the way home.
void LinkCheck::check_retract(const SeenMotion& seen)
{
    const ReplayMove& m = seen.move;
    const auto away = away_joint();
    if (!m.to_machine_position || !away) {
        return;
    }
    const auto at = Eigen::Index(*away);
    const double off = std::abs(m.to[at] - task_.machine.joints[*away].home);
    if (m.from[at] != m.to[at] && off > 1e-6) {
        log_.find(Severity::error, "retract-short", "", fmt::format("the retract ends {:.4f} mm from its place", off),
                  "send the joint to its home", nullptr, m.block, off);
    }
}

/// Whether the joint that retracts comes nearer to its home.
bool LinkCheck::comes_home(const ReplayMove& move)
{
    const auto at = Eigen::Index(away_joint().value_or(0));
    const double home = task_.machine.joints[std::size_t(at)].home;
    return away_joint() && std::abs(move.to[at] - home) < std::abs(move.from[at] - home);
}

/// Whether nothing moves but the joint that retracts.
bool LinkCheck::only_retracts(const ReplayMove& move)
{
    const auto away = away_joint();
    std::size_t moving = 0;
    bool retract_moves = false;
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        // Coordinates of the tip move joints by their rounding.
        const double least = move.tip_words ? 2 * move.length_increment : 1e-9;
        const bool moves = std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) > least;
        moving += moves ? 1 : 0;
        retract_moves = retract_moves || (moves && away == i);
    }
    return moving == 1 && retract_moves;
}

void LinkCheck::check_way(const SeenMotion& seen)
{
    if (left_) {
        return; // check_leaving() has seen it
    }
    const ReplayMove& m = seen.move;
    const bool stays_retracted = retracted(m.from) && retracted(m.to);
    check_retract(seen);
    if (!stays_retracted && stays_clear(seen)) {
        return;
    }
    if (seen.turn > 1e-9 && !stays_retracted) {
        log_.find(Severity::error, "turns-while-low", "", "rotary joints turn in rapid while the tool is not retracted",
                  "retract before the turn", place_.current(), m.block, seen.turn);
        return;
    }
    if (stays_retracted || seen.turn > 1e-9) {
        return;
    }
    check_deep(seen);
    if (only_retracts(m)) { // straight away from the work or straight back
        check_across(seen);
        return;
    }
    const Way way = way_of(follower_.work(), m, seen.from, seen.to);
    const double least = 2 * m.length_increment;
    if (way.side <= least) {
        const Expected* to = place_.current();
        const double beyond = way.rise > 0 || to == nullptr || !is_motion(*to) ? 1e300 : way.out.dot(to->piece.to.tip);
        check_bent(seen, way.out, place_.front_along(way.out, beyond));
    } else if (std::abs(way.rise) > least && !m.together()) {
        log_.find(Severity::error, "slanting-rapid", "",
                  "a rapid moves sideways and along the tool in one block; the control may do either first",
                  "write two blocks: away first, or sideways first", place_.current(), m.block, way.side);
    } else {
        check_sideways(seen, way);
    }
}

/// Sideways a rapid may go at the higher end of its way, between places of one tool axis that are known.
void LinkCheck::check_sideways(const SeenMotion& seen, const Way& way)
{
    const ReplayMove& m = seen.move;
    const Expected* item = place_.current();
    const auto& from = place_.link_from();
    if (!from || item == nullptr || !is_motion(*item) || angle_between(from->axis, item->piece.to.axis) >= 1e-4) {
        log_.find(Severity::error, "sideways-while-low", "",
                  "a rapid moves sideways while the tool is not retracted, after a tool change or on the way to another tool axis",
                  "retract before it", item, m.block, way.side);
        return;
    }
    const Vec3 axis = follower_.chain(m.mount).kinematics.blade() ? way.out : from->axis;
    const double target = item->kind == Expected::Kind::hole ? item->plan.clearance : 0;
    const double high = std::max(axis.dot(from->tip), axis.dot(item->piece.to.tip) + target);
    double low = 1e300; // on the way that the joints go
    for (const Vec3& tip : follower_.corners(m, m.together())) {
        low = std::min(low, axis.dot(tip));
    }
    if (low < high - 2 * seen.budget.tip - 1e-3) {
        log_.find(Severity::error, "sideways-while-low", "",
                  fmt::format("a rapid moves sideways {:.3f} mm below the higher end of its way", high - low), "go up first, or down last",
                  item, m.block, high - low);
    }
}

/// How deep the path is on both sides of a link, along `out`, mm; 1e300 where it is not along that.
double LinkCheck::deepest_of_path(const Vec3& out, bool blade)
{
    const auto counts = [&](const Pose& pose) { return blade || pose.axis.dot(out) > PathPlace::same_direction; };
    const auto& from = place_.link_from();
    double least = 1e300;
    if (from && counts(*from)) {
        least = out.dot(from->tip);
    }
    const Expected* item = place_.current();
    const bool comes = item != nullptr && is_motion(*item) && (item->kind != Expected::Kind::feed || !from);
    if (comes && counts(item->piece.to)) {
        least = std::min(least, out.dot(item->piece.to.tip) + (item->kind == Expected::Kind::hole ? item->plan.clearance : 0));
    }
    return least;
}

/// A rapid may not lead deeper along the tool than both the place of the path that it comes from and the one that it leads to.
void LinkCheck::check_deep(const SeenMotion& seen)
{
    const ReplayMove& m = seen.move;
    const Vec3 out = out_of_work(m, seen.to);
    const double least = deepest_of_path(out, follower_.chain(m.mount).kinematics.blade());
    const Expected* item = place_.current();
    const auto parks = [&](const HeldJoint& held) {
        const auto at = Eigen::Index(held.joint.value);
        return m.from[at] != m.to[at];
    };
    if (item != nullptr && item->posture != nullptr && std::any_of(item->posture->held.begin(), item->posture->held.end(), parks)) {
        return; // a joint goes where the next operation parks it, which is judged there
    }
    const double low = out.dot(seen.to.tip); // the other checks report what its joints do on the way
    if (least < 1e100 && !retracted(m.to) && low < least - 2 * seen.budget.tip - 1e-3) {
        log_.find(Severity::error, "rapid-too-deep", "",
                  fmt::format("a rapid goes {:.3f} mm deeper than the path on both its sides", least - low),
                  "correct the coordinate, or remove the block", item, m.block, least - low);
    }
}

/// A rapid along the tool: below `level` along `out` its joints must keep the tip on the straight way.
void LinkCheck::check_bent(const SeenMotion& seen, const Vec3& out, double level)
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
        log_.find(Severity::error, "bent-rapid", "",
                  fmt::format("each joint of this rapid moves at its own speed: the tool is dragged {:.3f} mm sideways {}", dragged, where),
                  "make this move at feed, or with a word that moves straight", place_.current(), m.block, dragged);
    }
}

/// Whether the tool, seen as a line from its tip on, stays outside the clearance surface of the operation that it is on its way to.
bool LinkCheck::stays_clear(const SeenMotion& seen)
{
    constexpr double slack = 0.02; // mm
    constexpr int samples = 32;
    const ReplayMove& m = seen.move;
    const Expected* item = place_.current();
    const auto& clearance = task_.links_of(item != nullptr ? item->operations : task_.links.size()).clearance;
    if (!clearance) {
        return false;
    }
    const ClearanceSurface allowed = clearance->shrunk(slack + 2 * seen.budget.tip);
    const std::vector<Readings> stretches = rapid_stretches(task_.machine, m.from, m.to, m.together());
    for (std::size_t i = 1; i < stretches.size(); ++i) {
        for (int k = 0; k <= samples; ++k) {
            const Readings at = stretches[i - 1] + (stretches[i] - stretches[i - 1]) * (double(k) / samples);
            if (!allowed.is_clear(follower_.pose_of(m.mount, at, m.tool_length))) {
                return false;
            }
        }
    }
    return true;
}

/// The joint that retracts leads across the tool of a head that points elsewhere: then the tool has to be clear of the work before.
void LinkCheck::check_across(const SeenMotion& seen)
{
    const ReplayMove& m = seen.move;
    const Vec3 way = seen.to.tip - seen.from.tip;
    const Vec3& axis = seen.to.axis;
    if (!task_.machine.mounts[m.mount].attachment || axis.cross(way).norm() <= 2 * m.length_increment) {
        return;
    }
    const bool leaves = retracted(m.to);
    const Expected* item = place_.current();
    std::optional<double> level = leaves ? place_.front() : std::nullopt;
    if (!leaves && item != nullptr && is_motion(*item)) {
        level = axis.dot(item->piece.to.tip);
    }
    report_across(seen, level ? *level - std::min(axis.dot(seen.from.tip), axis.dot(seen.to.tip)) : 0, leaves);
}

bool LinkCheck::of_this_work(const Expected& item) const { return item.posture == nullptr || item.posture->work == follower_.work(); }

bool LinkCheck::match(const SeenMotion& seen)
{
    const auto waits_for_rapid = [&](std::size_t i) {
        const Expected* item = place_.item(i);
        return item != nullptr && item->kind == Expected::Kind::rapid && of_this_work(*item);
    };
    for (std::size_t i = place_.next(); waits_for_rapid(i); ++i) {
        const Pose& wanted = place_.item(i)->piece.to;
        const Deviation d{(seen.to.tip - wanted.tip).norm(), angle_between(seen.to.axis, wanted.axis)};
        if (i == place_.next()) {
            const double far = d.tip + d.axis * 100;
            if (!place_.nearest.any || far <= place_.nearest.far) {
                place_.nearest.far = far;
                place_.nearest.move = seen.move;
                place_.nearest.set_by = log_.set_by();
            }
            place_.nearest.any = true;
        }
        if (!fits(d, seen.budget)) {
            continue;
        }
        if (i > place_.next()) {
            while (place_.next() < i) {
                miss();
            }
        }
        if (seen.move.feed && !place_.item(i)->may_feed && !seen.stands_for_rapid) {
            log_.find(Severity::error, "rapid-at-feed", "", "the path moves here in rapid, the program at feed",
                      "write the word for rapid before it", place_.item(i), seen.move.block);
        }
        records_.reached(seen, *place_.item(i), d);
        place_.advance(seen.to);
        // The same place again is reached as well.
        while (waits_for_rapid(place_.next()) && fits(deviation_at(place_.current()->piece, 1, seen.to), seen.budget)) {
            records_.reached(seen, *place_.current(), deviation_at(place_.current()->piece, 1, seen.to));
            place_.advance(seen.to);
        }
        return true;
    }
    return false;
}

void LinkCheck::miss()
{
    const Expected* item = place_.current();
    if (item == nullptr || item->kind != Expected::Kind::rapid) {
        return;
    }
    log_.find(Severity::error, "target-missed", "", "no rapid of the program ends at this position",
              "compare the rapid with its record: a wrong word, or a block that is missing", item,
              place_.nearest.any ? records_.blame(*place_.nearest.move, place_.nearest.set_by, *item->solver, item->piece.to)
                                 : BlockNumber(),
              place_.nearest.far);
    const Pose pose = item->piece.to;
    place_.advance(pose);
}

void LinkCheck::rapid(const SeenMotion& seen)
{
    check_way(seen);
    if (place_.current() == nullptr) {
        check_after_end(seen);
    }
    match(seen);
}

/// Whether a tool that need not stand along the joint that retracts goes out along itself.
bool LinkCheck::goes_out(const SeenMotion& seen)
{
    const Vec3 way = seen.to.tip - seen.from.tip;
    const auto moves = [&](std::size_t i) { return std::abs(seen.move.to[Eigen::Index(i)] - seen.move.from[Eigen::Index(i)]) > 1e-9; };
    const auto away = away_joint();
    const OperationLinks& last = task_.links_of(task_.links.size());
    bool leans = task_.machine.mounts[seen.move.mount].attachment || last.clearance;
    for (std::size_t i = 0; i < task_.machine.joints.size(); ++i) {
        leans = leans || (moves(i) && away != i);
    }
    const Vec3 out = out_of_work(seen.move, seen.to);
    return leans && seen.turn < 1e-9 && way.dot(out) > 0 && way.cross(out).norm() <= 2 * seen.move.length_increment;
}

/// Behind the last record.
void LinkCheck::check_after_end(const SeenMotion& seen)
{
    // The machine may go home, or where the last retreat says; a tool may first go out of the work along itself.
    if (goes_out(seen)) {
        return;
    }
    const OperationLinks& last = task_.links_of(task_.links.size());
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

void LinkCheck::finish()
{
    for (std::size_t i = 0; i < strayed_.size(); ++i) {
        if (strayed_[i].value != 0) {
            const std::string& id = task_.machine.joints[i].id;
            log_.find(Severity::warning, "stray-rapid", id,
                      fmt::format("after the last record {} moves to a place that is not its home", id),
                      "send it home, or remove the block", nullptr, strayed_[i]);
        }
    }
}

} // namespace wexilum
