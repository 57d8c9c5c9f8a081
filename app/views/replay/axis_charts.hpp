// The axes' courses over the job, one chart above the other: position, speed or acceleration, with their limits drawn in.
#pragma once

#include "app/models/selection.hpp"
#include "app/models/workspace.hpp"
#include "core/follow/axis_series.hpp"

#include <QComboBox>
#include <QLabel>
#include <QTableWidget>
#include <QWidget>

class QCPAxisRect;
class QCPGraph;
class QCPItemRect;
class QCPItemStraightLine;
class QCustomPlot;

namespace wexilum::app {

class AxisCharts final : public QWidget {
    Q_OBJECT
public:
    AxisCharts(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] QCustomPlot& plot() { return *plot_; }
    [[nodiscard]] QTableWidget& peaks() { return *peaks_; }
    [[nodiscard]] QString said() const { return message_->text(); }
    void show_course(AxisCourse course);
    /// All of the job.
    void show_whole();
    /// Takes the results anew; what was looked at stays where the job is the same.
    void renew();
    /// The selection has moved.
    void follow();

protected:
    void changeEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    struct Chart {
        std::size_t joint = 0;
        QCPAxisRect* rect = nullptr;
        QCPGraph* line = nullptr;
        QCPItemRect* below = nullptr; ///< what lies beyond its limits
        QCPItemRect* above = nullptr;
        QCPItemStraightLine* here = nullptr;
    };
    QWidget* build_bar();
    void build_charts();
    void fill();
    /// Puts where a motion ends into a chart, and how long the machine stood before it.
    void add_motion(std::size_t joint, std::size_t motion, QVector<double>& keys, QVector<double>& values) const;
    void fill_peaks();
    void colour();
    void set_range(double from, double to);
    void hover(const QPointF& place);
    [[nodiscard]] AxisCourse course() const;
    [[nodiscard]] CourseOver over() const;
    [[nodiscard]] double shown(std::size_t joint, double value) const;
    [[nodiscard]] QString unit(std::size_t joint) const;
    [[nodiscard]] std::optional<std::size_t> motion_under(const QPointF& place) const;

    Workspace& workspace_;
    Selection& selection_;
    QComboBox* course_ = nullptr;
    QComboBox* over_ = nullptr;
    QLabel* message_ = nullptr;
    QCustomPlot* plot_ = nullptr;
    QTableWidget* peaks_ = nullptr;
    std::shared_ptr<const JobResults> results_;
    std::optional<AxisSeries> series_;
    std::vector<Chart> charts_;
    double from_ = 0;
    double to_ = 0;
    bool setting_ = false;
};

} // namespace wexilum::app
