// Work beside the window: one thing at a time on a thread of its own, and only the latest counts.
#pragma once

#include "core/base/watch.hpp"

#include <QObject>
#include <QThreadPool>

#include <memory>
#include <utility>

namespace wexilum::app {

class Background {
public:
    /// `home`: in whose thread results are taken; it holds this object.
    explicit Background(QObject& home) : home_(home) { pool_.setMaxThreadCount(1); }
    ~Background()
    {
        stop();
        pool_.waitForDone();
    }
    Background(const Background&) = delete;
    Background& operator=(const Background&) = delete;

    /// Ends what is under way, and starts `work`, which takes its watch, on the thread. What it throws is not caught.
    template <typename Work>
    std::shared_ptr<RunWatch> start(Work work)
    {
        stop();
        pool_.clear();
        watch_ = std::make_shared<RunWatch>();
        pool_.start([watch = watch_, work = std::move(work)] {
            if (!watch->stopped()) {
                work(watch);
            }
        });
        return watch_;
    }
    void stop()
    {
        if (watch_) {
            watch_->stop = true;
        }
    }
    /// Called on the thread: `done` runs in the home's, after what is under way there, unless something else has been started since.
    template <typename Done>
    void later(const std::shared_ptr<RunWatch>& watch, Done done)
    {
        QMetaObject::invokeMethod(
            &home_,
            [this, watch, done = std::move(done)] {
                if (watch == watch_) {
                    done();
                }
            },
            Qt::QueuedConnection);
    }
    /// Of what was started last; null before.
    [[nodiscard]] const std::shared_ptr<RunWatch>& watch() const { return watch_; }

private:
    QObject& home_;
    QThreadPool pool_;
    std::shared_ptr<RunWatch> watch_;
};

} // namespace wexilum::app
