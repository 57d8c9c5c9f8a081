#include "app/models/job_results.hpp"

#include "core/follow/contact_report.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>

namespace wexilum::app {
namespace {

/// Whether a run's finding is a replay's as well: the same cause, seen twice.
bool is_same(const FoundAt& found, const Finding& finding)
{
    const Finding& other = found.finding;
    const bool same = other.message == finding.message && other.source.text() == finding.source.text();
    const bool inside = finding.code.line > 0 && other.code.line <= finding.code.line && finding.last_code_line <= other.last_code_line;
    return found.by == FoundAt::By::run && other.kind == finding.kind && (same || inside);
}

} // namespace

const Assembly& JobResults::assembly() const { return posted->assembly; }

QString JobResults::setup_path() const { return reading ? QString() : QString::fromStdString(assembly().job.setup); }

std::vector<FoundAt> all_findings(const Error* error, const JobResults* results, const LoadedCode* loaded)
{
    std::vector<FoundAt> out;
    const auto add = [&](FoundAt::By by, const FindingList& list) {
        for (const Finding& finding : list.list()) {
            const auto listed = [&](const FoundAt& found) { return by == FoundAt::By::replay && is_same(found, finding); };
            if (std::none_of(out.begin(), out.end(), listed)) {
                out.push_back({by, finding});
            }
        }
    };
    if (error != nullptr) {
        Finding finding = Finding::make(Severity::error, name_of(error->kind), error->message, error->cure);
        finding.source = error->place;
        finding.worst_source = error->place;
        out.push_back({FoundAt::By::file, std::move(finding)});
    }
    if (results != nullptr) {
        add(FoundAt::By::run, results->posted->run.findings);
        if (results->replayed) {
            add(FoundAt::By::replay, results->replayed->report.findings);
        }
        if (results->contact) {
            add(FoundAt::By::contact, results->contact->findings);
        }
    }
    if (loaded != nullptr && loaded->replayed) {
        add(FoundAt::By::loaded, loaded->replayed->report.findings);
    }
    std::stable_sort(out.begin(), out.end(), [](const FoundAt& a, const FoundAt& b) { return a.finding.severity > b.finding.severity; });
    return out;
}

} // namespace wexilum::app
