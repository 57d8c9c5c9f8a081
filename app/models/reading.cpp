// Programs that are read by themselves.
#include "app/models/path_shape.hpp"
#include "app/models/workspace.hpp"
#include "core/base/guarded.hpp"
#include "core/follow/code_run.hpp"
#include "core/project/read_program.hpp"

#include <QFileInfo>

namespace wexilum::app {
namespace {

std::string utf8(const QString& text) { return text.toStdString(); }

} // namespace

void Workspace::read_code(const ReadFiles& files)
{
    drop_loaded();
    reading_ = files;
    job_ = QFileInfo(files.code).fileName();
    results_.reset();
    base_.reset();
    error_.reset();
    kept_ = std::make_shared<KeptTexts>();
    Q_EMIT project_changed();
    Q_EMIT job_changed();
    changed();
}

void Workspace::run_reading()
{
    const auto files = std::make_shared<const SnapshotFiles>(documents_.open_texts(), kept_);
    pool_.start([this, files, read = *reading_, watch = watch_, number = run_number_, revision = revision_, unknown = from_unknown_] {
        const SteadyClock clock;
        const CodePartFiles parts{utf8(read.machine), utf8(read.controller), utf8(read.setup)};
        auto program = guarded([&] { return read_program(*files, parts, utf8(read.code), unknown, clock, watch.get()); });
        if (!program) {
            later([this, error = program.error(), files, number] {
                if (number == run_number_) {
                    end_run(error, *files);
                }
            });
            return;
        }
        auto results = std::make_shared<JobResults>();
        results->files = files;
        results->posted = program->posted;
        results->toolpaths = {std::make_shared<const LineTable>()};
        results->replayed = program->replayed;
        results->reading = program->reading;
        results->states = path_states(results->assembly(), results->replayed->track);
        results->shape = std::make_shared<const PathShape>(path_shape_of(results->replayed->track));
        results->paint = std::make_shared<const PathPaint>(
            path_paint_of(*results->posted, results->replayed->track, results->states, PathColouring::state));
        later([this, results = std::shared_ptr<const JobResults>(std::move(results)), number, revision, remarks = program->remarks] {
            if (number != run_number_) {
                return;
            }
            results_ = results;
            error_.reset();
            code_revision_ = replay_revision_ = revision;
            running_ = false;
            ticker_.stop();
            watch_files(*results->files);
            collect_findings();
            Q_EMIT code_changed();
            Q_EMIT replay_changed();
            Q_EMIT finished();
            for (const std::string& remark : remarks) {
                Q_EMIT message(QString::fromStdString(remark));
            }
        });
    });
    Q_EMIT started();
}

void Workspace::ask_state(std::uint32_t block)
{
    questions_.start([this, results = results_, watch = question_, block] {
        if (watch->stopped()) {
            return;
        }
        const Assembly& a = results->assembly();
        const std::string& code = results->posted->code.lines().text();
        TextSource text(code);
        TextSource ahead(code);
        const auto state = guarded([&] {
            return state_behind({a.controller, a.machine, a.setup.file.empty() ? nullptr : &a.setup},
                                {results->posted->code_name, &text, &ahead}, block, watch.get());
        });
        if (state) {
            later([this, watch, block, told = *state ? std::make_shared<const ControlState>(**state) : nullptr] {
                if (!watch->stopped()) {
                    Q_EMIT state_told(block, told);
                }
            });
        }
    });
}

} // namespace wexilum::app
