#include "app/models/questions.hpp"

#include "app/models/snapshot_files.hpp"
#include "core/base/guarded.hpp"
#include "core/follow/code_run.hpp"
#include "core/project/job_run.hpp"
#include "core/run/block_probe.hpp"

namespace wexilum::app {

void Questions::ask(const std::shared_ptr<const JobResults>& results, const QString& folder, std::uint32_t block)
{
    blocks_.stop();
    if (!results) {
        return;
    }
    if (results->reading) {
        ask_state(results, block);
        return;
    }
    blocks_.start([this, results, block, folder = folder.toStdString()](const std::shared_ptr<RunWatch>& watch) {
        FileScratch scratch;
        JobRecords records(*results->files, folder, results->assembly().job);
        auto trace = trace_block(results->assembly(), records, scratch, block, watch.get());
        if (trace) {
            blocks_.later(watch, [this, answer = std::make_shared<const BlockTrace>(std::move(*trace))] { Q_EMIT traced(answer); });
        }
    });
}

void Questions::ask_state(const std::shared_ptr<const JobResults>& results, std::uint32_t block)
{
    blocks_.start([this, results, block](const std::shared_ptr<RunWatch>& watch) {
        const Assembly& a = results->assembly();
        const std::string& code = results->posted->code.lines().text();
        TextSource text(code);
        TextSource ahead(code);
        const auto state = guarded([&] {
            return state_behind({a.controller, a.machine, a.setup.file.empty() ? nullptr : &a.setup},
                                {results->posted->code_name, &text, &ahead}, block, watch.get());
        });
        if (state) {
            blocks_.later(watch, [this, block, answer = *state ? std::make_shared<const ControlState>(**state) : nullptr] {
                Q_EMIT state_answered(block, answer);
            });
        }
    });
}

void Questions::evaluate(const std::shared_ptr<const JobResults>& results, const QString& folder, std::uint32_t record,
                         const QString& expression)
{
    values_.stop();
    if (!results || results->reading || expression.trimmed().isEmpty()) {
        Q_EMIT evaluated({}, true);
        return;
    }
    values_.start(
        [this, results, record, text = expression.toStdString(), folder = folder.toStdString()](const std::shared_ptr<RunWatch>& watch) {
            FileScratch scratch;
            JobRecords records(*results->files, folder, results->assembly().job);
            const auto value = evaluate_at(results->assembly(), records, scratch, record, text, watch.get());
            values_.later(watch, [this, answer = QString::fromStdString(value ? *value : value.error().message), fine = value.ok()] {
                Q_EMIT evaluated(answer, fine);
            });
        });
}

} // namespace wexilum::app
