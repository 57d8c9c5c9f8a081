#include "app/models/machine_editor.hpp"

#include "app/models/workspace.hpp"
#include "core/follow/replay_track.hpp"
#include "core/io/real_files.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/kinematics.hpp"
#include "core/project/job_run.hpp"

#include <QRegularExpression>
#include <algorithm>

namespace wexilum::app {
QUndoStack* MachineEditor::stack() const { return workspace_.documents().stack(path_); }

MachineEditor::MachineEditor(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace)
{
    connect(&workspace, &Workspace::code_changed, this, &MachineEditor::read);
    connect(&workspace, &Workspace::findings_changed, this, &MachineEditor::changed);
    connect(&workspace, &Workspace::job_changed, this, &MachineEditor::read);
    connect(&workspace.project(), &ProjectFiles::changed, this, [this] {
        // Files that come and go in the same project leave alone what is edited.
        if (folder_ == workspace_.project().folder() && chosen_ && workspace_.documents().text(path_)) {
            return;
        }
        folder_ = workspace_.project().folder();
        chosen_ = false;
        path_.clear();
        machine_.reset();
        document_.reset();
        read();
    });
    connect(&workspace.documents(), &Documents::edited, this, [this](const QString& path) {
        if (path == path_) {
            read();
        }
    });
}

QString MachineEditor::job_machine() const
{
    const bool of_job = workspace_.results() && !workspace_.reading();
    return of_job ? QString::fromStdString(workspace_.results()->assembly().post.machine) : QString();
}

void MachineEditor::choose(const QString& path)
{
    chosen_ = path != job_machine();
    path_ = path;
    machine_.reset();
    document_.reset();
    read();
}

void MachineEditor::read()
{
    if (!chosen_ && path_ != job_machine()) {
        path_ = job_machine();
        machine_.reset();
        document_.reset();
    }
    problem_.reset();
    if (!path_.isEmpty()) {
        auto document = workspace_.documents().parsed(path_);
        if (!document) {
            problem_ = document.error();
        } else {
            MachineDraft draft = read_machine_draft(*document);
            document_ = std::move(*document);
            problem_ = std::move(draft.problem);
            if (draft.machine) {
                machine_ = std::move(draft.machine);
            }
        }
    }
    Q_EMIT changed();
}

Status MachineEditor::begin(const QString& name, std::size_t start)
{
    static const QRegularExpression plain(QStringLiteral("^[A-Za-z0-9][A-Za-z0-9 _-]{0,60}$"));
    if (!plain.match(name).hasMatch()) {
        return Error{
            ErrorKind::value, "a machine's file needs a name of letters, digits, blanks, \"-\" or \"_\"", {}, "type one, like tarn-3"};
    }
    const QString path = QStringLiteral("machines/%1.json").arg(name);
    RealFileSystem files;
    const std::string whole = (workspace_.project().folder() + QLatin1Char('/') + path).toStdString();
    if (files.open(whole)) {
        return Error{ErrorKind::value, path.toStdString() + " is there already", {}, "type another name, or choose it to edit it"};
    }
    std::string text = machine_starts().at(start).text;
    const std::string wanted = "\"new machine\"";
    text.replace(text.find(wanted), wanted.size(), json::quoted(name.toStdString()));
    const auto set = files.begin_files();
    auto sink = set->add(whole);
    Status status = sink ? (*sink)->write(text) : Status(sink.error());
    status = status ? set->commit() : status;
    if (status) {
        choose(path);
    }
    return status;
}

Status MachineEditor::use_in_post()
{
    const auto& results = workspace_.results();
    if (!results) {
        return Error{ErrorKind::value, "no job is open whose post could use the machine", {}, "choose a job on the shelf"};
    }
    const QString post = QString::fromStdString(results->assembly().job.post);
    auto document = workspace_.documents().parsed(post);
    const auto patch =
        document ? json::set_value(*document, {"machine"}, json::quoted(path_.toStdString())) : Result<json::Patch>(document.error());
    return patch ? workspace_.documents().replace(post, patch->begin, patch->end, patch->text, tr("machine of the post"))
                 : Status(patch.error());
}

std::optional<Error> MachineEditor::edit(const QString& label, const std::function<Result<std::string>(const json::Document&)>& change,
                                         bool typing)
{
    return workspace_.documents().rewrite(path_, label, change, typing ? Documents::Joins::form : Documents::Joins::none);
}

std::optional<Pose> MachineEditor::computed(std::size_t witness) const
{
    if (!machine_ || witness >= machine_->witnesses.size()) {
        return std::nullopt;
    }
    return pose_of(*machine_, machine_->witnesses[witness]);
}

std::vector<Explanation> MachineEditor::explanations(std::size_t witness) const
{
    return computed(witness) ? wexilum::explanations(*machine_, witness) : std::vector<Explanation>();
}

std::optional<MachineEditor::Need> MachineEditor::need_of(const std::string& joint) const
{
    const auto& results = workspace_.results();
    if (!is_of_job() || !results || !results->replayed) {
        return std::nullopt;
    }
    const auto found = results->assembly().machine.find_joint(joint);
    const ReplayTrack& track = results->replayed->track;
    if (!found || found->value >= track.joints()) {
        return std::nullopt;
    }
    Need out{track.lowest(found->value), track.highest(found->value), std::nullopt};
    for (const FoundAt& at : workspace_.findings()) {
        const bool names = at.finding.kind == "beyond-travel" && at.finding.message.rfind(joint + " goes ", 0) == 0;
        if (names && (!out.beyond || at.finding.worst > out.beyond->worst)) {
            out.beyond = at.finding;
        }
    }
    return out;
}

QString MachineEditor::trouble_of(const PartPath& part, const FormField& field) const
{
    if (!document_) {
        return {};
    }
    const auto problem = [](const std::string& message, const std::string& cure, const QString& where = {}) {
        return QStringLiteral("%1%2; %3").arg(QString::fromStdString(message), where, QString::fromStdString(cure));
    };
    PartPath whole = part;
    whole.insert(whole.end(), field.keys.begin(), field.keys.end());
    const json::Node* value = json::node_at(*document_, whole);
    if (problem_ && value != nullptr && problem_->place.line > 0) {
        const Place begin = document_->place_of(value->begin);
        const Place end = document_->place_of(value->end);
        const auto at = std::pair(problem_->place.line, problem_->place.column);
        if (at >= std::pair(begin.line, begin.column) && at <= std::pair(end.line, end.column)) {
            return problem(problem_->message, problem_->cure);
        }
    }
    if (!is_of_job()) {
        return {};
    }
    const std::string name = name_of(*document_, part);
    const auto& error = workspace_.error();
    const std::vector<std::string> length{"tool", "gauge_length"};
    if (error && field.keys == length && error->message == "the attachment \"" + name + "\" has no gauge length") {
        return problem(error->message, error->cure);
    }
    // Findings of the run that say what of the machine is in the way.
    const json::Node* for_people = json::node_at(*document_, part)->find("name");
    const std::vector<std::string> cuts{"moves_while_cutting"};
    const std::vector<std::string> fastest{"gearing", "most_speed"};
    for (const FoundAt& at : workspace_.findings()) {
        const Finding& f = at.finding;
        const bool positioned =
            field.keys == cuts && f.kind == "positions-only" && f.message.rfind("the cut moves " + name + " by ", 0) == 0;
        const bool too_fast = field.keys == fastest && f.kind == "too-fast" && for_people != nullptr &&
                              f.message.find(", the " + for_people->text + " takes ") != std::string::npos;
        if (positioned || too_fast) {
            return problem(f.message, f.cure, QStringLiteral(", at %1:%2").arg(QString::fromStdString(f.source.file)).arg(f.source.line));
        }
    }
    return {};
}

} // namespace wexilum::app
