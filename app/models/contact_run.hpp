// What meets what along posted code, looked for in the background.
#pragma once

#include "app/models/background.hpp"
#include "app/models/job_results.hpp"

namespace wexilum::app {

class ContactRun final : public QObject {
    Q_OBJECT
public:
    explicit ContactRun(QObject* parent = nullptr) : QObject(parent), background_(*this) {}

    /// Nothing happens without a replay. `results` may be null.
    void start(const std::shared_ptr<const JobResults>& results);
    void stop();
    [[nodiscard]] bool is_running() const { return running_; }
    [[nodiscard]] double progress() const; ///< 0 to 1
    /// Why the last check did not end; empty where it did.
    [[nodiscard]] const QString& problem() const { return problem_; }

Q_SIGNALS:
    /// The results it was started with, and the same with what was found.
    void found(const std::shared_ptr<const JobResults>& before, const std::shared_ptr<const JobResults>& results);
    void changed(); ///< it begins, or has ended

private:
    QString problem_;
    bool running_ = false;
    Background background_;
};

} // namespace wexilum::app
