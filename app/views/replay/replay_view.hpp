// The replay: both budgets with what was measured, the deviation along the code, and the worst places.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/code/code_area.hpp"
#include "app/views/frame/parts.hpp"
#include "app/views/replay/budget_gauge.hpp"
#include "app/views/replay/time_pane.hpp"
#include "core/project/job_run.hpp"

#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QWidget>

#include <vector>

class QCPGraph;
class QCPItemLine;
class QCheckBox;
class QComboBox;
class QCustomPlot;
class QStackedWidget;

namespace wexilum::app {

/// The largest value of each piece of the code: what a chart draws, with peaks kept.
struct Peaks {
    std::vector<double> line; ///< of the largest value, from 1
    std::vector<double> value;
};
enum class Deviating { share, tip, axis };
/// At most `most` pieces; unmeasured ones are left out. Shares of the budget in percent, mm, degrees.
[[nodiscard]] Peaks peaks_of(const ReplayTrack& track, std::uint32_t lines, std::size_t most, Deviating what);

class ReplayView final : public SightView {
    Q_OBJECT
public:
    ReplayView(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& worst() { return *worst_; }
    [[nodiscard]] QTableWidget& misfits() { return *misfits_; }
    [[nodiscard]] QCustomPlot& chart() { return *chart_; }
    [[nodiscard]] TimePane& time() { return *time_; }
    void load(const QString& path);
    /// How long the program takes, or how far it is from the toolpath.
    void show_page(bool time);

Q_SIGNALS:
    /// A line (from 0) of the posted or of the loaded code is wanted.
    void line_wanted(bool loaded, std::uint32_t line);

protected:
    void changeEvent(QEvent* event) override;

private:
    QWidget* build_bar();
    QWidget* build_figures();
    void build_chart();
    QWidget* build_tables();
    void renew() override;
    void renew_figures(const ReplayedCode& replayed);
    void renew_chart();
    void renew_tables(const ReplayedCode& replayed);
    void follow();
    void colour_chart();
    [[nodiscard]] std::shared_ptr<const ReplayedCode> shown() const;
    [[nodiscard]] bool showing_loaded() const;

    Workspace& workspace_;
    Selection& selection_;
    QPushButton* posted_ = nullptr;
    QPushButton* loaded_ = nullptr;
    QPushButton* drop_ = nullptr;
    QCheckBox* unknown_ = nullptr;
    QComboBox* what_ = nullptr;
    QPushButton* deviation_ = nullptr;
    QPushButton* timed_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    TimePane* time_;
    QLabel* verdict_ = nullptr;
    QLabel* counts_ = nullptr;
    QLabel* refused_;
    std::array<BudgetGauge*, 5> gauges_{};
    QCustomPlot* chart_;
    QCPGraph* peaks_ = nullptr;
    QCPGraph* over_ = nullptr; ///< those beyond the budget
    QCPItemLine* limit_ = nullptr;
    QCPItemLine* here_ = nullptr;
    QTableWidget* worst_ = nullptr;
    QTableWidget* misfits_ = nullptr;
    QLabel* nothing_ = nullptr;
};

} // namespace wexilum::app
