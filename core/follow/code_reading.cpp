#include "core/follow/code_reading.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double place_turn = 0.02; // rad: of an arc or of rotary joints, between two places of a way that are looked at
constexpr int most_places = 512;

/// The places of a motion, as rising fractions, at which something may be furthest out.
void places_of(const ReplayMove& move, double turn, std::vector<double>& out)
{
    out.clear();
    if (move.arc) {
        turn = std::max(turn, move.arc->sweep);
        const Arc& arc = *move.arc;
        const Vec3 a = arc.start - arc.centre;
        const Vec3 b = arc.normal.cross(a);
        for (int k = 0; k < 3; ++k) { // where the arc turns round along a coordinate
            for (double angle = std::remainder(std::atan2(b[k], a[k]), pi); angle < arc.sweep; angle += pi) {
                if (angle > 0) {
                    out.push_back(angle / arc.sweep);
                }
            }
        }
    }
    const int parts = std::clamp(int(std::ceil(turn / place_turn)), 1, most_places);
    for (int i = 1; i < parts; ++i) {
        out.push_back(double(i) / parts);
    }
    std::sort(out.begin(), out.end());
}

} // namespace

void Extent::take(double value, BlockNumber block)
{
    if (value < low) {
        low = value;
        low_block = block;
    }
    if (value > high) {
        high = value;
        high_block = block;
    }
}

std::optional<double> travel_left(const Joint& joint, const Extent& readings)
{
    if (!joint.travel || !readings.any()) {
        return std::nullopt;
    }
    return std::min(readings.low - joint.travel->low, joint.travel->high - readings.high);
}

CodeReader::CodeReader(const Machine& machine, CodeReading& out) : machine_(machine), out_(out)
{
    out_.readings.resize(machine.joints.size());
    out_.cut_readings.resize(machine.joints.size());
}

void CodeReader::begin_tool(std::uint32_t tool, BlockNumber block)
{
    ToolStretch& stretch = out_.tools.emplace_back();
    stretch.tool = tool;
    stretch.first_block = stretch.last_block = block;
}

void CodeReader::note(const Readings& at, const Vec3& tip, BlockNumber block, bool cuts)
{
    for (std::size_t i = 0; i < out_.readings.size(); ++i) {
        out_.readings[i].take(at[Eigen::Index(i)], block);
        if (cuts) {
            out_.cut_readings[i].take(at[Eigen::Index(i)], block);
        }
    }
    for (std::size_t k = 0; k < 3; ++k) {
        out_.tip[k].take(tip[Eigen::Index(k)], block);
        if (cuts) {
            out_.cut_tip[k].take(tip[Eigen::Index(k)], block);
            out_.tools.back().tip[k].take(tip[Eigen::Index(k)], block);
        }
    }
}

void CodeReader::moved(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    if (out_.tools.empty()) {
        begin_tool(move.tool, move.block);
    }
    ToolStretch& tool = out_.tools.back();
    tool.length = move.tool_length;
    tool.last_block = move.block;
    const bool cuts = move.feed && !motion.stands_for_rapid();
    ++out_.motions;
    places_of(move, motion.turn, places_);
    if (!begun_ || cuts) { // otherwise the motion before has set where this one begins
        note(move.from, motion.from.tip, move.block, cuts);
        begun_ = true;
    }
    double way = 0;
    Vec3 before = motion.from.tip;
    for (const double u : places_) {
        const Vec3 tip = motion.at(u).tip;
        note(move.at(u), tip, move.block, cuts);
        way += (tip - before).norm();
        before = tip;
    }
    way += (motion.to.tip - before).norm();
    note(move.to, motion.to.tip, move.block, cuts);
    if (!cuts) {
        return;
    }
    tool.cutting_way += way;
    if (move.seconds > 0 && way > 0) {
        tool.feed.take(way / move.seconds, move.block);
    }
    tool.speed.take(move.spindle == record::SpindleState::off ? 0 : move.spindle_rpm, move.block);
}

void CodeReader::tool_change(BlockNumber block, std::uint32_t tool)
{
    begin_tool(tool, block);
    begun_ = false;
}

} // namespace wexilum
