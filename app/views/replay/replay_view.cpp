#include "app/views/replay/replay_view.hpp"

#include "app/models/findings_model.hpp"
#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "app/views/replay/chart_library.hpp"
#include "core/base/units.hpp"
#include "core/project/job_run.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPainter>
#include <QStackedWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr std::size_t worst_shown = 40;
constexpr std::size_t chart_pieces = 1500;
constexpr double highest_share = 250; // %: what is further off is drawn to there, so that the rest stays legible

double value_of(const ReplayTrack::Measure& m, Deviating what)
{
    switch (what) {
    case Deviating::share: return 100.0 * double(m.ratio());
    case Deviating::tip: return double(m.tip);
    case Deviating::axis: return to_deg(double(m.axis));
    }
    return 0;
}

QTableWidget* table(const QString& name, const QString& said, const QStringList& columns)
{
    auto* out = new QTableWidget(0, int(columns.size()));
    out->setObjectName(name);
    out->setAccessibleName(said);
    out->setHorizontalHeaderLabels(columns);
    dress_list(*out, 22);
    out->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    return out;
}

} // namespace

Peaks peaks_of(const ReplayTrack& track, std::uint32_t lines, std::size_t most, Deviating what)
{
    Peaks out;
    const std::uint32_t piece =
        std::max<std::uint32_t>(1, (lines + std::uint32_t(most) - 1) / std::uint32_t(std::max<std::size_t>(most, 1)));
    for (std::uint32_t first = 1; first <= lines; first += piece) {
        double largest = -1;
        std::uint32_t at = first;
        for (std::uint32_t line = first; line < first + piece && line <= lines; ++line) {
            const ReplayTrack::Measure measure = track.measure(line);
            if (measure.tip >= 0 && value_of(measure, what) > largest) {
                largest = value_of(measure, what);
                at = line;
            }
        }
        if (largest >= 0) {
            out.line.push_back(at);
            out.value.push_back(largest);
        }
    }
    return out;
}

ReplayView::ReplayView(Workspace& workspace, Selection& selection, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection), time_(new TimePane), refused_(new QLabel), chart_(new QCustomPlot)
{
    setObjectName(QStringLiteral("replay-view"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(build_bar());
    refused_->setContentsMargins(16, 8, 16, 0);
    refused_->setWordWrap(true);
    refused_->setVisible(false);
    column->addWidget(refused_);
    auto* deviation = new QWidget;
    auto* parts = new QVBoxLayout(deviation);
    parts->setContentsMargins(0, 0, 0, 0);
    parts->setSpacing(0);
    parts->addWidget(build_figures());
    build_chart();
    parts->addWidget(chart_, 3);
    parts->addWidget(build_tables(), 2);
    pages_ = new QStackedWidget;
    pages_->addWidget(deviation);
    pages_->addWidget(time_);
    column->addWidget(pages_, 1);
    connect(time_, &TimePane::line_wanted, this, [this](std::uint32_t line) { Q_EMIT line_wanted(showing_loaded(), line); });
    for (const auto signal : {&Workspace::code_changed, &Workspace::replay_changed, &Workspace::job_changed}) {
        connect(&workspace, signal, this, &ReplayView::renew_in_sight);
    }
    connect(&workspace.compared(), &ComparedCode::changed, this, &ReplayView::renew_in_sight);
    connect(&selection, &Selection::line_changed, this, &ReplayView::follow);
    renew();
}

QWidget* ReplayView::build_bar()
{
    auto* bar = new QWidget;
    set_surface(*bar, "bar");
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(10, 5, 10, 5);
    row->setSpacing(8);
    posted_ = new QPushButton(tr("Posted"));
    loaded_ = new QPushButton(tr("Loaded"));
    posted_->setCheckable(true);
    loaded_->setCheckable(true);
    posted_->setChecked(true);
    auto* load = new QPushButton(tr("Compare a file …"));
    load->setObjectName(QStringLiteral("load-code"));
    load->setToolTip(tr("Reads a code file, edited by hand perhaps, and compares it with this job's toolpath"));
    drop_ = new QPushButton(tr("Close"));
    unknown_ = new QCheckBox(tr("from an unknown state"));
    unknown_->setObjectName(QStringLiteral("from-unknown"));
    unknown_->setToolTip(tr("Nothing is known to be in force at the program's start; what it relies on is a finding"));
    what_ = new QComboBox;
    what_->addItems({tr("% of the budget"), tr("tip, mm"), tr("axis, °")});
    what_->setAccessibleName(tr("what the chart shows"));
    what_->setObjectName(QStringLiteral("chart-what"));
    for (QWidget* widget : std::initializer_list<QWidget*>{posted_, loaded_, load, drop_, unknown_}) {
        widget->setAccessibleName(static_cast<QAbstractButton*>(widget)->text());
        row->addWidget(widget);
    }
    row->addStretch(1);
    row->addWidget(what_);
    deviation_ = named_button(tr("Deviation"), QStringLiteral("show-deviation"), tr("How far the program is from the toolpath"));
    timed_ = named_button(tr("Time"), QStringLiteral("show-time"), tr("How long the program takes, and with what"));
    for (QPushButton* button : {deviation_, timed_}) {
        button->setCheckable(true);
        row->addWidget(button);
        connect(button, &QPushButton::clicked, this, [this, button] { show_page(button == timed_); });
    }
    deviation_->setChecked(true);
    connect(posted_, &QPushButton::clicked, this, [this] {
        loaded_->setChecked(false);
        posted_->setChecked(true);
        renew();
    });
    connect(loaded_, &QPushButton::clicked, this, [this] {
        loaded_->setChecked(true);
        posted_->setChecked(false);
        renew();
    });
    connect(load, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Compare a code file"), workspace_.project().folder(),
                                                          tr("Code (*.nc *.txt *.tap *.cnc);;All files (*)"));
        if (!path.isEmpty()) {
            this->load(path);
        }
    });
    connect(drop_, &QPushButton::clicked, this, [this] { workspace_.compared().drop(); });
    connect(unknown_, &QCheckBox::toggled, &workspace_, &Workspace::set_from_unknown);
    connect(what_, &QComboBox::currentIndexChanged, this, &ReplayView::renew_chart);
    return bar;
}

QWidget* ReplayView::build_figures()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(16, 10, 16, 4);
    column->setSpacing(8);
    auto* row = new QHBoxLayout;
    verdict_ = new QLabel;
    verdict_->setFont(text_font(1.1, true));
    verdict_->setToolTip(
        tr("Proven: the code, read back by the control's own rules, moves the tool as the toolpath says, within both budgets"));
    verdict_->setObjectName(QStringLiteral("verdict"));
    counts_ = new QLabel;
    counts_->setProperty("role", "soft");
    counts_->setObjectName(QStringLiteral("replay-counts"));
    row->addWidget(verdict_);
    row->addSpacing(12);
    row->addWidget(counts_);
    row->addStretch(1);
    column->addLayout(row);
    auto* gauges = new QHBoxLayout;
    gauges->setSpacing(12);
    const std::array<QString, 5> names{tr("tip at records, mm"), tr("axis at records, °"), tr("tip between, mm"), tr("axis between, °"),
                                       tr("feed, %")};
    for (std::size_t i = 0; i < gauges_.size(); ++i) {
        gauges_[i] = new BudgetGauge(names[i]);
        gauges->addWidget(gauges_[i]);
    }
    column->addLayout(gauges);
    return box;
}

void ReplayView::build_chart()
{
    chart_->setObjectName(QStringLiteral("deviation-chart"));
    chart_->setAccessibleName(tr("deviation along the code"));
    chart_->setFocusPolicy(Qt::StrongFocus);
    chart_->setMinimumHeight(120);
    chart_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    chart_->axisRect()->setRangeDrag(Qt::Horizontal);
    chart_->axisRect()->setRangeZoom(Qt::Horizontal);
    chart_->setToolTip(tr("Click for the block, drag to move, wheel to zoom, double click for all of it"));
    peaks_ = chart_->addGraph();
    peaks_->setLineStyle(QCPGraph::lsImpulse);
    over_ = chart_->addGraph();
    over_->setLineStyle(QCPGraph::lsImpulse);
    limit_ = new QCPItemLine(chart_);
    limit_->start->setTypeX(QCPItemPosition::ptAxisRectRatio);
    limit_->end->setTypeX(QCPItemPosition::ptAxisRectRatio);
    here_ = new QCPItemLine(chart_);
    here_->start->setTypeY(QCPItemPosition::ptAxisRectRatio);
    here_->end->setTypeY(QCPItemPosition::ptAxisRectRatio);
    chart_->xAxis->setLabel(tr("line of the code"));
    connect(chart_->xAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, [this](const QCPRange& range) {
        const auto replayed = shown();
        const double all = replayed ? std::max(1.0, double(peaks_->data()->isEmpty() ? 1 : (peaks_->data()->constEnd() - 1)->key)) : 1;
        const double size = std::min(range.size(), all);
        const double low = std::clamp(range.lower, 0.0, std::max(0.0, all - size));
        if (low != range.lower || size != range.size()) {
            chart_->xAxis->setRange(low, low + std::max(size, 1.0));
        }
    });
    connect(chart_, &QCustomPlot::mouseDoubleClick, this, &ReplayView::renew_chart);
    connect(chart_, &QCustomPlot::mouseRelease, this, [this](QMouseEvent* event) {
        static constexpr int near = 12; // px
        if (peaks_->data()->isEmpty() || event->button() != Qt::LeftButton) {
            return;
        }
        // The largest value near the place.
        const double low = chart_->xAxis->pixelToCoord(event->pos().x() - near);
        const double high = chart_->xAxis->pixelToCoord(event->pos().x() + near);
        auto best = peaks_->data()->constEnd();
        for (auto it = peaks_->data()->findBegin(low, false); it != peaks_->data()->constEnd() && it->key <= high; ++it) {
            if (best == peaks_->data()->constEnd() || it->value > best->value) {
                best = it;
            }
        }
        if (best != peaks_->data()->constEnd()) {
            Q_EMIT line_wanted(showing_loaded(), std::uint32_t(best->key) - 1);
        }
    });
    colour_chart();
}

void ReplayView::colour_chart()
{
    const Tokens& t = tokens();
    chart_->setBackground(colour(t.paper));
    chart_->axisRect()->setBackground(colour(t.panel));
    for (QCPAxis* axis : {chart_->xAxis, chart_->yAxis}) {
        axis->setBasePen(QPen(colour(t.line)));
        axis->setTickPen(QPen(colour(t.line)));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(colour(t.soft));
        axis->setLabelColor(colour(t.soft));
        axis->setTickLabelFont(text_font(0.9));
        axis->setLabelFont(text_font(0.9));
        axis->grid()->setPen(QPen(colour(t.line), 1, Qt::DotLine));
        axis->grid()->setZeroLinePen(QPen(colour(t.line)));
    }
    peaks_->setPen(QPen(colour(t.fill), 1.3));
    over_->setPen(QPen(colour_of(State::beyond), 2));
    limit_->setPen(QPen(colour_of(State::beyond), 1, Qt::DashLine));
    here_->setPen(QPen(colour(t.ink), 1));
}

QWidget* ReplayView::build_tables()
{
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(16, 6, 16, 10);
    row->setSpacing(16);
    worst_ = table(QStringLiteral("worst"), tr("worst places"), {tr("line"), tr("share"), tr("tip, mm"), tr("axis, °")});
    misfits_ = table(QStringLiteral("misfits"), tr("findings of the replay"), {tr("what"), tr("line"), tr("message")});
    const auto add = [&](const QString& name, QTableWidget* widget, int stretch) {
        auto* column = new QVBoxLayout;
        column->setSpacing(4);
        auto* label = new QLabel(name);
        label->setProperty("role", "caption");
        column->addWidget(label);
        column->addWidget(widget, 1);
        row->addLayout(column, stretch);
    };
    add(tr("Worst places"), worst_, 4);
    add(tr("Uncovered, extra and other findings of the replay"), misfits_, 6);
    nothing_ = new QLabel(tr("Every record is covered, nothing is extra."), misfits_);
    nothing_->setProperty("role", "soft");
    nothing_->move(10, 34);
    worst_->setFont(code_font());
    worst_->horizontalHeader()->setFont(text_font());
    worst_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    worst_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    misfits_->setColumnWidth(0, 140);
    misfits_->setColumnWidth(1, 66);
    misfits_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    for (QTableWidget* one : {worst_, misfits_}) {
        connect(one, &QTableWidget::currentCellChanged, this, [this, one](int at) {
            const QTableWidgetItem* item = at < 0 ? nullptr : one->item(at, 0);
            const uint line = item != nullptr ? item->data(Qt::UserRole).toUInt() : 0;
            if (line != 0 && one->hasFocus()) {
                Q_EMIT line_wanted(showing_loaded(), line - 1);
            }
        });
        connect(one, &QTableWidget::cellDoubleClicked, this, [this, one](int at) {
            const uint line = one->item(at, 0)->data(Qt::UserRole).toUInt();
            if (line != 0) {
                Q_EMIT line_wanted(showing_loaded(), line - 1);
            }
        });
    }
    return box;
}

void ReplayView::load(const QString& path)
{
    const Status status = workspace_.compared().load(path);
    refused_->setVisible(!status);
    if (!status) {
        refused_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
        refused_->setText(QString::fromStdString(status.error().text()));
        return;
    }
    loaded_->setChecked(true);
    posted_->setChecked(false);
    renew();
}

void ReplayView::show_page(bool time)
{
    deviation_->setChecked(!time);
    timed_->setChecked(time);
    what_->setVisible(!time);
    pages_->setCurrentIndex(time ? 1 : 0);
}

bool ReplayView::showing_loaded() const { return loaded_->isChecked() && workspace_.compared().loaded(); }

std::shared_ptr<const ReplayedCode> ReplayView::shown() const
{
    const auto& results = workspace_.results();
    return showing_loaded() ? workspace_.compared().loaded()->replayed : results ? results->replayed : nullptr;
}

void ReplayView::renew()
{
    const bool there = workspace_.compared().loaded().has_value();
    if (!there) {
        loaded_->setChecked(false);
        posted_->setChecked(true);
    }
    for (QWidget* widget : {static_cast<QWidget*>(loaded_), static_cast<QWidget*>(posted_), static_cast<QWidget*>(drop_)}) {
        widget->setVisible(there);
    }
    loaded_->setText(there ? QFileInfo(workspace_.compared().loaded()->path).fileName() : tr("Loaded"));
    const auto replayed = shown();
    time_->show_time(workspace_.results().get(), replayed.get());
    worst_->setRowCount(0);
    misfits_->setRowCount(0);
    nothing_->setVisible(false);
    if (!replayed) {
        verdict_->setText(workspace_.results() ? tr("Reading the code back …") : tr("No code yet: choose a job on the left."));
        verdict_->setStyleSheet({});
        counts_->clear();
        for (BudgetGauge* gauge : gauges_) {
            gauge->clear();
        }
    } else {
        renew_figures(*replayed);
        renew_tables(*replayed);
    }
    renew_chart();
}

void ReplayView::renew_figures(const ReplayedCode& replayed)
{
    const ReplayReport& r = replayed.report;
    const bool proven = replayed.proven();
    const bool unwritten = replayed.posting_errors > 0 && !r.findings.has_errors();
    verdict_->setText(proven ? tr("● Proven") : unwritten ? tr("▌ Not proven: not written") : tr("▌ Not proven"));
    verdict_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(proven ? State::fits : State::beyond).name()));
    counts_->setText(tr("%1 records reached, %2 uncovered, %3 extra · read back in %4 ms")
                         .arg(grouped(r.compared))
                         .arg(r.uncovered)
                         .arg(r.extra)
                         .arg(std::lround(replayed.seconds * 1000)) +
                     (r.surface.places > 0
                          ? tr(" · on the surface %1 mm too deep, %2 mm left").arg(r.surface.deep, 0, 'f', 4).arg(r.surface.left, 0, 'f', 4)
                          : QString()));
    gauges_[0]->set_value(r.at_records.tip, r.at_records.tip_budget, 5);
    gauges_[2]->set_value(r.between.tip, r.between.tip_budget, 5);
    const bool rotary = workspace_.results() && workspace_.results()->assembly().solver != nullptr &&
                        !workspace_.results()->assembly().solver->rotary().empty();
    gauges_[1]->setVisible(rotary);
    gauges_[3]->setVisible(rotary);
    gauges_[1]->set_value(to_deg(r.at_records.axis), to_deg(r.at_records.axis_budget), 5);
    gauges_[3]->set_value(to_deg(r.between.axis), to_deg(r.between.axis_budget), 5);
    gauges_[4]->set_value(r.feed_error_percent, r.feed_budget_percent, 3);
}

void ReplayView::renew_chart()
{
    const auto replayed = shown();
    peaks_->data()->clear();
    over_->data()->clear();
    if (replayed) {
        const auto what = static_cast<Deviating>(what_->currentIndex());
        const std::uint32_t lines =
            showing_loaded() ? workspace_.compared().loaded()->lines->size() : workspace_.results()->posted->code.lines().size();
        Peaks peaks = peaks_of(replayed->track, lines, chart_pieces, what);
        const double most = peaks.value.empty() ? 1 : *std::max_element(peaks.value.begin(), peaks.value.end());
        const Peaks shares = what == Deviating::share ? peaks : peaks_of(replayed->track, lines, chart_pieces, Deviating::share);
        for (double& value : peaks.value) {
            value = what == Deviating::share ? std::min(value, highest_share) : value;
        }
        peaks_->setData(QVector<double>(peaks.line.begin(), peaks.line.end()), QVector<double>(peaks.value.begin(), peaks.value.end()),
                        true);
        for (std::size_t i = 0; i < shares.line.size(); ++i) {
            if (shares.value[i] > 100) {
                over_->addData(shares.line[i], what == Deviating::share ? std::min(shares.value[i], highest_share) : peaks.value[i]);
            }
        }
        chart_->xAxis->setRange(0, std::max(2U, lines));
        chart_->yAxis->setRange(0, what == Deviating::share ? std::clamp(most, 100.0, highest_share) * 1.08 : std::max(most, 1e-9) * 1.1);
        chart_->yAxis->setLabel(what_->currentText());
        limit_->setVisible(what == Deviating::share);
        limit_->start->setCoords(0, 100);
        limit_->end->setCoords(1, 100);
    }
    follow();
}

void ReplayView::renew_tables(const ReplayedCode& replayed)
{
    std::vector<std::uint32_t> lines;
    for (std::uint32_t line = 1; line < replayed.track.measured_blocks(); ++line) {
        if (replayed.track.measure(line).tip >= 0) {
            lines.push_back(line);
        }
    }
    const std::size_t count = std::min(worst_shown, lines.size());
    std::partial_sort(lines.begin(), lines.begin() + std::ptrdiff_t(count), lines.end(), [&](std::uint32_t a, std::uint32_t b) {
        const float ra = replayed.track.measure(a).ratio();
        const float rb = replayed.track.measure(b).ratio();
        return ra > rb || (ra == rb && a < b);
    });
    worst_->setRowCount(int(count));
    for (std::size_t i = 0; i < count; ++i) {
        const ReplayTrack::Measure m = replayed.track.measure(lines[i]);
        const std::array<QString, 4> texts{grouped(lines[i]), QStringLiteral("%1 %").arg(100.0 * double(m.ratio()), 0, 'f', 1),
                                           QString::number(double(m.tip), 'f', 5), QString::number(to_deg(double(m.axis)), 'f', 5)};
        for (int column = 0; column < 4; ++column) {
            auto* item = new QTableWidgetItem(texts[std::size_t(column)]);
            item->setData(Qt::UserRole, lines[i]);
            if (m.ratio() > 1) {
                item->setForeground(colour_of(State::beyond));
            }
            worst_->setItem(int(i), column, item);
        }
    }
    const auto& findings = replayed.report.findings.list();
    misfits_->setRowCount(int(findings.size()));
    nothing_->setVisible(findings.empty());
    for (std::size_t i = 0; i < findings.size(); ++i) {
        const Finding& f = findings[i];
        const std::uint32_t line = f.worst_code.line != 0 ? f.worst_code.line : f.code.line;
        auto* kind = new QTableWidgetItem(icon_of(state_of(f)), QString::fromStdString(f.kind).replace(QLatin1Char('-'), QLatin1Char(' ')));
        kind->setData(Qt::UserRole, line);
        kind->setForeground(colour_of(state_of(f)));
        misfits_->setItem(int(i), 0, kind);
        misfits_->setItem(int(i), 1, new QTableWidgetItem(line != 0 ? grouped(line) : QString()));
        auto* message = new QTableWidgetItem(QString::fromStdString(f.message));
        message->setToolTip(QString::fromStdString(f.message + "\n" + f.cure));
        misfits_->setItem(int(i), 2, message);
    }
}

void ReplayView::follow()
{
    const bool on = !showing_loaded() && selection_.line() != Selection::none;
    here_->setVisible(on);
    if (on) {
        here_->start->setCoords(selection_.line() + 1.0, 0);
        here_->end->setCoords(selection_.line() + 1.0, 1);
    }
    chart_->replot(QCustomPlot::rpQueuedReplot);
}

void ReplayView::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange && peaks_ != nullptr) {
        colour_chart();
        renew();
    }
}

} // namespace wexilum::app
