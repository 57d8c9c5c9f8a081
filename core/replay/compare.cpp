#include "core/replay/compare.hpp"

#include "core/base/units.hpp"
#include "core/run/outline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double close_tip = 0.25;             // mm: a wrong word rather than another motion
const double close_axis = to_rad(0.5);         // rad
constexpr std::size_t look_ahead_items = 60;
constexpr double feed_tolerance_percent = 0.5;
constexpr double shortest_timed = 0.01;        // mm

bool is_motion(const Expected& item)
{
    return item.kind == Expected::Kind::rapid || item.kind == Expected::Kind::feed || item.kind == Expected::Kind::hole;
}

/// Turn of the tool axis per mm of the tip's way; 0 where the tip stands still.
double axis_rate(const PathPiece& piece)
{
    const double length = piece.length();
    return length > still_length ? piece.turn() / length : 0;
}

} // namespace

Comparer::Comparer(const Assembly& assembly, const std::vector<Expected>& path, const std::string& code_file, ReplayReport& report)
    : assembly_(assembly), path_(path), code_file_(code_file), report_(report), budget_(assembly), part_inverse_(assembly.setup.part.inverse()),
      last_set_(assembly.machine.joints.size())
{
}

// --- helpers --------------------------------------------------------------------------------------------------------

Pose Comparer::pose_of(const Readings& readings, double tool_length) const
{
    return transformed(part_inverse_, assembly_.solver->kinematics().pose(readings, tool_length));
}

Pose Comparer::pose_at(const ReplayMove& move, double u) const { return pose_of(move.at(u), move.tool_length); }

Comparer::Seen Comparer::see(const ReplayMove& move)
{
    budget_.set_length_increment(move.length_increment);
    return {move, pose_of(move.from, move.tool_length), pose_of(move.to, move.tool_length), budget_.at_record(move.to, move.tool_length)};
}

bool Comparer::within(const Deviation& deviation, const Budget& budget) { return deviation.tip <= budget.tip && deviation.axis <= budget.axis; }

void Comparer::find(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                    const Expected* item, BlockNumber block, double worst)
{
    Finding finding{severity, kind, std::move(message), std::move(cure), 1, {}, 0, {}, 0, worst};
    if (item != nullptr) {
        finding.source = place_of(assembly_.toolpath, item->source);
    }
    if (block.value != 0) {
        finding.code = {code_file_, block.value, 0};
    }
    report_.findings.add(std::move(finding), subject, block.value != 0 ? block.value : (item != nullptr ? item->record : 0));
}

void Comparer::note(Measured& measured, const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block)
{
    measured.tip = std::max(measured.tip, deviation.tip);
    measured.axis = std::max(measured.axis, deviation.axis);
    measured.tip_budget = std::max(measured.tip_budget, budget.tip);
    measured.axis_budget = std::max(measured.axis_budget, budget.axis);
    const double ratio = std::max(deviation.tip / budget.tip, deviation.axis / budget.axis);
    if (ratio > report_.worst_ratio) {
        report_.worst_ratio = ratio;
        report_.worst_source = place_of(assembly_.toolpath, item.source);
        report_.worst_code = {code_file_, block.value, 0};
    }
    if (!within(deviation, budget)) {
        find(Severity::error, "off-path", "",
             fmt::format("the tool is {:.4f} mm and {:.4f} deg off the path; {:.4f} mm and {:.4f} deg are allowed", deviation.tip,
                         to_deg(deviation.axis), budget.tip, to_deg(budget.axis)),
             "compare this block with its record: a wrong word, sign or offset, or a missing block before it", &item, block, ratio);
    }
}

void Comparer::reached(const Seen& seen, const Expected& item, const Deviation& deviation)
{
    note(report_.at_records, deviation, seen.budget, item, seen.move.block);
    ++report_.compared;
    check_rotary_words(seen, item, 1, 0);
}

void Comparer::advance(const Pose& at)
{
    ++next_;
    progress_ = 0;
    progress_place_ = 0;
    progress_exact_ = true;
    progress_block_ = BlockNumber();
    link_from_ = at;
    any_rapid_ = false;
    hole_.reset();
}

void Comparer::uncovered(std::size_t from, std::size_t to)
{
    for (std::size_t i = from; i < to; ++i) {
        const Expected& item = path_[i];
        switch (item.kind) {
        case Expected::Kind::tool_change:
            find(Severity::error, "tool-change-missing", "", fmt::format("the program does not change to tool {}", item.tool), "restore the tool change", &item, {});
            break;
        case Expected::Kind::dwell:
        case Expected::Kind::stop:
        case Expected::Kind::optional_stop:
            find(Severity::error, "stop-missing", "", "a dwell or stop of the path is not in the program", "restore the block", &item, {});
            break;
        case Expected::Kind::rapid:
            find(Severity::error, "target-missed", "", "no rapid of the program ends at this position", "restore the block that goes there", &item, {});
            break;
        default:
            find(Severity::error, "uncovered", "", "no block of the program covers this record", "restore the block, or take the record out of the path", &item, {});
            ++report_.uncovered;
        }
    }
}

// --- events ---------------------------------------------------------------------------------------------------------

void Comparer::tool_change(BlockNumber block, std::uint32_t tool)
{
    pass_tiny(nullptr);
    std::size_t at = next_;
    while (at < path_.size() && path_[at].kind != Expected::Kind::tool_change) {
        ++at;
    }
    if (at == path_.size()) {
        find(Severity::error, "tool-change-extra", "", fmt::format("the program changes to tool {}, the path does not", tool), "take the tool change away", nullptr, block);
        return;
    }
    if (any_rapid_) {
        miss_rapids();
    }
    uncovered(next_, at);
    if (path_[at].tool != tool) {
        find(Severity::error, "tool-differs", "", fmt::format("the program takes tool {}, the path asks for tool {}", tool, path_[at].tool), "correct the tool word",
             &path_[at], block);
    }
    next_ = at;
    advance({});
    link_from_.reset();
}

void Comparer::dwell(BlockNumber block, double seconds)
{
    if (hole_) {
        hole_->dwell += seconds;
        return;
    }
    pass_tiny(nullptr);
    const Expected* item = current();
    if (item == nullptr || item->kind != Expected::Kind::dwell) {
        find(Severity::warning, "dwell-extra", "", fmt::format("the program dwells {:.3f} s, the path does not", seconds), "take the dwell away", nullptr, block);
        return;
    }
    if (std::abs(item->dwell - seconds) > assembly_.controller.time_increment) {
        find(Severity::error, "dwell-differs", "", fmt::format("the program dwells {:.3f} s, the path asks for {:.3f} s", seconds, item->dwell), "correct the time word",
             item, block);
    }
    ++next_;
}

void Comparer::stop(BlockNumber block, bool optional)
{
    pass_tiny(nullptr);
    const Expected* item = current();
    const auto kind = optional ? Expected::Kind::optional_stop : Expected::Kind::stop;
    if (item == nullptr || item->kind != kind) {
        find(Severity::warning, "stop-extra", "", "the program stops where the path does not", "take the stop away, or add it to the path", nullptr, block);
        return;
    }
    ++next_;
}

void Comparer::program_end(BlockNumber) {}

void Comparer::finish()
{
    if (any_rapid_) {
        miss_rapids();
    }
    pass_tiny(nullptr);
    const Expected* item = current();
    if (item != nullptr && item->kind == Expected::Kind::feed && progress_ > 0) {
        const double rest = item->piece.length() * (1 - progress_);
        find(Severity::error, "uncovered", "", fmt::format("the last {:.4f} mm of this record are not covered", rest), "restore the block that ends here", item,
             progress_block_);
        ++report_.uncovered;
        ++next_;
    }
    uncovered(next_, path_.size());
    next_ = path_.size();
}

void Comparer::move(const ReplayMove& move)
{
    const Seen seen = see(move);
    for (std::size_t i = 0; i < last_set_.size(); ++i) {
        if (std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) > 1e-12) {
            last_set_[i] = move.block;
        }
    }
    pass_tiny(&seen);
    if (hole_ || (current() != nullptr && current()->kind == Expected::Kind::hole)) {
        if (hole(seen)) {
            return;
        }
    }
    if (move.feed) {
        cut(seen);
    } else {
        rapid(seen);
    }
}

// --- links ----------------------------------------------------------------------------------------------------------

void Comparer::check_link(const Seen& seen)
{
    const ReplayMove& m = seen.move;
    const Machine& machine = assembly_.machine;
    double turn = 0;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        if (machine.joints[i].kind == JointKind::rotary) {
            turn = std::max(turn, std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]));
        }
    }
    const bool retracted = machine.retract && [&] {
        const auto at = Eigen::Index(machine.retract->value);
        const double home = machine.joints[machine.retract->value].home;
        return std::abs(m.from[at] - home) < 1e-6 && std::abs(m.to[at] - home) < 1e-6;
    }();
    if (m.to_machine_position && machine.retract) {
        const auto at = Eigen::Index(machine.retract->value);
        const double off = std::abs(m.to[at] - machine.joints[machine.retract->value].home);
        if (m.from[at] != m.to[at] && off > 1e-6) {
            find(Severity::error, "retract-short", "", fmt::format("the retract ends {:.4f} mm from its place", off), "send the joint to its home", nullptr, m.block, off);
        }
    }
    if (turn > 1e-9 && !retracted) {
        find(Severity::error, "turns-while-low", "", "rotary joints turn in rapid while the tool is not retracted", "retract before the turn", current(), m.block, turn);
        return;
    }
    if (retracted || turn > 1e-9) {
        return;
    }
    std::size_t moving = 0;
    bool retract_moves = false;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const bool moves = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]) > 1e-9;
        moving += moves ? 1 : 0;
        retract_moves = retract_moves || (moves && machine.retract && machine.retract->value == i);
    }
    if (moving == 1 && retract_moves) {
        return; // straight away from the work or straight back
    }
    const Vec3 way = seen.to.tip - seen.from.tip;
    const double rise = seen.from.axis.dot(way);
    const double side = (way - seen.from.axis * rise).norm();
    const double least = 2 * m.length_increment;
    if (side <= least) {
        return;
    }
    if (std::abs(rise) > least && !assembly_.controller.rapid_straight) {
        find(Severity::error, "slanting-rapid", "", "a rapid moves sideways and along the tool in one block; the control may do either first",
             "write two blocks: away first, or sideways first", current(), m.block, side);
        return;
    }
    const Expected* item = current();
    const bool between_known = link_from_ && item != nullptr && is_motion(*item) && angle_between(link_from_->axis, item->piece.to.axis) < 1e-4;
    if (!between_known) {
        find(Severity::error, "sideways-while-low", "", "a rapid moves sideways while the tool is not retracted, after a tool change or on the way to another tool axis",
             "retract before it", item, m.block, side);
        return;
    }
    const Vec3& axis = link_from_->axis;
    const double target = item->kind == Expected::Kind::hole ? item->plan.clearance : 0;
    const double high = std::max(axis.dot(link_from_->tip), axis.dot(item->piece.to.tip) + target);
    const double low = std::min(axis.dot(seen.from.tip), axis.dot(seen.to.tip));
    if (low < high - 2 * seen.budget.tip - 1e-3) {
        find(Severity::error, "sideways-while-low", "", fmt::format("a rapid moves sideways {:.3f} mm below the higher end of its way", high - low),
             "go up first, or down last", item, m.block, high - low);
    }
}

bool Comparer::match_rapid(const Seen& seen)
{
    for (std::size_t i = next_; i < path_.size() && path_[i].kind == Expected::Kind::rapid; ++i) {
        const Deviation d{(seen.to.tip - path_[i].piece.to.tip).norm(), angle_between(seen.to.axis, path_[i].piece.to.axis)};
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
            const std::size_t wanted = i;
            while (next_ < wanted) {
                miss_rapids();
            }
        }
        reached(seen, path_[i], d);
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
         "compare the rapid with its record: a wrong word, or a block that is missing", item, any_rapid_ ? blame(*nearest_move_, nearest_set_, item->piece.to) : BlockNumber(), nearest_);
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
    // Behind the last record the machine may go home and nowhere else.
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        const auto at = Eigen::Index(i);
        const double home = assembly_.machine.joints[i].home;
        if (std::abs(seen.move.to[at] - seen.move.from[at]) > 1e-12 && std::abs(seen.move.to[at] - home) > budget_.half_increment(i) * 1.02) {
            const std::string& id = assembly_.machine.joints[i].id;
            find(Severity::warning, "stray-rapid", id, fmt::format("after the last record {} moves to a place that is not its home", id),
                 "send it home, or take the block away", nullptr, seen.move.block);
        }
    }
}

// --- cuts -----------------------------------------------------------------------------------------------------------

void Comparer::cut(const Seen& seen)
{
    // A first position without a way of its own may be reached at feed as well.
    if (current() != nullptr && current()->kind == Expected::Kind::rapid && match_rapid(seen)) {
        return;
    }
    while (current() != nullptr && current()->kind == Expected::Kind::rapid) {
        miss_rapids();
    }
    if (current() == nullptr || current()->kind != Expected::Kind::feed) {
        extra(seen);
        return;
    }
    const Expected& item = *current();
    const Deviation at_end = deviation_at(item.piece, 1, seen.to);
    const double s = item.piece.project(seen.to, progress_);
    const Deviation on_way = deviation_at(item.piece, s, seen.to);
    const bool standing = item.piece.length() < still_length && item.piece.turn() < 1e-9;
    const bool is_end = within(at_end, seen.budget) && (!item.piece.arc || s > progress_ || standing);
    const bool ahead = s > progress_ && s < 1;
    if (is_end || (ahead && within(on_way, BudgetRule::on_way(seen.budget, axis_rate(item.piece))))) {
        sample(seen, item);
        check_state(seen, item);
        check_feed(seen, item, progress_, is_end ? 1 : s);
        check_centre(seen, item);
        if (is_end) {
            reached(seen, item, at_end);
            advance(seen.to);
        } else {
            double reach = 0.02;
            const double place = place_by_time(seen, item, s, reach);
            check_rotary_words(seen, item, place, reach);
            progress_ = s;
            progress_place_ = place;
            progress_block_ = seen.move.block;
            progress_short_ = at_end;
        }
        return;
    }
    if (nearly_reached(seen) || look_ahead(seen)) {
        return;
    }
    if (at_end.tip < close_tip && at_end.axis < close_axis) {
        sample(seen, item);
        reached(seen, item, at_end);
        advance(seen.to);
    } else if (ahead && on_way.tip < close_tip && on_way.axis < close_axis) {
        note(report_.between, on_way, seen.budget, item, seen.move.block);
        progress_ = s;
        progress_place_ = s;
        progress_exact_ = false;
        progress_block_ = seen.move.block;
        progress_short_ = at_end;
    } else {
        extra(seen);
    }
}

bool Comparer::look_ahead(const Seen& seen)
{
    const std::size_t end = std::min(path_.size(), next_ + look_ahead_items);
    for (std::size_t i = next_ + 1; i < end && path_[i].kind == Expected::Kind::feed; ++i) {
        if (!within(deviation_at(path_[i].piece, 1, seen.to), seen.budget)) {
            continue;
        }
        for (std::size_t missing = next_; missing < i; ++missing) {
            find(Severity::error, "uncovered", "", "the program cuts the corner: no block ends at this record", "restore the block that ends there",
                 &path_[missing], seen.move.block);
            ++report_.uncovered;
        }
        next_ = i;
        progress_ = 0;
        reached(seen, path_[i], deviation_at(path_[i].piece, 1, seen.to));
        advance(seen.to);
        return true;
    }
    return false;
}

bool Comparer::nearly_reached(const Seen& seen)
{
    // Covered but for its end: the block that stopped short is the wrong one; this move belongs to the next piece.
    if (progress_ <= 0 || progress_short_.tip >= close_tip || progress_short_.axis >= close_axis) {
        return false;
    }
    const Expected& item = path_[next_];
    note(report_.at_records, progress_short_, seen.budget, item, progress_block_);
    advance(item.piece.to);
    cut(seen);
    return true;
}

void Comparer::sample(const Seen& seen, const Expected& item)
{
    const ReplayMove& m = seen.move;
    double turn = 0;
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        if (assembly_.machine.joints[i].kind == JointKind::rotary) {
            turn = std::max(turn, std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]));
        }
    }
    const bool rotary = turn > 1e-9;
    const Budget budget = budget_.between(
        seen.budget, {rotary, item.piece.arc && !m.arc, m.arc && m.arc_by_centre, m.arc && !m.arc_by_centre, axis_rate(item.piece)});
    const int parts = rotary || m.arc || item.piece.arc ? 16 : 2;
    Deviation worst;
    double lo = progress_;
    for (int i = 1; i <= parts; ++i) {
        const Pose pose = pose_at(m, double(i) / parts);
        const double s = item.piece.project(pose, lo);
        const Deviation d = deviation_at(item.piece, s, pose);
        worst.tip = std::max(worst.tip, d.tip);
        worst.axis = std::max(worst.axis, d.axis);
        lo = std::min(s, item.piece.project(pose, progress_));
    }
    note(report_.between, worst, budget, item, m.block);
}

void Comparer::check_centre(const Seen& seen, const Expected& item)
{
    if (!seen.move.arc || !item.piece.arc || !seen.move.arc_by_centre) {
        return;
    }
    // The centre's place across the arc's normal, in the part's frame.
    Readings at_centre = seen.move.to;
    for (int k = 0; k < 3; ++k) {
        at_centre[seen.move.arc_joints[std::size_t(k)]] = seen.move.arc->centre[k];
    }
    const Vec3 centre = pose_of(at_centre, seen.move.tool_length).tip;
    const Vec3& normal = item.piece.arc->normal;
    const Vec3 off = centre - item.piece.arc->centre;
    const double across = (off - normal * normal.dot(off)).norm();
    const double allowed = 2 * std::sqrt(0.5) * seen.move.length_increment + 2 * BudgetRule::computing_tip;
    if (across > allowed) {
        find(Severity::error, "off-path", "centre", fmt::format("the arc's centre is {:.4f} mm off; {:.4f} mm are allowed", across, allowed), "correct the centre words",
             &item, seen.move.block, across / allowed);
    }
}

void Comparer::check_feed(const Seen& seen, const Expected& item, double s0, double s1)
{
    const double length = item.piece.length() * (s1 - s0);
    if (length < shortest_timed) {
        return;
    }
    double wanted = item.seconds(length, item.piece.length());
    if (wanted <= 0) {
        return;
    }
    const ReplayMove& m = seen.move;
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        const double way = std::abs(m.to[Eigen::Index(i)] - m.from[Eigen::Index(i)]);
        wanted = std::max(wanted, way / assembly_.machine.joints[i].speed);
    }
    if (m.seconds <= 0) {
        return; // no feed in force: the control has said so
    }
    const double percent = 100 * (wanted / m.seconds - 1);
    report_.feed_error_percent = std::max(report_.feed_error_percent, std::abs(percent));
    const double word = 100 * m.feed_precision;
    const double ends = 100 * 2 * seen.budget.tip / length;
    if (std::abs(percent) > feed_tolerance_percent + word + ends) {
        find(Severity::error, "feed-differs", "", fmt::format("the tip moves at {:.1f} mm/min, the path asks for {:.1f} mm/min", length / m.seconds * 60, length / wanted * 60),
             "restate the feed; check the feed mode and the control's limits", &item, m.block, std::abs(percent));
    }
}

void Comparer::check_state(const Seen& seen, const Expected& item)
{
    const ReplayMove& m = seen.move;
    if (assembly_.setup.spindle == Actor::program) {
        const bool turning = item.spindle != record::SpindleState::off;
        if (m.spindle != item.spindle || (turning && std::abs(m.spindle_rpm - item.spindle_rpm) > assembly_.controller.speed_increment)) {
            find(Severity::error, "spindle-differs", "", turning ? fmt::format("the path cuts at {:.0f} rpm, the program at {:.0f} rpm or the other way round", item.spindle_rpm,
                                                                             m.spindle == record::SpindleState::off ? 0.0 : m.spindle_rpm)
                                                                 : std::string("the spindle turns where the path has it standing"),
                 "restate the spindle", &item, m.block);
        }
    }
    if (assembly_.setup.coolant == Actor::program && m.coolant != item.coolant) {
        find(Severity::error, "coolant-differs", "", "the coolant is not as the path asks", "restate the coolant", &item, m.block);
    }
    if (m.tool != item.tool) {
        find(Severity::error, "tool-differs", "", fmt::format("tool {} cuts, the path asks for tool {}", m.tool, item.tool), "restore the tool change", &item, m.block);
    }
}

std::optional<Readings> Comparer::exact_readings(const Pose& wanted, double tool_length, const Readings& near) const
{
    const InverseSolver& solver = *assembly_.solver;
    std::optional<Readings> best;
    double least = 0;
    for (const Candidate& candidate : solver.solve(transformed(assembly_.setup.part, wanted), tool_length, near).list) {
        double far = 0;
        for (const JointIndex j : solver.rotary()) {
            far = std::max(far, std::abs(candidate.readings[Eigen::Index(j.value)] - near[Eigen::Index(j.value)]));
        }
        if (candidate.pole > 1e-6 && (!best || far < least)) {
            best = candidate.readings;
            least = far;
        }
    }
    return best;
}

Readings Comparer::allowed_misfit(const Readings& readings, double tool_length) const
{
    const InverseSolver& solver = *assembly_.solver;
    const Readings levers = solver.kinematics().levers(readings, tool_length);
    double lever_term = 0;
    for (const JointIndex j : solver.rotary()) {
        lever_term += levers[Eigen::Index(j.value)] * budget_.half_increment(j.value);
    }
    Readings out(readings.size());
    for (std::size_t i = 0; i < assembly_.machine.joints.size(); ++i) {
        const bool rotary = assembly_.machine.joints[i].kind == JointKind::rotary;
        out[Eigen::Index(i)] = budget_.half_increment(i) * 1.02 + (rotary ? 1e-9 : lever_term + BudgetRule::computing_tip);
    }
    return out;
}

BlockNumber Comparer::blame(const ReplayMove& move, const std::vector<BlockNumber>& set_by, const Pose& wanted) const
{
    const auto exact = exact_readings(wanted, move.tool_length, move.to);
    if (!exact) {
        return move.block;
    }
    const Readings allowed = allowed_misfit(move.to, move.tool_length);
    double worst = 1;
    BlockNumber out = move.block;
    for (const auto& link : assembly_.solver->kinematics().links()) {
        const auto at = Eigen::Index(link.joint.value);
        const double off = std::abs(move.to[at] - (*exact)[at]) / allowed[at];
        if (off > worst && set_by[link.joint.value].value != 0) {
            worst = off;
            out = set_by[link.joint.value];
        }
    }
    return out;
}

double Comparer::place_by_time(const Seen& seen, const Expected& item, double s, double& reach)
{
    // The feed word tells how far along the path a block goes, more finely than its rounded end does.
    const double length = item.piece.length();
    const double whole = item.seconds(length, length);
    if (whole <= 0 || seen.move.seconds <= 0 || length < still_length) {
        progress_exact_ = false;
        return s;
    }
    const double by_time = progress_place_ + seen.move.seconds / whole;
    progress_exact_ = progress_exact_ && !seen.move.at_joint_limit && by_time < 1 && std::abs(by_time - s) * length <= 2 * seen.budget.tip;
    if (!progress_exact_) {
        return s; // limited by a joint, or a wrong feed: told elsewhere
    }
    reach = by_time * length * seen.move.feed_precision + BudgetRule::computing_tip;
    return by_time;
}

void Comparer::pass_tiny(const Seen* seen)
{
    // A piece below the last digit of the words needs no block of its own.
    while (current() != nullptr && current()->kind == Expected::Kind::feed && progress_ == 0) {
        const Expected& item = *current();
        const double digit = seen != nullptr ? seen->move.length_increment : budget_.length_increment();
        if (item.piece.length() >= 1.8 * digit || (item.piece.arc && item.piece.arc->sweep > pi)) {
            return;
        }
        if (seen != nullptr) {
            const Deviation there = deviation_at(item.piece, 1, seen->from);
            const bool moved_to = seen->move.feed && within(deviation_at(item.piece, 1, seen->to), seen->budget);
            if (moved_to || !within(there, seen->budget)) {
                return;
            }
            note(report_.at_records, there, seen->budget, item, seen->move.block);
        }
        ++report_.compared;
        advance(item.piece.to);
    }
}

void Comparer::check_rotary_words(const Seen& seen, const Expected& item, double s, double reach)
{
    const InverseSolver& solver = *assembly_.solver;
    const Readings& stand = seen.move.to;
    const auto here = solver.rotary().empty() ? std::nullopt : exact_readings(item.piece.at(s), seen.move.tool_length, stand);
    if (!here) {
        return;
    }
    // Between records the place along the way is free: the words are right if one place explains them all.
    Readings slope = Readings::Zero(stand.size());
    if (s < 1) {
        const double step = std::min(1e-3, 0.5 * (1 - s));
        const auto beyond = exact_readings(item.piece.at(s + step), seen.move.tool_length, *here);
        if (!beyond) {
            return;
        }
        slope = (*beyond - *here) / step;
        reach /= std::max(item.piece.length(), still_length);
    }
    const Readings allowed = allowed_misfit(stand, seen.move.tool_length);
    std::size_t joint = 0;
    const auto misfit = [&](double ds) {
        double worst = 0;
        for (const auto& link : solver.kinematics().links()) {
            const auto at = Eigen::Index(link.joint.value);
            const double off = std::abs(stand[at] - (*here)[at] - slope[at] * ds) / allowed[at];
            if (off > worst) {
                worst = off;
                joint = link.joint.value;
            }
        }
        return worst;
    };
    double low = -reach;
    double high = reach;
    for (int i = 0; i < 60 && reach > 0; ++i) { // the misfit is convex along the way
        const double a = low + (high - low) / 3;
        const double b = high - (high - low) / 3;
        if (misfit(a) < misfit(b)) {
            high = b;
        } else {
            low = a;
        }
    }
    const double worst = misfit(0.5 * (low + high));
    if (worst > 1) {
        const std::string& id = assembly_.machine.joints[joint].id;
        const BlockNumber block = s < 1 || last_set_[joint].value == 0 ? seen.move.block : last_set_[joint];
        find(Severity::error, "word-off", id, fmt::format("the word for {} is {:.1f} times further from the path's reading than rounding explains", id, worst),
             "compare the word with the axis position for this record", &item, block, worst);
    }
}

void Comparer::extra(const Seen& seen)
{
    ++report_.extra;
    find(Severity::error, "extra-motion", "", fmt::format("{:.3f} mm at feed belong to no record", (seen.to.tip - seen.from.tip).norm()),
         "take the block away, or add the motion to the path", current(), seen.move.block, (seen.to.tip - seen.from.tip).norm());
}

} // namespace wexilum
