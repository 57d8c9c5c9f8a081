#include "app/views/machine/play_bar.hpp"

#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/project/job_run.hpp"

#include <QSignalBlocker>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int play_tick_ms = 40;
constexpr std::array<int, 5> speeds{5, 25, 100, 500, 5000}; // records a second

} // namespace

PlayBar::PlayBar(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection), row_(new QHBoxLayout(this))
{
    set_surface(*this, "head");
    row_->setContentsMargins(10, 4, 10, 4);
    row_->setSpacing(8);
    auto* before = named_button(tr("Step back"), QStringLiteral("step-back"), tr("To the previous record"));
    play_ = named_button(tr("Play"), QStringLiteral("play"), tr("Through the job, record by record"));
    play_->setCheckable(true);
    auto* after = named_button(tr("Step"), QStringLiteral("step"), tr("To the next record"));
    finding_ = named_button(tr("To next finding"), QStringLiteral("to-finding"), tr("Plays on to the next block with a finding"));
    QStringList names;
    for (const int speed : speeds) {
        names.push_back(tr("%1 records/s").arg(speed));
    }
    speed_ = bar_choice(tr("speed of playing"), names, tr("Speed of playing"));
    speed_->setObjectName(QStringLiteral("speed"));
    speed_->setCurrentIndex(1);
    position_ = new QSlider(Qt::Horizontal);
    position_->setObjectName(QStringLiteral("position"));
    position_->setAccessibleName(tr("place in the job, by record"));
    position_->setMinimumWidth(80);
    for (QWidget* widget : std::initializer_list<QWidget*>{before, play_, after, finding_, speed_}) {
        row_->addWidget(widget);
    }
    row_->addWidget(position_, 1);
    connect(before, &QPushButton::clicked, this, [this] { step(-1); });
    connect(after, &QPushButton::clicked, this, [this] { step(1); });
    connect(play_, &QPushButton::toggled, this, &PlayBar::play);
    connect(finding_, &QPushButton::clicked, this, &PlayBar::run_to_finding);
    connect(position_, &QSlider::valueChanged, this, [this](int value) { selection_.select_record(std::uint32_t(value)); });
    timer_.setInterval(play_tick_ms);
    connect(&timer_, &QTimer::timeout, this, &PlayBar::tick);
}

void PlayBar::renew()
{
    for (std::size_t i = 0; i < speeds.size(); ++i) {
        speed_->setItemText(int(i), (workspace_.reading() ? tr("%1 motions/s") : tr("%1 records/s")).arg(speeds[i]));
    }
    const auto& results = workspace_.results();
    const QSignalBlocker quiet(position_);
    position_->setRange(0, results ? std::max(0, int(results->posted->records.size()) - 1) : 0);
    position_->setPageStep(std::max(1, position_->maximum() / 50));
}

void PlayBar::follow()
{
    if (selection_.record() != Selection::none) {
        const QSignalBlocker quiet(position_);
        position_->setValue(int(selection_.record()));
    }
}

void PlayBar::set_narrow(bool narrow)
{
    finding_->setVisible(!narrow);
    speed_->setVisible(!narrow);
}

void PlayBar::play(bool on)
{
    play_->setChecked(on);
    play_->setText(on ? tr("Pause") : tr("Play"));
    due_ = 0;
    if (on) {
        timer_.start();
    } else {
        timer_.stop();
        until_ = Selection::none;
    }
}

void PlayBar::step(int records)
{
    const auto& results = workspace_.results();
    if (!results || results->posted->records.size() == 0) {
        return;
    }
    const std::int64_t last = std::int64_t(results->posted->records.size()) - 1;
    const std::int64_t now = selection_.record() == Selection::none ? (records > 0 ? -1 : 0) : std::int64_t(selection_.record());
    const std::int64_t next = std::clamp<std::int64_t>(now + records, 0, last);
    if (next == now) {
        play_->setChecked(false);
        return;
    }
    selection_.select_record(std::uint32_t(next));
}

void PlayBar::tick()
{
    due_ += speeds[std::size_t(speed_->currentIndex())] * play_tick_ms / 1000.0;
    const int records = int(due_);
    if (records == 0) {
        return;
    }
    due_ -= records;
    step(records);
    if (until_ != Selection::none && selection_.line() >= until_) {
        const std::uint32_t line = until_;
        play_->setChecked(false);
        selection_.select_line(line);
    }
}

void PlayBar::run_to_finding()
{
    const std::uint32_t here = selection_.line() == Selection::none ? 0 : selection_.line();
    std::uint32_t next = Selection::none;
    for (const FoundAt& found : workspace_.findings()) {
        for (const std::uint32_t line : {found.finding.code.line, found.finding.worst_code.line}) {
            if (line != 0 && line - 1 > here && found.in_posted_code()) {
                next = std::min(next, line - 1);
            }
        }
    }
    if (next == Selection::none) {
        Q_EMIT reported(tr("No finding after this block."));
        return;
    }
    until_ = next;
    const std::uint32_t until = until_;
    play(true);
    until_ = until;
}

} // namespace wexilum::app
