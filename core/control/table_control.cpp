#include "core/control/table_control.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/controller/controller.hpp"
#include "core/setup/setup.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <utility>

namespace wexilum {
namespace {

constexpr double largest_value = 1e7;
constexpr double nearly_all = 1 + 1e-6; // of what a joint can
constexpr double most_creeping = 3.5;   // intervals: a longer stand is a dwell

std::string_view trimmed(std::string_view text)
{
    const std::size_t first = text.find_first_not_of(" \t\r");
    return first == std::string_view::npos ? std::string_view() : text.substr(first, text.find_last_not_of(" \t\r") - first + 1);
}

std::vector<std::string_view> cells_of(std::string_view row, char separator)
{
    std::vector<std::string_view> out;
    while (true) {
        const std::size_t end = row.find(separator);
        out.push_back(trimmed(row.substr(0, end)));
        if (end == std::string_view::npos) {
            return out;
        }
        row.remove_prefix(end + 1);
    }
}

std::string shortened(std::string_view text) { return std::string(text.substr(0, 40)); }

std::string amount(const Joint& joint, double value, const char* per)
{
    const bool rotary = joint.kind == JointKind::rotary;
    return fmt::format("{:.1f} {}/{}", rotary ? to_deg(value) : value, rotary ? "deg" : "mm", per);
}

} // namespace

TableControl::TableControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory,
                           const ControlStart& start, LineSource& lines, FindingList& findings)
    : controller_(controller), table_(*controller.table), machine_(machine), now_(state.readings), memory_(std::move(memory)),
      lines_(lines), log_(findings, start.file, start.channel, start.from_unknown),
      mount_(start.mount.value_or(machine.mounts.empty() ? 0 : machine.at_rest().mount)), from_unknown_(start.from_unknown)
{
    std::uint32_t joints = 0;
    for (const TableColumn& column : table_.columns) {
        const auto joint = column.is == TableColumn::Is::joint ? machine.find_joint(column.joint) : std::nullopt;
        cells_.push_back({column.is, joint ? joint->value : SIZE_MAX, table_.unit_of(column)});
        joints |= joint ? std::uint32_t{1} << joint->value : 0;
    }
    values_.resize(cells_.size());
    (void)state.enter(start.channel, joints);
}

const Happening* TableControl::step()
{
    for (;;) {
        if (const Happening* happening = log_.take()) {
            return happening;
        }
        log_.forget();
        if (ended_) {
            return nullptr;
        }
        const CodeLine* line = lines_.next();
        if (line == nullptr) {
            ended_ = true;
            if (lines_.status()) {
                come_to_rest();
                stand(0);
                log_.happens(Happening::Kind::end);
            }
            continue;
        }
        line_ = BlockNumber(line_.value + 1);
        log_.set_block(line_);
        take(line->text);
    }
}

void TableControl::bad(std::string message, const char* cure) { log_.report(Severity::error, "code-error", "", std::move(message), cure); }

/// Of JSON: what is not a row.
bool TableControl::is_frame(std::string_view text)
{
    if (!in_rows_) {
        const std::size_t columns = text.find("\"columns\"");
        const std::size_t open = text.find('[', columns == std::string_view::npos ? 0 : columns);
        const std::size_t close = text.find(']', open == std::string_view::npos ? 0 : open);
        if (columns != std::string_view::npos && close != std::string_view::npos) {
            std::vector<std::string_view> names = cells_of(text.substr(open + 1, close - open - 1), ',');
            for (std::string_view& name : names) {
                const bool quoted = name.size() > 1 && name.front() == '"' && name.back() == '"';
                name = quoted ? name.substr(1, name.size() - 2) : name;
            }
            check_names(names);
        }
        const std::size_t rows = text.find("\"rows\"");
        in_rows_ = rows != std::string_view::npos;
        const std::size_t begins = in_rows_ ? text.find('[', rows) : std::string_view::npos;
        if (text.front() == '[' || (begins != std::string_view::npos && !trimmed(text.substr(begins + 1)).empty())) {
            bad("a row stands before or beside \"rows\"", "write each row on a line of its own behind \"rows\": [");
        }
        return true;
    }
    if (text.front() != '[' && text.find_first_not_of("]}, ") != std::string_view::npos) {
        bad(fmt::format("\"{}\" is not a row of numbers", shortened(text)), "write each row as [numbers], on a line of its own");
    }
    return text.front() != '[';
}

void TableControl::check_names(const std::vector<std::string_view>& names)
{
    named_ = true;
    const auto same = [](std::string_view name, const TableColumn& column) { return name == column.name; };
    if (!std::equal(names.begin(), names.end(), table_.columns.begin(), table_.columns.end(), same)) {
        std::string wanted;
        for (const TableColumn& column : table_.columns) {
            wanted += (wanted.empty() ? "" : std::string(1, table_.separator)) + column.name;
        }
        bad(fmt::format("the columns are not those that the control reads: {}", wanted), "name and order the columns so");
    }
}

void TableControl::take(std::string_view text)
{
    std::string_view row = trimmed(text);
    if (row.empty() || (!table_.remark.empty() && row.substr(0, table_.remark.size()) == table_.remark)) {
        return;
    }
    if (table_.json) {
        if (is_frame(row)) {
            return;
        }
        const std::size_t close = row.rfind(']');
        if (!named_ || close == std::string_view::npos ||
            trimmed(row.substr(close + 1)).find_first_not_of(",]}") != std::string_view::npos) {
            bad(fmt::format("\"{}\" is not a row of numbers behind the columns' names", shortened(row)),
                "write {\"columns\": [names], \"rows\": [ and then each row as [numbers], on a line of its own");
            return;
        }
        row = row.substr(1, close - 1);
    } else if (!named_) {
        check_names(cells_of(row, table_.separator));
        return;
    }
    if (!read_cells(row) || !are_states()) {
        return;
    }
    Readings to = now_;
    for (std::size_t i = 0; i < cells_.size(); ++i) {
        if (cells_[i].is == TableColumn::Is::joint && cells_[i].joint != SIZE_MAX) {
            to[Eigen::Index(cells_[i].joint)] = values_[i] * cells_[i].unit;
        }
    }
    bring_followers(machine_, to);
    const double time = value(TableColumn::Is::time, 0);
    const double seconds = table_.interval > 0 ? table_.interval : value(TableColumn::Is::seconds, time - time_);
    time_ = time;
    go(to, placed_ ? seconds : 0);
}

bool TableControl::read_cells(std::string_view row)
{
    const std::vector<std::string_view> cells = cells_of(row, table_.json ? ',' : table_.separator);
    if (cells.size() != cells_.size()) {
        bad(fmt::format("the row has {} cells, the table {} columns", cells.size(), cells_.size()), "write a number for each column");
        return false;
    }
    for (std::size_t i = 0; i < cells.size(); ++i) {
        const char* const end = cells[i].data() + cells[i].size();
        const auto read = std::from_chars(cells[i].data(), end, values_[i]);
        const bool whole = read.ec == std::errc() && read.ptr == end;
        if (!whole || !(std::abs(values_[i]) <= largest_value)) {
            bad(fmt::format("\"{}\" is not a number within 1e7, in the column {}", shortened(cells[i]), table_.columns[i].name),
                "write a number with a decimal point");
            return false;
        }
    }
    return true;
}

/// Whether what a row says of tool, coolant and cutting can be so.
bool TableControl::are_states()
{
    for (std::size_t i = 0; i < cells_.size(); ++i) {
        const TableColumn::Is is = cells_[i].is;
        const double most = is == TableColumn::Is::cutting   ? 1
                            : is == TableColumn::Is::coolant ? double(record::coolant_names.size() - 1)
                            : is == TableColumn::Is::tool    ? 1e6
                                                             : -1;
        if (most >= 0 && (values_[i] != std::floor(values_[i]) || values_[i] < 0 || values_[i] > most)) {
            bad(fmt::format("{:g} says nothing in the column {}", values_[i], table_.columns[i].name),
                "write a whole number that the column's kind has");
            return false;
        }
    }
    return true;
}

double TableControl::value(TableColumn::Is is, double otherwise) const
{
    const auto found = std::find_if(cells_.begin(), cells_.end(), [&](const Cell& cell) { return cell.is == is; });
    return found == cells_.end() ? otherwise : values_[std::size_t(found - cells_.begin())];
}

/// Tool, spindle and coolant of the row at hand.
void TableControl::take_states()
{
    const auto tool = std::uint32_t(value(TableColumn::Is::tool, tool_));
    if (tool != tool_) {
        stand(0);
        tool_ = tool;
        const Tool* known = memory_.tools != nullptr ? memory_.tools->find_tool(tool) : nullptr;
        length_ = known != nullptr ? known->length.value_or(0) : 0;
        log_.happens(Happening::Kind::tool_change).tool = tool;
        if (memory_.tools != nullptr && tool != 0 && (known == nullptr || !known->length)) {
            log_.report(Severity::error, "tool-unknown", fmt::format("{}", tool),
                        known == nullptr ? fmt::format("the setup has no tool {}", tool)
                                         : fmt::format("the length of tool {} is not known", tool),
                        "add it to the setup's tools");
        }
    }
    const double rpm = value(TableColumn::Is::spindle, rpm_);
    if (rpm != rpm_) {
        rpm_ = rpm;
        if (const std::string refused = speed_refused(machine_, mount_, std::abs(rpm)); !refused.empty()) {
            log_.report(Severity::error, "spindle-beyond-drive", "", refused,
                        "write a speed that the drive has, and the feed that goes with it", std::abs(rpm));
        }
    }
    coolant_ = record::CoolantState(int(value(TableColumn::Is::coolant, double(coolant_))));
}

/// From row to row, or to the first one.
void TableControl::go(const Readings& to, double seconds)
{
    take_states();
    if (placed_ && seconds < 0) {
        bad(fmt::format("the row is {:g} s before the one above it", -seconds), "let time rise from row to row");
        return;
    }
    const bool moves = (to - now_).cwiseAbs().maxCoeff() > no_motion;
    if (!moves) {
        come_to_rest();
        stands_ += seconds;
        placed_ = true;
        return;
    }
    // Where a joint goes less than its increment in an interval, a row may be the one before it: the way to the next takes the time of
    // both.
    stand(0);
    const double waited = std::exchange(stands_, 0);
    ReplayMove move;
    move.block = line_;
    move.from = now_;
    move.to = to;
    move.from_known = placed_ || !from_unknown_;
    move.feed = placed_ && value(TableColumn::Is::cutting, 1) != 0;
    move.rapid_straight = true;
    move.by_clock = table_.interval > 0;
    set_state(move);
    double least = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        least = std::max(least, std::abs(to[Eigen::Index(i)] - now_[Eigen::Index(i)]) / machine_.joints[i].speed);
    }
    move.seconds = placed_ ? seconds : least;
    if (placed_ && !(seconds > 0)) {
        bad("the row moves joints in no time", "state the time that the way to it takes");
        move.seconds = least;
    } else if (placed_) {
        check_speed(move);
        check_ramps(move);
        move.seconds += waited;
    }
    if (move.feed) {
        move.asked = move.seconds;
        move.feed_precision = table_.interval > 0 ? 0 : 0.5 * controller_.time_increment / move.seconds;
        for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
            if (!machine_.joints[i].moves_while_cutting && std::abs(to[Eigen::Index(i)] - now_[Eigen::Index(i)]) > 1e-9) {
                log_.report(Severity::error, "positions-only", machine_.joints[i].id,
                            fmt::format("{} moves in a cut, but it may only be positioned", machine_.joints[i].id),
                            "position it in a row that does not cut");
            }
        }
    }
    for (const Overtravel& over :
         inside_travel(machine_, to, travel_slack) ? std::vector<Overtravel>() : overtravels(machine_, to, travel_slack)) {
        log_.report(Severity::error, "beyond-travel", machine_.joints[over.joint.value].id, text_of(machine_, over),
                    "the machine would stop with an alarm here", over.beyond);
    }
    now_ = to;
    placed_ = true;
    log_.moves(std::move(move));
}

/// Behind the row before nothing moves any more.
void TableControl::come_to_rest()
{
    if (!speed_.empty()) {
        ReplayMove rest;
        rest.from = rest.to = now_;
        rest.seconds = table_.interval;
        check_ramps(rest);
        speed_.clear();
    }
}

/// Tells the time that rows have stood, unless the joints may as well have crept.
void TableControl::stand(double seconds)
{
    stands_ += seconds;
    if (stands_ > most_creeping * table_.interval) {
        log_.happens(Happening::Kind::dwell).seconds = std::exchange(stands_, 0);
    }
}

void TableControl::set_state(ReplayMove& move) const
{
    move.mount = mount_;
    move.tool = tool_;
    move.tool_length = length_;
    move.spindle = rpm_ == 0  ? record::SpindleState::off
                   : rpm_ > 0 ? record::SpindleState::clockwise
                              : record::SpindleState::counter_clockwise;
    move.spindle_rpm = std::abs(rpm_);
    move.coolant = coolant_;
    move.length_increment = controller_.length_increment;
}

double TableControl::increment_of(const Joint& joint) const
{
    return joint.kind == JointKind::rotary ? to_rad(controller_.angle_increment) : controller_.length_increment;
}

/// What a joint would have to do in a row, beyond the rounding of its two ends.
void TableControl::check_speed(const ReplayMove& move)
{
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const Joint& joint = machine_.joints[i];
        const double increment = increment_of(joint);
        const double way = std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]);
        if (way > joint.speed * (move.seconds + 0.5 * controller_.time_increment) * nearly_all + increment) {
            log_.report(Severity::error, "joint-too-fast", joint.id,
                        fmt::format("{} is to go at {} to this row, it can {}", joint.id, amount(joint, way / move.seconds, "s"),
                                    amount(joint, joint.speed, "s")),
                        "give the row more time", way / move.seconds / joint.speed);
        }
    }
}

/// Where rows come by the clock the joints have to follow from one to the next: how fast their speed changes.
void TableControl::check_ramps(const ReplayMove& move)
{
    if (!(table_.interval > 0)) {
        return;
    }
    const bool goes_on = speed_.size() == machine_.joints.size();
    speed_.resize(machine_.joints.size(), 0);
    for (std::size_t i = 0; i < speed_.size(); ++i) {
        const Joint& joint = machine_.joints[i];
        const double increment = increment_of(joint);
        const double speed = (move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) / move.seconds;
        const double ramp = std::abs(speed - (goes_on ? speed_[i] : 0)) / move.seconds;
        speed_[i] = speed;
        if (joint.acceleration > 0 && ramp > joint.acceleration * nearly_all + 2 * increment / (move.seconds * move.seconds)) {
            log_.report(Severity::error, "joint-too-abrupt", joint.id,
                        fmt::format("{} is to be accelerated by {} to this row, it can {}", joint.id, amount(joint, ramp, "s2"),
                                    amount(joint, joint.acceleration, "s2")),
                        "let the rows rise and fall more gently", ramp / joint.acceleration);
        }
    }
}

void TableControl::finish()
{
    if (!placed_) {
        log_.report(Severity::error, "code-error", "", "the table has no row", "write its rows behind the names of its columns");
    }
}

ControlState TableControl::state() const
{
    ControlState out;
    out.block = line_;
    out.tool = out.selected_tool = tool_;
    out.tool_length = length_;
    out.mount = mount_ < machine_.mounts.size() ? machine_.mounts[mount_].id : std::string();
    out.spindle_rpm = rpm_;
    out.ended = ended_;
    out.readings = now_;
    return out;
}

} // namespace wexilum
