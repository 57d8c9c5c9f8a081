// The application, in which no exception leaves an event handler unseen.
#pragma once

#include <QApplication>

#include <functional>

namespace wexilum::app {

class SafeApplication final : public QApplication {
public:
    using QApplication::QApplication;
    /// Told what an event handler has thrown; without it, standard error is.
    std::function<void(const QString& problem)> on_problem;
    bool notify(QObject* receiver, QEvent* event) override;
};

} // namespace wexilum::app
