#include "app/models/state_text.hpp"

#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "core/base/units.hpp"
#include "core/control/control_state.hpp"
#include "core/follow/code_reading.hpp"
#include "core/machine/machine.hpp"
#include "core/project/job_run.hpp"

#include <QStringList>

#include <cmath>

namespace wexilum::app {
namespace {

QString feed_text(Function mode, double feed)
{
    switch (mode) {
    case Function::feed_inverse_time: return QObject::tr("%1 moves a minute").arg(feed * 60, 0, 'g', 7);
    case Function::feed_per_revolution: return QObject::tr("%1 mm a revolution").arg(feed, 0, 'g', 6);
    default: return QObject::tr("%1 mm/min").arg(feed * 60, 0, 'g', 7);
    }
}

QString range_text(const Extent& extent, double scale, const QString& unit)
{
    const QString low = QString::number(extent.low * scale, 'f', 0);
    const QString high = QString::number(extent.high * scale, 'f', 0);
    return low == high ? QStringLiteral("%1 %2").arg(low, unit) : QObject::tr("%1 to %2 %3").arg(low, high, unit);
}

QString mono(const std::string& text) { return code_html(QString::fromStdString(text).toHtmlEscaped()); }

} // namespace

QString duration_text(double seconds)
{
    const auto whole = std::llround(seconds);
    const auto two = [](long long number) { return QStringLiteral("%1").arg(number, 2, 10, QLatin1Char('0')); };
    return whole >= 3600 ? QObject::tr("%1 h %2 min %3 s").arg(grouped(std::uint64_t(whole / 3600)), two(whole / 60 % 60), two(whole % 60))
           : seconds >= 60 ? QObject::tr("%1 min %2 s").arg(whole / 60).arg(two(whole % 60))
                           : QObject::tr("%1 s").arg(seconds, 0, 'f', 1);
}

QString clock_text(double seconds)
{
    const auto whole = std::llround(seconds);
    const QString rest = QStringLiteral("%1").arg(whole % 60, 2, 10, QLatin1Char('0'));
    return whole < 3600 ? QStringLiteral("%1:%2").arg(whole / 60).arg(rest)
                        : QStringLiteral("%1:%2:%3").arg(whole / 3600).arg(whole / 60 % 60, 2, 10, QLatin1Char('0')).arg(rest);
}

QString code_html(const QString& html)
{
    return QStringLiteral("<span style=\"font-family:'JetBrains Mono','DejaVu Sans Mono'\">%1</span>").arg(html);
}

QString words_in_force(const ControlState& state)
{
    QStringList out;
    for (const ControlState::Group& group : state.groups) {
        const QString name = QString::fromStdString(group.name).replace(QLatin1Char('-'), QLatin1Char(' '));
        if (group.word.empty()) {
            out.push_back(QObject::tr("%1: nothing").arg(name));
            continue;
        }
        out.push_back(QStringLiteral("%1 %2%3").arg(mono(group.word),
                                                    QString::fromStdString(group.does).replace(QLatin1Char('-'), QLatin1Char(' ')),
                                                    group.by_program ? QString() : QObject::tr(", since power-on")));
    }
    out.push_back(state.feed ? QObject::tr("feed %1").arg(feed_text(state.feed_mode, *state.feed)) : QObject::tr("no feed"));
    out.push_back(state.spindle_rpm ? QObject::tr("spindle %1 rev/min").arg(*state.spindle_rpm, 0, 'f', 0)
                                    : QObject::tr("no spindle speed"));
    if (state.loop.value != 0) {
        out.push_back(QObject::tr("in the loop of line %1").arg(grouped(state.loop.value)));
    }
    for (const auto& [name, from] : state.calls) {
        out.push_back(QObject::tr("in %1, called by line %2").arg(mono(name), grouped(from.value)));
    }
    if (state.ended) {
        out.push_back(QObject::tr("the program has ended"));
    }
    return out.join(QStringLiteral("<br>"));
}

QString tool_and_coordinates(const ControlState& state, const Machine& machine)
{
    QStringList out;
    out.push_back(state.tool != 0 ? QObject::tr("tool %1, %2 mm long").arg(state.tool).arg(state.tool_length, 0, 'f', 3)
                                  : QObject::tr("no tool"));
    if (state.selected_tool != state.tool) {
        out.push_back(QObject::tr("tool %1 comes next").arg(state.selected_tool));
    }
    out.push_back(
        state.length_shift != 0
            ? QObject::tr("%1 mm are added along %2").arg(state.length_shift, 0, 'f', 3).arg(QString::fromStdString(state.length_joint))
            : QObject::tr("no length is added"));
    if (machine.mounts.size() > 2) {
        out.push_back(QObject::tr("on the mount %1").arg(QString::fromStdString(state.mount)));
    }
    for (const ControlState::Shifted& of : state.coordinates) {
        const auto joint = machine.find_joint(of.joint);
        if (!joint) {
            continue;
        }
        const Joint& j = machine.joints[joint->value];
        const QString reads = reading_text(j, state.readings[Eigen::Index(joint->value)]);
        QString line = QObject::tr("%1 reads %2").arg(mono(of.joint), reads);
        if (of.offset != 0) {
            line += QObject::tr(", zero at %1").arg(reading_text(j, of.offset));
        }
        if (of.shift != 0) {
            line += QObject::tr(", shifted by %1").arg(reading_text(j, of.shift));
        }
        out.push_back(line);
    }
    if (state.turned) {
        out.push_back(QObject::tr("coordinates are turned by %1°").arg(to_deg(*state.turned), 0, 'f', 4));
    }
    if (state.tip_words) {
        out.push_back(QObject::tr("X, Y and Z are coordinates of the tip"));
    }
    for (const std::string& joint : state.open_brakes) {
        out.push_back(QObject::tr("the brake of %1 is open").arg(mono(joint)));
    }
    return out.join(QStringLiteral("<br>"));
}

QString motion_text(const JobResults& results, std::optional<std::size_t> motion, std::uint32_t block)
{
    if (!motion || results.replayed->track.motions()[*motion].block != block) {
        return QObject::tr("It moves nothing.");
    }
    const ReplayTrack& track = results.replayed->track;
    const ReplayTrack::Motion& m = track.motions()[*motion];
    const QString what = m.feed ? QObject::tr("At feed, %1").arg(duration_text(double(m.time.seconds)))
                                : QObject::tr("In rapid, %1").arg(duration_text(double(m.time.seconds)));
    const auto called = track.main_block(*motion);
    return called != block ? QObject::tr("%1; called by line %2.").arg(what, grouped(called)) : what + QLatin1Char('.');
}

QStringList program_texts(const CodeReading& reading, const Machine& machine)
{
    QStringList out{QObject::tr("takes %1").arg(duration_text(reading.time.all.seconds())),
                    QObject::tr("cuts for %1").arg(duration_text(reading.time.all.cutting()))};
    const QString letters = QStringLiteral("XYZ");
    for (int k = 0; k < 3 && reading.cut_tip[0].any(); ++k) {
        const Extent& tip = reading.cut_tip[std::size_t(k)];
        out.push_back(QObject::tr("cuts %1 %2 to %3 mm").arg(letters.mid(k, 1)).arg(tip.low, 0, 'f', 1).arg(tip.high, 0, 'f', 1));
    }
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        if (const auto left = travel_left(joint, reading.readings[i])) {
            out.push_back(*left < -1e-6
                              ? QObject::tr("%1: %2 beyond its travel").arg(QString::fromStdString(joint.id), reading_text(joint, -*left))
                              : QObject::tr("%1: %2 left").arg(QString::fromStdString(joint.id), reading_text(joint, *left)));
        }
    }
    return out;
}

QStringList tool_texts(const ToolStretch& tool)
{
    QStringList out{tool.first_block == tool.last_block
                        ? QObject::tr("line %1").arg(grouped(tool.first_block.value))
                        : QObject::tr("lines %1 to %2").arg(grouped(tool.first_block.value), grouped(tool.last_block.value))};
    if (tool.feed.any()) {
        out.push_back(QObject::tr("cuts for %1").arg(duration_text(tool.cutting)));
        out.push_back(QObject::tr("tip %1").arg(range_text(tool.feed, 60, QObject::tr("mm/min"))));
        out.push_back(QObject::tr("spindle %1").arg(range_text(tool.speed, 1, QObject::tr("rev/min"))));
        out.push_back(QObject::tr("down to Z %1 mm").arg(tool.tip[2].low, 0, 'f', 3));
    }
    return out;
}

} // namespace wexilum::app
