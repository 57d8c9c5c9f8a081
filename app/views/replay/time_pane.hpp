// How long the program takes: by operation and tool, and what the time goes into.
#pragma once

#include "core/follow/program_time.hpp"

#include <QLabel>
#include <QTableWidget>
#include <QWidget>

#include <utility>
#include <vector>

namespace wexilum {
struct ReplayedCode;
}

namespace wexilum::app {

struct JobResults;

class TimePane final : public QWidget {
    Q_OBJECT
public:
    explicit TimePane(QWidget* parent = nullptr);
    /// Of one of the job's codes. Null: there is nothing yet.
    void show_time(const JobResults* results, const ReplayedCode* replayed);
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] QString said() const { return total_->text() + QLatin1Char('\n') + details_->text(); }

Q_SIGNALS:
    /// The line (from 0) where a row begins is wanted.
    void line_wanted(std::uint32_t line);

protected:
    void changeEvent(QEvent* event) override;

private:
    void add_row(const QString& name, const SpentTime& time, double longest, std::uint32_t line);
    void add_head(const QString& name);

    QLabel* total_;
    QLabel* details_;
    QTableWidget* table_;
};

} // namespace wexilum::app
