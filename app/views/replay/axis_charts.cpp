#include "app/views/replay/axis_charts.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "app/views/replay/chart_library.hpp"
#include "core/base/units.hpp"
#include "core/project/job_run.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace wexilum::app {
namespace {

constexpr std::size_t most_peaks = 3; // of a joint
constexpr double near_limit = 0.25;   // from which share on a limit is drawn in

QComboBox* choice(const QString& name, const QString& object, const QStringList& items)
{
    auto* box = new QComboBox;
    box->addItems(items);
    box->setAccessibleName(name);
    box->setObjectName(object);
    return box;
}

} // namespace

AxisCharts::AxisCharts(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection), plot_(new QCustomPlot), peaks_(new QTableWidget(0, 3))
{
    setObjectName(QStringLiteral("axis-charts"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(build_bar());
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    plot_->setObjectName(QStringLiteral("axis-plot"));
    plot_->setAccessibleName(tr("positions of the axes over the job"));
    plot_->setFocusPolicy(Qt::StrongFocus);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->setMouseTracking(true);
    plot_->setMinimumHeight(120);
    plot_->setToolTip(tr("Click for the block, drag to move, wheel to zoom, double click for all of it"));
    plot_->plotLayout()->clear();
    plot_->plotLayout()->setRowSpacing(0);
    row->addWidget(plot_, 1);
    dress_list(*peaks_, 22);
    peaks_->setObjectName(QStringLiteral("axis-peaks"));
    peaks_->setAccessibleName(tr("peaks of the axes"));
    peaks_->setHorizontalHeaderLabels({tr("Axis"), tr("Peak"), tr("of limit")});
    peaks_->horizontalHeader()->setMinimumSectionSize(30);
    peaks_->setColumnWidth(0, 44);
    peaks_->setColumnWidth(1, 94);
    peaks_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    peaks_->horizontalHeader()->setStretchLastSection(false);
    for (int i = 0; i < 3; ++i) {
        peaks_->horizontalHeader()->setSectionResizeMode(i, i == 2 ? QHeaderView::Stretch : QHeaderView::Fixed);
    }
    peaks_->setFixedWidth(226);
    row->addWidget(peaks_);
    column->addLayout(row, 1);
    connect(peaks_, &QTableWidget::cellClicked, this, [this](int at, int) {
        if (results_ && results_->replayed) {
            const auto motion = std::size_t(peaks_->item(at, 0)->data(Qt::UserRole).toULongLong());
            selection_.select_line(results_->replayed->track.motions()[motion].block - 1);
        }
    });
    connect(plot_, &QCustomPlot::mouseMove, this, [this](QMouseEvent* event) { hover(event->position()); });
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, &AxisCharts::show_whole);
    connect(plot_, &QCustomPlot::mouseRelease, this, [this](QMouseEvent* event) {
        const auto motion = event->button() == Qt::LeftButton ? motion_under(event->position()) : std::nullopt;
        if (motion) {
            selection_.select_line(results_->replayed->track.motions()[*motion].block - 1);
        }
    });
}

QWidget* AxisCharts::build_bar()
{
    auto* bar = new QWidget;
    set_surface(*bar, "head");
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(10, 4, 10, 4);
    row->setSpacing(8);
    course_ = choice(tr("what the charts show"), QStringLiteral("course"), {tr("Position"), tr("Speed"), tr("Acceleration")});
    over_ = choice(tr("what the charts run over"), QStringLiteral("course-over"), {tr("over time"), tr("over the tip's way")});
    auto* whole = new QPushButton(tr("All of it"));
    whole->setObjectName(QStringLiteral("course-whole"));
    whole->setToolTip(tr("The whole job (double click)"));
    message_ = new QLabel;
    message_->setObjectName(QStringLiteral("course-message"));
    message_->setProperty("role", "soft");
    row->addWidget(course_);
    row->addWidget(over_);
    row->addWidget(whole);
    row->addWidget(message_, 1);
    connect(course_, &QComboBox::currentIndexChanged, this, [this] {
        fill();
        fill_peaks();
    });
    connect(over_, &QComboBox::currentIndexChanged, this, &AxisCharts::show_whole);
    connect(whole, &QPushButton::clicked, this, &AxisCharts::show_whole);
    return bar;
}

AxisCourse AxisCharts::course() const { return static_cast<AxisCourse>(course_->currentIndex()); }
CourseOver AxisCharts::over() const { return static_cast<CourseOver>(over_->currentIndex()); }

double AxisCharts::shown(std::size_t joint, double value) const
{
    return results_->assembly().machine.joints[joint].kind == JointKind::rotary ? to_deg(value) : value;
}

QString AxisCharts::unit(std::size_t joint) const
{
    const bool rotary = results_->assembly().machine.joints[joint].kind == JointKind::rotary;
    const QString base = rotary ? QStringLiteral("°") : QStringLiteral("mm");
    return course() == AxisCourse::position ? base
           : course() == AxisCourse::speed  ? base + QStringLiteral("/s")
                                            : base + QStringLiteral("/s²");
}

void AxisCharts::show_course(AxisCourse course) { course_->setCurrentIndex(int(course)); }

void AxisCharts::renew()
{
    const auto results = workspace_.results();
    if (results == results_) {
        return;
    }
    const bool same = results && results_ && results->assembly().job.name == results_->assembly().job.name && to_ > from_;
    series_.reset();
    results_ = results;
    if (results_ && results_->replayed) {
        series_.emplace(results_->replayed->track, results_->assembly().machine);
    }
    build_charts();
    if (same && series_) {
        set_range(from_, std::min(to_, series_->whole(over())));
    } else {
        show_whole();
    }
    fill_peaks();
    follow();
}

void AxisCharts::build_charts()
{
    plot_->clearGraphs();
    plot_->clearItems();
    plot_->plotLayout()->clear();
    charts_.clear();
    const std::size_t joints = series_ ? results_->assembly().machine.joints.size() : 0;
    auto* margins = new QCPMarginGroup(plot_);
    for (std::size_t joint = 0; joint < joints; ++joint) {
        if (results_->assembly().machine.joints[joint].by_hand) {
            continue;
        }
        Chart chart;
        chart.joint = joint;
        chart.rect = new QCPAxisRect(plot_);
        chart.rect->setRangeDrag(Qt::Horizontal);
        chart.rect->setRangeZoom(Qt::Horizontal);
        chart.rect->setMarginGroup(QCP::msLeft | QCP::msRight, margins);
        chart.rect->setMinimumMargins(QMargins(0, 3, 6, 3));
        plot_->plotLayout()->addElement(int(charts_.size()), 0, chart.rect);
        QCPAxis* x = chart.rect->axis(QCPAxis::atBottom);
        QCPAxis* y = chart.rect->axis(QCPAxis::atLeft);
        for (QCPItemRect** band : {&chart.below, &chart.above}) {
            *band = new QCPItemRect(plot_);
            (*band)->setClipAxisRect(chart.rect);
            for (QCPItemPosition* corner : {(*band)->topLeft, (*band)->bottomRight}) {
                corner->setAxes(x, y);
                corner->setAxisRect(chart.rect);
                corner->setTypeX(QCPItemPosition::ptAxisRectRatio);
                corner->setTypeY(QCPItemPosition::ptPlotCoords);
            }
        }
        chart.line = plot_->addGraph(x, y);
        chart.line->setAdaptiveSampling(true);
        chart.here = new QCPItemStraightLine(plot_);
        chart.here->setClipAxisRect(chart.rect);
        for (QCPItemPosition* point : {chart.here->point1, chart.here->point2}) {
            point->setAxes(x, y);
            point->setAxisRect(chart.rect);
            point->setTypeX(QCPItemPosition::ptPlotCoords);
            point->setTypeY(QCPItemPosition::ptAxisRectRatio);
        }
        y->ticker()->setTickCount(3);
        x->setTickLabels(false);
        connect(x, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, [this](const QCPRange& range) {
            if (!setting_) {
                set_range(range.lower, range.upper);
            }
        });
        charts_.push_back(chart);
    }
    if (!charts_.empty()) {
        charts_.back().rect->axis(QCPAxis::atBottom)->setTickLabels(true);
    }
    colour();
}

void AxisCharts::set_range(double from, double to)
{
    const double whole = series_ ? series_->whole(over()) : 0;
    const double size = std::clamp(to - from, std::max(1e-6, whole * 1e-6), std::max(whole, 1e-6));
    from_ = std::clamp(from, 0.0, std::max(0.0, whole - size));
    to_ = from_ + size;
    fill();
}

void AxisCharts::show_whole() { set_range(0, series_ ? series_->whole(over()) : 0); }

void AxisCharts::add_motion(std::size_t joint, std::size_t motion, QVector<double>& keys, QVector<double>& values) const
{
    if (over() == CourseOver::time && series_->pause(motion) > 0) {
        keys.push_back((motion > 0 ? series_->end(CourseOver::time, motion - 1) : 0) + series_->pause(motion));
        const double stands =
            motion > 0 ? series_->value(AxisCourse::position, joint, motion - 1) : results_->replayed->track.home()[Eigen::Index(joint)];
        values.push_back(course() == AxisCourse::position ? shown(joint, stands) : 0);
    }
    keys.push_back(series_->end(over(), motion));
    values.push_back(shown(joint, series_->value(course(), joint, motion)));
}

void AxisCharts::fill()
{
    if (!series_) {
        plot_->replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    setting_ = true;
    const Machine& machine = results_->assembly().machine;
    const auto columns = std::size_t(std::max(200, plot_->width()));
    for (Chart& chart : charts_) {
        const std::size_t joint = chart.joint;
        QVector<double> keys;
        QVector<double> values;
        double low = 1e300;
        double high = -1e300;
        const auto add = [&](std::size_t motion) {
            add_motion(joint, motion, keys, values);
            low = std::min(low, values.back());
            high = std::max(high, values.back());
        };
        if (const auto before = series_->motion_at(over(), from_); before && *before > 0) {
            add(*before - 1);
        }
        for (const AxisSeries::Column& column : series_->columns(course(), joint, over(), from_, to_, columns)) {
            add(std::min(column.low_motion, column.high_motion));
            if (column.low_motion != column.high_motion) {
                add(std::max(column.low_motion, column.high_motion));
            }
        }
        if (const auto behind = series_->motion_at(over(), to_)) {
            add(*behind);
        }
        chart.line->setData(keys, values, true);
        chart.line->setLineStyle(course() == AxisCourse::position ? QCPGraph::lsLine
                                                                  : QCPGraph::lsStepRight); // a speed is that of a motion
        // Limits, where the course comes near them; of travel always.
        std::optional<double> lowest;
        std::optional<double> highest;
        if (course() == AxisCourse::position) {
            if (machine.joints[joint].travel) {
                lowest = shown(joint, machine.joints[joint].travel->low);
                highest = shown(joint, machine.joints[joint].travel->high);
            }
        } else if (const auto most = series_->limit(course(), joint); most && std::max(high, -low) >= near_limit * shown(joint, *most)) {
            highest = shown(joint, *most);
            lowest = -*highest;
        }
        low = std::min(low, lowest.value_or(low));
        high = std::max(high, highest.value_or(high));
        const double room = std::max(1e-6, (high - low) * 0.08);
        const auto band = [&](QCPItemRect* rect, std::optional<double> limit, double end) {
            rect->setVisible(limit.has_value());
            rect->topLeft->setCoords(-0.01, limit.value_or(0)); // its sides stay out of sight
            rect->bottomRight->setCoords(1.01, end);
        };
        band(chart.below, lowest, low - 2 * room);
        band(chart.above, highest, high + 2 * room);
        chart.rect->axis(QCPAxis::atLeft)->setRange(low - room, high + room);
        chart.rect->axis(QCPAxis::atLeft)
            ->setLabel(QStringLiteral("%1 %2").arg(QString::fromStdString(machine.joints[joint].id), unit(joint)));
        chart.rect->axis(QCPAxis::atBottom)->setRange(from_, to_);
    }
    if (!charts_.empty()) {
        charts_.back().rect->axis(QCPAxis::atBottom)->setLabel(over() == CourseOver::time ? tr("s") : tr("mm of the tip's way"));
    }
    setting_ = false;
    follow();
}

void AxisCharts::fill_peaks()
{
    peaks_->setRowCount(0);
    if (!series_) {
        return;
    }
    const Machine& machine = results_->assembly().machine;
    const bool position = course() == AxisCourse::position;
    peaks_->horizontalHeaderItem(1)->setText(position ? tr("End") : tr("Peak"));
    peaks_->horizontalHeaderItem(2)->setText(position ? tr("left") : tr("of limit"));
    const auto add = [&](std::size_t joint, std::size_t motion, double value, const QString& beside, bool wrong) {
        const int row = peaks_->rowCount();
        peaks_->insertRow(row);
        const std::array<QString, 3> texts{QString::fromStdString(machine.joints[joint].id),
                                           QString::number(shown(joint, value), 'f', 2) + QLatin1Char(' ') + unit(joint), beside};
        for (int column = 0; column < 3; ++column) {
            auto* item = new QTableWidgetItem(texts[std::size_t(column)]);
            item->setData(Qt::UserRole, qulonglong(motion));
            item->setTextAlignment((column == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
            if (wrong) {
                item->setForeground(colour_of(State::beyond));
            }
            peaks_->setItem(row, column, item);
        }
    };
    for (const Chart& chart : charts_) {
        const std::size_t joint = chart.joint;
        if (!position) {
            for (const AxisSeries::Peak& peak : series_->peaks(course(), joint, most_peaks)) {
                add(joint, peak.motion, peak.value, peak.share > 0 ? QStringLiteral("%1 %").arg(100 * peak.share, 0, 'f', 0) : QString(),
                    peak.share > 1.001);
            }
            continue;
        }
        // How far it goes both ways, and what is left of its travel there.
        const double whole = series_->whole(CourseOver::time);
        for (const AxisSeries::Column& all : series_->columns(course(), joint, CourseOver::time, 0, whole, 1)) {
            const auto& travel = machine.joints[joint].travel;
            const auto left = [&](double mm) { return QString::number(shown(joint, mm), 'f', 1); };
            add(joint, all.low_motion, all.low, travel ? left(all.low - travel->low) : QString(), travel && all.low < travel->low - 1e-6);
            add(joint, all.high_motion, all.high, travel ? left(travel->high - all.high) : QString(),
                travel && all.high > travel->high + 1e-6);
        }
    }
}

void AxisCharts::follow()
{
    const auto motion = series_ && results_ == workspace_.results() ? selection_.motion() : std::nullopt;
    for (Chart& chart : charts_) {
        chart.here->setVisible(motion.has_value());
        if (motion) {
            const double at = series_->end(over(), *motion);
            chart.here->point1->setCoords(at, 0);
            chart.here->point2->setCoords(at, 1);
        }
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

std::optional<std::size_t> AxisCharts::motion_under(const QPointF& place) const
{
    for (const Chart& chart : charts_) {
        if (chart.rect->rect().contains(place.toPoint())) {
            return series_->motion_at(over(), chart.rect->axis(QCPAxis::atBottom)->pixelToCoord(place.x()));
        }
    }
    return std::nullopt;
}

/// Of what is under the mouse: record, block, and every axis.
void AxisCharts::hover(const QPointF& place)
{
    const auto motion = series_ ? motion_under(place) : std::nullopt;
    if (!motion) {
        message_->clear();
        return;
    }
    const std::uint32_t block = results_->replayed->track.motions()[*motion].block;
    const CodeStore& code = results_->posted->code;
    const std::uint32_t record = block > 0 && block <= code.lines().size() ? code.record_of(block - 1) : CodeStore::no_record;
    QString text = record == CodeStore::no_record ? tr("line %1").arg(grouped(block))
                                                  : tr("record %1 · line %2").arg(grouped(record + 1), grouped(block));
    for (const Chart& chart : charts_) {
        text += QStringLiteral(" · %1 %2")
                    .arg(QString::fromStdString(results_->assembly().machine.joints[chart.joint].id))
                    .arg(shown(chart.joint, series_->value(course(), chart.joint, *motion)), 0, 'f', 2);
    }
    message_->setText(text);
}

void AxisCharts::keyPressEvent(QKeyEvent* event)
{
    const double size = to_ - from_;
    const double middle = from_ + size / 2;
    switch (event->key()) {
    case Qt::Key_Left: set_range(from_ - size / 8, to_ - size / 8); return;
    case Qt::Key_Right: set_range(from_ + size / 8, to_ + size / 8); return;
    case Qt::Key_Plus:
    case Qt::Key_Equal: set_range(middle - size / 4, middle + size / 4); return;
    case Qt::Key_Minus: set_range(middle - size, middle + size); return;
    case Qt::Key_Home: show_whole(); return;
    default: QWidget::keyPressEvent(event);
    }
}

void AxisCharts::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    renew();
    fill();
}

void AxisCharts::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange && plot_ != nullptr) {
        colour();
        fill();
    }
}

void AxisCharts::colour()
{
    const Tokens& t = tokens();
    plot_->setBackground(app::colour(t.paper));
    for (const Chart& chart : charts_) {
        chart.rect->setBackground(app::colour(t.panel));
        for (QCPAxis* axis : chart.rect->axes()) {
            axis->setBasePen(QPen(app::colour(t.line)));
            axis->setTickPen(QPen(app::colour(t.line)));
            axis->setSubTickPen(Qt::NoPen);
            axis->setTickLabelColor(app::colour(t.soft));
            axis->setLabelColor(app::colour(t.soft));
            axis->setTickLabelFont(text_font(0.8));
            axis->setLabelFont(text_font(0.85));
            axis->grid()->setPen(QPen(app::colour(t.line), 1, Qt::DotLine));
            axis->grid()->setZeroLinePen(QPen(app::colour(t.line)));
        }
        chart.line->setPen(QPen(app::colour(t.fill), 1.2));
        QColor wash = colour_of(State::beyond);
        wash.setAlpha(28);
        for (QCPItemRect* band : {chart.below, chart.above}) {
            band->setPen(QPen(colour_of(State::beyond), 1, Qt::DashLine));
            band->setBrush(wash);
        }
        chart.here->setPen(QPen(app::colour(t.ink), 1));
    }
}

} // namespace wexilum::app
