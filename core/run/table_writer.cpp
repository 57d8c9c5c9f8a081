#include "core/run/table_writer.hpp"

#include "core/base/units.hpp"
#include "core/job/assembly.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

TableWriter::TableWriter(const Assembly& assembly, CodeSink& rows, FindingList& findings, const std::vector<std::string>& files)
    : assembly_(assembly), table_(*assembly.controller.table), out_(rows), findings_(findings), files_(files), machine_(assembly.machine),
      lines_(assembly.controller), control_(assembly.controller, assembly.machine, machine_,
                                            control_memory(assembly.machine, assembly.setup), {"", false, 1, false}, lines_, of_control_),
      stand_(assembly.machine.home())
{
    put(table_.head(), no_source);
    put_row(stand_, 0, false, no_source);
}

void TableWriter::line(std::string_view text, const Source& source)
{
    row_of_line_.push_back(rows_ + 1);
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
    case Happening::Kind::motion: {
        const ReplayMove& move = *happening.move;
        rpm_ = move.spindle == record::SpindleState::off                 ? 0
               : move.spindle == record::SpindleState::counter_clockwise ? -move.spindle_rpm
                                                                         : move.spindle_rpm;
        coolant_ = move.coolant;
        if ((move.to - stand_).cwiseAbs().maxCoeff() < 1e-12) { // a word that leads nowhere
            return;
        }
        stand_ = move.to;
        put_row(stand_, move.seconds / assembly_.dialect.table->pace, move.feed, source);
        return;
    }
    case Happening::Kind::dwell: put_row(stand_, happening.seconds, false, source); return;
    case Happening::Kind::tool_change: tool_ = happening.tool; return;
    case Happening::Kind::message:
        if (!table_.json && !table_.remark.empty()) {
            put(table_.remark + " " + happening.text, source);
        }
        return;
    case Happening::Kind::stop: refuse(happening.optional ? "an optional stop" : "a stop", source); return;
    case Happening::Kind::wait: refuse("a wait for another channel", source); return;
    case Happening::Kind::loop: refuse("a loop", source); return;
    default: return;
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
