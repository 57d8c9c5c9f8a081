#include "app/models/stations.hpp"

#include "app/models/state_text.hpp"
#include "app/models/workspace.hpp"
#include "core/base/units.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/machine.hpp"
#include "core/project/job_run.hpp"
#include "core/solve/inverse.hpp"

#include <QFileInfo>

#include <algorithm>
#include <cmath>

namespace wexilum::app {
namespace {

QString tr(const char* text) { return QObject::tr(text); }

QString errors(std::size_t count) { return count == 1 ? tr("1 error") : tr("%1 errors").arg(count); }

bool error_in(const Workspace& workspace, Station station)
{
    return workspace.error() && station_of_file(workspace.error()->place.file) == station;
}

void toolpath(const JobResults& results, StationState& out)
{
    const auto& findings = results.posted->run.findings.list();
    const auto unknown = std::count_if(findings.begin(), findings.end(), [](const Finding& f) { return f.kind == "unknown-word"; });
    out.figure = tr("%1 records").arg(grouped(results.posted->records.size()));
    out.state = unknown > 0 ? State::margin : State::fits;
    out.status = unknown > 0 ? tr("%1 words unknown").arg(unknown) : tr("read, all understood");
}

void machine(const JobResults& results, StationState& out)
{
    const Machine& m = results.assembly().machine;
    QStringList ids;
    for (const Joint& joint : m.joints) {
        ids.push_back(QString::fromStdString(joint.id));
    }
    out.figure = QString::fromStdString(m.name) + QStringLiteral(" · ") + ids.join(QLatin1Char(' '));
    if (!results.replayed) {
        out.status = tr("waits for the replay");
        return;
    }
    const ReplayTrack& track = results.replayed->track;
    double least = 0; // of the travel, the share by which an axis leaves it
    for (std::size_t i = 0; i < m.joints.size(); ++i) {
        const auto margin = margin_of(m.joints[i], track.lowest(i), track.highest(i));
        const double share = margin && *margin < -1e-6 ? *margin / (m.joints[i].travel->high - m.joints[i].travel->low) : 0;
        if (share < least) {
            least = share;
            out.state = State::beyond;
            out.status = tr("%1 beyond travel").arg(ids[int(i)]);
        }
    }
    if (least < 0) {
        return;
    }
    const bool low = std::find(results.states.begin(), results.states.end(), PathState::margin_low) != results.states.end();
    out.state = low ? State::margin : State::fits;
    out.status = low ? tr("margin low") : tr("fits travel");
}

void setup(const JobResults& results, StationState& out)
{
    const Setup& s = results.assembly().setup;
    const auto missing = std::count_if(s.tools.begin(), s.tools.end(), [](const Tool& t) { return !t.length; });
    const std::size_t offsets = s.offsets.size() - s.offsets.count(neutral_register);
    out.figure = s.works.size() > 1
                     ? tr("%1 works · %2 tools").arg(s.works.size()).arg(s.tools.size())
                     : tr("%1 tools · %2 %3").arg(s.tools.size()).arg(offsets).arg(offsets == 1 ? tr("offset") : tr("offsets"));
    out.state = missing > 0 ? State::margin : State::fits;
    out.status = missing > 0 ? tr("%1 without length").arg(missing) : tr("complete");
}

void language(const JobResults& results, StationState& out)
{
    out.figure = QString::fromStdString(results.assembly().controller.name);
    out.state = State::fits;
    if (const auto& table = results.assembly().controller.table) {
        out.status = tr("a table of %1 columns").arg(table->columns.size());
        return;
    }
    out.status = tr("%1 words, %2 sections").arg(results.assembly().dialect.words.size()).arg(results.assembly().dialect.sections.size());
}

void code(const Workspace& workspace, const JobResults& results, StationState& out)
{
    out.figure = tr("%1 blocks").arg(grouped(results.posted->code.lines().size()));
    if (results.replayed) {
        out.figure += QStringLiteral(" · ") + clock_text(results.replayed->time.all.seconds());
    }
    if (results.reading) {
        const std::size_t found = results.replayed->report.findings.count(Severity::error);
        out.old = workspace.is_code_old();
        out.state = found > 0 ? State::beyond : State::fits;
        out.status =
            found > 0 ? errors(found) : tr("read in %1 ms, compared with nothing").arg(std::lround(results.posted->seconds * 1000));
        return;
    }
    const std::size_t count = results.posted->run.findings.count(Severity::error);
    out.old = workspace.is_code_old();
    out.state = count > 0 ? State::beyond : State::fits;
    out.status =
        count > 0 ? tr("%1, not written").arg(errors(count)) : tr("posted in %1 ms").arg(std::lround(results.posted->seconds * 1000));
}

void rules(const Workspace& workspace, const JobResults& results, StationState& out)
{
    const auto& events = results.posted->run.events;
    const auto handlers = std::count_if(events.begin(), events.end(), [](const EventTally& e) { return e.handler.place.line > 0; });
    out.old = workspace.is_code_old();
    if (results.assembly().rulebook.empty()) {
        out.figure = tr("native");
        out.status = tr("no rulebook");
        out.state = State::waits;
        return;
    }
    const auto& findings = results.posted->run.findings.list();
    const auto failed =
        std::count_if(findings.begin(), findings.end(), [](const Finding& f) { return f.kind == "rule-failed" || f.kind == "rule-error"; });
    std::uint64_t calls = 0;
    for (const EventTally& event : events) {
        calls += event.handler.calls;
    }
    out.figure = handlers == 1 ? tr("1 handler") : tr("%1 handlers").arg(handlers);
    out.state = failed > 0 ? State::beyond : State::fits;
    out.status = failed > 0 ? errors(std::size_t(failed)) : tr("called %1 times").arg(grouped(calls));
}

void replay(const Workspace& workspace, const JobResults& results, StationState& out)
{
    out.old = workspace.is_replay_old();
    if (!results.replayed) {
        out.figure = QStringLiteral("—");
        out.status = workspace.runs().is_running() ? tr("reading back …") : tr("not run");
        return;
    }
    const ReplayReport& report = results.replayed->report;
    const double tip = std::max(report.at_records.tip, report.between.tip);
    const double axis = std::max(report.at_records.axis, report.between.axis);
    out.figure = QStringLiteral("%1 mm").arg(tip, 0, 'f', 4);
    if (results.assembly().solver != nullptr && !results.assembly().solver->rotary().empty()) {
        out.figure += QStringLiteral(" · %1°").arg(to_deg(axis), 0, 'f', 4);
    }
    const std::size_t count = report.findings.count(Severity::error);
    const auto& loaded = workspace.compared().loaded();
    const bool compared = loaded && loaded->replayed;
    const bool proven = results.replayed->proven();
    out.state = !proven || (compared && !loaded->replayed->proven()) ? State::beyond : State::fits;
    out.status = count > 0 ? tr("not proven: %1").arg(errors(count)) : proven ? tr("proven") : tr("not proven: not written");
    if (proven && compared && !loaded->replayed->proven()) {
        out.status = tr("%1 not proven").arg(QFileInfo(loaded->path).fileName());
    }
}

} // namespace

const std::array<const char*, station_count>& station_keys()
{
    static const std::array<const char*, station_count> keys{"toolpath", "machine", "setup", "language", "rules", "code", "replay"};
    return keys;
}

QString name_of(Station station)
{
    static const std::array<const char*, station_count> names{
        QT_TRANSLATE_NOOP("QObject", "Toolpath"), QT_TRANSLATE_NOOP("QObject", "Machine"), QT_TRANSLATE_NOOP("QObject", "Setup"),
        QT_TRANSLATE_NOOP("QObject", "Language"), QT_TRANSLATE_NOOP("QObject", "Rules"),   QT_TRANSLATE_NOOP("QObject", "Code"),
        QT_TRANSLATE_NOOP("QObject", "Replay")};
    return tr(names[std::size_t(station)]);
}

Station station_of_file(const std::string& path)
{
    static const std::array<std::pair<const char*, Station>, 8> folders{{{"toolpaths/", Station::toolpath},
                                                                         {"rulebooks/", Station::rules},
                                                                         {"machines/", Station::machine},
                                                                         {"overlays/", Station::machine},
                                                                         {"setups/", Station::setup},
                                                                         {"controllers/", Station::language},
                                                                         {"dialects/", Station::language},
                                                                         {"posts/", Station::language}}};
    for (const auto& [folder, station] : folders) {
        if (path.starts_with(folder)) {
            return station;
        }
    }
    return Station::code;
}

bool station_is_there(const Workspace& workspace, Station station)
{
    return !workspace.reading() || station == Station::machine || station == Station::code;
}

StationState station_state(const Workspace& workspace, Station station)
{
    StationState out;
    out.name = name_of(station);
    out.figure = QStringLiteral("—");
    out.status = workspace.runs().is_running() ? tr("running …") : tr("not run");
    if (const auto& results = workspace.results()) {
        switch (station) {
        case Station::toolpath: toolpath(*results, out); break;
        case Station::machine: machine(*results, out); break;
        case Station::setup: setup(*results, out); break;
        case Station::language: language(*results, out); break;
        case Station::rules: rules(workspace, *results, out); break;
        case Station::code: code(workspace, *results, out); break;
        case Station::replay: replay(workspace, *results, out); break;
        }
    }
    if (error_in(workspace, station)) {
        out.state = State::beyond;
        out.status = tr("error in its file");
        out.old = false;
    } else if (out.old) {
        out.state = State::margin;
        out.status = workspace.runs().is_running() ? tr("being renewed") : tr("older than the edit");
    }
    return out;
}

QString grouped(std::uint64_t number)
{
    QString out = QString::number(number);
    for (int at = int(out.size()) - 3; at > 0; at -= 3) {
        out.insert(at, QChar(0x2009));
    }
    return out;
}

QString reading_text(const Joint& joint, double reading, bool unit)
{
    const bool rotary = joint.kind == JointKind::rotary;
    QString out = rotary ? QString::number(to_deg(reading), 'f', 4) : QString::number(reading, 'f', 3);
    if (out.toDouble() == 0 && out.startsWith(QLatin1Char('-'))) {
        out.remove(0, 1);
    }
    return unit ? out + (rotary ? QStringLiteral("°") : QStringLiteral(" mm")) : out;
}

} // namespace wexilum::app
