#include "app/views/frame/safe_application.hpp"

#include "core/base/guarded.hpp"

#include <cstdio>

namespace wexilum::app {

bool SafeApplication::notify(QObject* receiver, QEvent* event)
{
    try {
        return QApplication::notify(receiver, event);
    } catch (const std::exception& problem) {
        const QString text = QString::fromStdString(fault_of(problem).text());
        std::fprintf(stderr, "wexilum: %s\n", qPrintable(text));
        if (on_problem) {
            on_problem(text);
        }
        return true;
    }
}

} // namespace wexilum::app
