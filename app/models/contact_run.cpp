#include "app/models/contact_run.hpp"

#include "app/models/path_shape.hpp"
#include "core/base/guarded.hpp"
#include "core/follow/contact_report.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>

namespace wexilum::app {

double ContactRun::progress() const
{
    const auto& watch = background_.watch();
    return running_ && watch->lines > 0 ? std::clamp(double(watch->replayed) / double(watch->lines), 0.0, 1.0) : 0;
}

void ContactRun::stop()
{
    if (running_) {
        background_.stop();
        running_ = false;
        Q_EMIT changed();
    }
}

void ContactRun::start(const std::shared_ptr<const JobResults>& results)
{
    stop();
    if (!results || !results->replayed) {
        return;
    }
    problem_.clear();
    running_ = true;
    const auto started = background_.start([this, results](const std::shared_ptr<RunWatch>& watch) {
        std::shared_ptr<JobResults> marked;
        const Status status = guarded([&]() -> Status {
            const auto made = check_posted(*results->posted, watch.get());
            if (!made) {
                return made.error();
            }
            marked = std::make_shared<JobResults>(*results);
            marked->contact = *made;
            mark_contacts(**made, marked->replayed->track, marked->states);
            marked->paint = std::make_shared<const PathPaint>(
                path_paint_of(*marked->posted, marked->replayed->track, marked->states, PathColouring::state));
            return {};
        });
        background_.later(watch, [this, watch, results, status, marked = std::shared_ptr<const JobResults>(std::move(marked))] {
            if (watch->stopped()) {
                return;
            }
            running_ = false;
            if (status) {
                Q_EMIT found(results, marked);
            } else {
                problem_ = QString::fromStdString(status.error().message + "; " + status.error().cure);
            }
            Q_EMIT changed();
        });
    });
    started->lines = results->posted->code.lines().size();
    Q_EMIT changed();
}

} // namespace wexilum::app
