#include "core/run/table_writer.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/job/assembly.hpp"
#include "core/motion/way_rules.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace wexilum {
namespace {

constexpr double share_of_joints = 0.95; // of what they can, where rows come by a clock

} // namespace

TableWriter::TableWriter(const Assembly& assembly, CodeSink& rows, FindingList& findings, const std::vector<std::string>& files)
    : assembly_(assembly), table_(*assembly.controller.table), out_(rows), findings_(findings), files_(files), machine_(assembly.machine),
      lines_(assembly.controller), control_(assembly.controller, assembly.machine, machine_,
                                            control_memory(assembly.machine, assembly.setup), {"", false, 1, false}, lines_, of_control_),
      stand_(assembly.machine.home())
{
    if (table_.interval > 0) {
        const double pace = assembly.dialect.table->pace;
        WayRules rules = clocked_rules(assembly.machine, table_.interval, assembly.row_tolerance(), share_of_joints);
        for (std::size_t i = 0; i < rules.speed.size(); ++i) { // a pace that is not the joints' own leaves out of account what they can
            rules.speed[i] *= pace;
            rules.acceleration[i] *= pace * pace;
            rules.jump[i] *= pace * pace;
        }
        clock_.emplace(std::move(rules), table_.interval, [this](const Readings& at, std::size_t piece) { take_clocked(at, piece); });
    }
    put(table_.head(), no_source);
    put_row(stand_, 0, false, no_source);
}

void TableWriter::line(std::string_view text, const Source& source)
{
    row_of_line_.push_back(clock_ ? 0 : rows_ + 1);
    lines_.give(text);
    while (const Happening* happening = control_.step()) {
        take(*happening, source);
    }
    for (; told_ < of_control_.list().size(); ++told_) { // what a rule has written there that is not of the language
        const Finding& found = of_control_.list()[told_];
        if (found.kind == "code-error") {
            Finding finding = Finding::make(Severity::error, "table-text", "a table can't hold this: " + found.message,
                                            "take the text out of the rule or the path", 0);
            finding.source = place_of(files_, source);
            findings_.add(std::move(finding));
        }
    }
}

void TableWriter::take(const Happening& happening, const Source& source)
{
    switch (happening.kind) {
    case Happening::Kind::motion: move(*happening.move, source); return;
    case Happening::Kind::dwell: dwell(happening.seconds, source); return;
    case Happening::Kind::tool_change:
        end_way();
        tool_ = happening.tool;
        return;
    case Happening::Kind::message: message(happening.text, source); return;
    case Happening::Kind::stop: refuse(happening.optional ? "an optional stop" : "a stop", source); return;
    case Happening::Kind::wait: refuse("a wait for another channel", source); return;
    case Happening::Kind::loop: refuse("a loop", source); return;
    default: return;
    }
}

void TableWriter::move(const ReplayMove& move, const Source& source)
{
    const double rpm = move.spindle == record::SpindleState::off                 ? 0
                       : move.spindle == record::SpindleState::counter_clockwise ? -move.spindle_rpm
                                                                                 : move.spindle_rpm;
    if (rpm != rpm_ || coolant_ != move.coolant || cutting_ != move.feed || !move.feed) {
        end_way();
    }
    rpm_ = rpm;
    coolant_ = move.coolant;
    cutting_ = move.feed;
    if ((move.to - stand_).cwiseAbs().maxCoeff() < no_motion) { // a word that leads nowhere
        return;
    }
    const double seconds = move.seconds / assembly_.dialect.table->pace;
    if (clock_) {
        go_by_clock(move, move.feed ? seconds : 0, source);
    } else {
        put_row(move.to, seconds, move.feed, source);
    }
    stand_ = move.to;
}

void TableWriter::go_by_clock(const ReplayMove& move, double asked, const Source& source)
{
    ClockedWay::Piece piece{stand_, move.to, asked, chain(move.mount).jacobian(move.to, move.tool_length)};
    clocked_.push_back({row_of_line_.size(), source, std::exchange(remarks_, {})});
    clock_->add(std::move(piece));
}

/// From a tool mount to what holds the first work: how joints move the tool against another one differs in direction alone, or not at all.
const Kinematics& TableWriter::chain(std::uint32_t mount)
{
    const auto found = chains_.find(mount);
    if (found != chains_.end()) {
        return found->second;
    }
    const auto held = holding(assembly_.machine, assembly_.setup, 0);
    const Mount& work = held ? *held : *assembly_.machine.first_mount(MountKind::work);
    return chains_.emplace(mount, Kinematics::make(assembly_.machine, {mount, {}}, work)).first->second;
}

void TableWriter::take_clocked(const Readings& at, std::size_t piece)
{
    for (; first_clocked_ < piece; ++first_clocked_) { // shorter than an interval
        clocked_[1].remarks.insert(clocked_[1].remarks.begin(), clocked_.front().remarks.begin(), clocked_.front().remarks.end());
        clocked_.pop_front();
    }
    Clocked& here = clocked_.front();
    for (const std::string& remark : std::exchange(here.remarks, {})) {
        put(remark, here.source);
    }
    std::uint32_t& row = row_of_line_[here.line - 1];
    row = row == 0 ? rows_ + 1 : row;
    put_row(at, table_.interval, cutting_, here.source);
}

/// The joints come to a stop where they are sent to.
void TableWriter::end_way()
{
    if (clock_) {
        clock_->stop();
        clocked_.clear();
        first_clocked_ = clock_->count();
    }
}

void TableWriter::dwell(double seconds, const Source& source)
{
    end_way();
    const int rows = clock_ ? int(std::ceil(seconds / table_.interval - 1e-9)) : 1;
    for (int i = 0; i < rows; ++i) {
        put_row(stand_, clock_ ? table_.interval : seconds, false, source);
    }
}

void TableWriter::message(const std::string& text, const Source& source)
{
    if (table_.json || table_.remark.empty()) {
        return;
    }
    if (clock_) {
        remarks_.push_back(table_.remark + " " + text);
    } else {
        put(table_.remark + " " + text, source);
    }
}

void TableWriter::refuse(const char* what, const Source& source)
{
    Finding finding = Finding::make(Severity::error, "table-text", fmt::format("the path asks for {}, which a table can't hold", what),
                                    "take it out of the path, or write the job for a control that reads words", 0);
    finding.source = place_of(files_, source);
    findings_.add(std::move(finding));
}

std::string TableWriter::number(double value, double step) const
{
    const double decimals = std::max(0.0, std::ceil(-std::log10(step) - 1e-9));
    const double rounded = std::round(value / step) * step;
    return fmt::format("{:.{}f}", std::abs(rounded) < step / 2 ? 0.0 : rounded, int(decimals));
}

void TableWriter::put_row(const Readings& at, double seconds, bool cutting, const Source& source)
{
    const Controller& controller = assembly_.controller;
    const double step = controller.time_increment;
    const std::int64_t taken = seconds > 0 ? std::max<std::int64_t>(1, std::llround(seconds / step)) : 0;
    time_ += taken;
    std::string row;
    for (const TableColumn& column : table_.columns) {
        std::string cell;
        switch (column.is) {
        case TableColumn::Is::joint: {
            const auto joint = assembly_.machine.find_joint(column.joint);
            const double unit = table_.unit_of(column);
            const double smallest = column.angle ? to_rad(controller.angle_increment) : controller.length_increment;
            cell = number(joint ? at[Eigen::Index(joint->value)] / unit : 0, smallest / unit);
            break;
        }
        case TableColumn::Is::seconds: cell = number(double(taken) * step, step); break;
        case TableColumn::Is::time: cell = number(double(time_) * step, step); break;
        case TableColumn::Is::cutting: cell = cutting ? "1" : "0"; break;
        case TableColumn::Is::tool: cell = fmt::format("{}", tool_); break;
        case TableColumn::Is::spindle: cell = fmt::format("{:g}", rpm_); break;
        case TableColumn::Is::coolant: cell = fmt::format("{}", int(coolant_)); break;
        }
        row += (row.empty() ? "" : table_.json ? ", " : std::string(1, table_.separator)) + cell;
    }
    if (!table_.json) {
        put(row, source);
        return;
    }
    if (!open_.empty()) {
        put(open_ + ",", open_source_);
    }
    open_ = "[" + row + "]";
    open_source_ = source;
}

void TableWriter::put(const std::string& text, const Source& source)
{
    ++rows_;
    bytes_ += text.size() + 1;
    out_.line(text, source);
}

void TableWriter::finish()
{
    end_way();
    for (const std::string& remark : std::exchange(remarks_, {})) {
        put(remark, no_source);
    }
    std::uint32_t next = rows_ + 1;
    for (std::size_t i = row_of_line_.size(); i-- > 0;) { // a line without a row begins with the one behind it
        next = row_of_line_[i] == 0 ? next : row_of_line_[i];
        row_of_line_[i] = next;
    }
    if (!open_.empty()) {
        put(open_, open_source_);
    }
    if (const std::string foot = table_.foot(); !foot.empty()) {
        put(foot, no_source);
    }
}

std::uint32_t TableWriter::row_of(std::uint32_t line) const
{
    return line > 0 && line <= row_of_line_.size() ? row_of_line_[line - 1] : rows_ + 1;
}

std::uint32_t TableWriter::line_of(std::uint32_t row) const
{
    return std::uint32_t(std::upper_bound(row_of_line_.begin(), row_of_line_.end(), row) - row_of_line_.begin());
}

} // namespace wexilum
