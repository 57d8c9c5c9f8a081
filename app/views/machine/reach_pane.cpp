#include "app/views/machine/reach_pane.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/project/job_run.hpp"
#include "core/task/postures.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QMouseEvent>
#include <QPainterPath>
#include <QVBoxLayout>

#include <cmath>
#include <set>

namespace wexilum::app {
namespace {

constexpr int side = 180;                     // points of the map across
constexpr double low_margin = 5 * pi / 180;   // rad to an end of travel
constexpr double near_pole = 2 * pi / 180;    // rad
constexpr std::size_t most_looked_at = 40000; // motions
constexpr double same_mark = 0.01;            // rad: marks nearer than that are one
constexpr double dot_pixels = 7;

QColor mixed(const QColor& a, const QColor& b, double share)
{
    return QColor::fromRgbF(float(a.redF() + (b.redF() - a.redF()) * share), float(a.greenF() + (b.greenF() - a.greenF()) * share),
                            float(a.blueF() + (b.blueF() - a.blueF()) * share));
}

} // namespace

// --- the disk -------------------------------------------------------------------------------------------------------

ReachDisk::ReachDisk(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("reach-disk"));
    setAccessibleName(tr("directions that the tool can take, seen along the part's Z"));
    setMouseTracking(true);
    setMinimumSize(200, 200);
}

void ReachDisk::set_map(std::shared_ptr<const DirectionMap> map, const Mat3& part)
{
    map_ = std::move(map);
    part_ = part;
    make_image();
    update();
}

void ReachDisk::set_marks(std::vector<Mark> marks, std::optional<Vec3> here)
{
    marks_ = std::move(marks);
    here_ = here;
    update();
}

void ReachDisk::set_below(bool below)
{
    below_ = below;
    make_image();
    update();
}

QRectF ReachDisk::disk() const
{
    const double across = std::min(width(), height()) - 36;
    return {(width() - across) / 2, (height() - across) / 2, across, across};
}

/// Areas as on the sphere: the radius goes with the chord from the middle. Source: J. H. Lambert's azimuthal projection, 1772.
QPointF ReachDisk::place_of(const Vec3& axis) const
{
    const double z = below_ ? -axis.z() : axis.z();
    const double across = std::hypot(axis.x(), axis.y());
    const double r = across > 0 ? std::sqrt(std::max(0.0, 1 - z)) / across : 0; // 1 where it is level
    const QRectF d = disk();
    return {d.center().x() + axis.x() * r * d.width() / 2, d.center().y() - axis.y() * r * d.height() / 2};
}

std::optional<Vec3> ReachDisk::axis_at(const QPointF& place) const
{
    const QRectF d = disk();
    const double x = (place.x() - d.center().x()) / (d.width() / 2);
    const double y = -(place.y() - d.center().y()) / (d.height() / 2);
    const double r2 = x * x + y * y;
    if (r2 > 1) {
        return std::nullopt;
    }
    const double z = 1 - r2;
    const double across = r2 > 0 ? std::sqrt((1 - z * z) / r2) : 0;
    return Vec3(x * across, y * across, below_ ? -z : z);
}

void ReachDisk::make_image()
{
    image_ = QImage();
    if (!map_) {
        return;
    }
    image_ = QImage(side, side, QImage::Format_ARGB32);
    image_.fill(Qt::transparent);
    const QColor one = mixed(colour(tokens().panel), colour(tokens().fill), 0.4);
    const QColor two = mixed(colour(tokens().panel), colour(tokens().fill), 0.8);
    const QColor none = colour(tokens().sunk);
    for (int row = 0; row < side; ++row) {
        for (int column = 0; column < side; ++column) {
            const double x = (column + 0.5) / side * 2 - 1;
            const double y = 1 - (row + 0.5) / side * 2;
            const double r2 = x * x + y * y;
            if (r2 > 1.02) {
                continue;
            }
            const double z = std::max(0.0, 1 - r2);
            const double across = r2 > 0 ? std::sqrt((1 - z * z) / r2) : 0;
            const DirectionAt at = map_->at(part_ * Vec3(x * across, y * across, below_ ? -z : z).normalized());
            QColor shade = at.branches == 0 ? none : at.branches == 1 ? one : two;
            if (at.branches > 0 && at.margin < low_margin) {
                shade = mixed(shade, colour_of(State::margin), 0.65);
            }
            if (at.branches > 0 && at.pole < near_pole) {
                shade = colour_of(State::singular);
            }
            image_.setPixelColor(column, row, shade);
        }
    }
}

void ReachDisk::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange) {
        make_image();
    }
}

void ReachDisk::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRectF d = disk();
    if (image_.isNull()) {
        painter.setPen(colour(tokens().soft));
        painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, tr("Choose a job: where its tool can point appears here."));
        return;
    }
    QPainterPath round;
    round.addEllipse(d);
    painter.save();
    painter.setClipPath(round);
    painter.drawImage(d, image_);
    painter.restore();
    painter.setPen(QPen(colour(tokens().soft), 1));
    painter.drawEllipse(d);
    painter.setPen(QPen(colour(tokens().ink), 0.7, Qt::DotLine));
    for (const int tilt : {30, 60}) { // as far from the middle as on the sphere
        const double r = std::sqrt(1 - std::cos(to_rad(tilt))) * d.width() / 2;
        painter.drawEllipse(d.center(), r, r);
        painter.drawText(QPointF(d.center().x() + r * 0.7071 + 2, d.center().y() - r * 0.7071 - 2), QStringLiteral("%1°").arg(tilt));
    }
    painter.drawLine(QPointF(d.left(), d.center().y()), QPointF(d.right(), d.center().y()));
    painter.drawLine(QPointF(d.center().x(), d.top()), QPointF(d.center().x(), d.bottom()));
    painter.setPen(colour(tokens().ink));
    painter.drawText(QRectF(d.right() + 2, d.center().y() - 9, 20, 18), Qt::AlignLeft | Qt::AlignVCenter, QStringLiteral("+X"));
    painter.drawText(QRectF(d.center().x() - 14, d.top() - 18, 28, 18), Qt::AlignCenter, QStringLiteral("+Y"));
    const bool many = marks_.size() > 150; // their edges would be all that is seen
    painter.setPen(many ? QPen(Qt::NoPen) : QPen(colour(tokens().panel), 0.7));
    painter.setBrush(colour(tokens().ink));
    const double size = many ? 1.3 : 2.6;
    for (const Mark& mark : marks_) {
        if (below_ ? mark.axis.z() <= 0 : mark.axis.z() >= -1e-9) {
            painter.drawEllipse(place_of(mark.axis), size, size);
        }
    }
    if (here_ && (below_ ? here_->z() <= 0 : here_->z() >= -1e-9)) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(colour(tokens().ink), 1.8));
        painter.drawEllipse(place_of(*here_), 6, 6);
    }
}

void ReachDisk::mouseMoveEvent(QMouseEvent* event) { Q_EMIT hovered(axis_at(event->position())); }
void ReachDisk::leaveEvent(QEvent*) { Q_EMIT hovered(std::nullopt); }

void ReachDisk::mousePressEvent(QMouseEvent* event)
{
    const Mark* best = nullptr;
    double nearest = dot_pixels;
    for (const Mark& mark : marks_) {
        const double away = QLineF(place_of(mark.axis), event->position()).length();
        if (away <= nearest && (mark.axis.z() < 0) == below_) {
            nearest = away;
            best = &mark;
        }
    }
    if (best != nullptr) {
        Q_EMIT picked(best->motion);
    }
}

// --- the pane -------------------------------------------------------------------------------------------------------

ReachPane::ReachPane(Workspace& workspace, Selection& selection, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection), half_(new QComboBox), head_(new QLabel), disk_(new ReachDisk),
      message_(new QLabel), travel_(new QTableWidget)
{
    setObjectName(QStringLiteral("reach-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    head_->setProperty("role", "soft");
    head_->setObjectName(QStringLiteral("reach-head"));
    half_->setObjectName(QStringLiteral("reach-half"));
    half_->setAccessibleName(tr("half-sphere of directions"));
    half_->addItems({tr("above the part"), tr("below the part")});
    row->addWidget(head_, 1);
    row->addWidget(half_);
    column->addLayout(row);
    column->addWidget(disk_, 4);
    message_->setObjectName(QStringLiteral("reach-message"));
    message_->setWordWrap(true);
    message_->setMinimumHeight(52);
    message_->setAlignment(Qt::AlignTop);
    column->addWidget(message_);
    travel_->setObjectName(QStringLiteral("reach-travel"));
    travel_->setAccessibleName(tr("what this job leaves of the axes' travel"));
    travel_->setColumnCount(4);
    travel_->setHorizontalHeaderLabels({tr("Axis"), tr("This job"), tr("Left below"), tr("Left above")});
    dress_list(*travel_, 21);
    travel_->setFocusPolicy(Qt::NoFocus);
    travel_->horizontalHeader()->setStretchLastSection(false);
    travel_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    travel_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    column->addWidget(travel_, 2);
    connect(half_, &QComboBox::currentIndexChanged, this, [this](int index) { disk_->set_below(index == 1); });
    connect(disk_, &ReachDisk::hovered, this, &ReachPane::show_direction);
    connect(disk_, &ReachDisk::picked, this, [this](std::size_t motion) {
        if (results_ && results_->replayed) {
            selection_.select_line(results_->replayed->track.motions()[motion].block - 1);
        }
    });
    connect(&selection, &Selection::line_changed, this, &ReachPane::renew_in_sight);
    for (const auto signal : {&Workspace::code_changed, &Workspace::replay_changed, &Workspace::job_changed}) {
        connect(&workspace, signal, this, &ReachPane::renew_in_sight);
    }
    renew();
}

void ReachPane::renew()
{
    renew_map();
    renew_marks();
    show_direction(std::nullopt);
}

void ReachPane::renew_map()
{
    const auto& results = workspace_.results();
    const std::size_t operation = selection_.operation();
    if (results == results_ && operation_ == operation) {
        return;
    }
    results_ = results;
    operation_ = operation;
    marked_ = false;
    map_.reset();
    head_->clear();
    if (results_) {
        const Assembly& a = results_->assembly();
        const Posture posture = a.posture_of(operation);
        if (auto solver = solver_of(a, posture)) {
            map_ = std::make_shared<const DirectionMap>(DirectionMap::of(a.machine, std::move(*solver)));
        }
        const Mount& mount = a.machine.mounts[posture.mount];
        head_->setText(tr("%1, operation %2")
                           .arg(QString::fromStdString(mount.name.empty() ? mount.id : mount.name),
                                operation < a.job.operations.size() ? QString::fromStdString(a.job.operations[operation].id) : QString()));
    }
    disk_->set_map(map_, results_ ? Mat3(results_->assembly().setup.part().linear()) : Mat3(Mat3::Identity()));
}

/// The directions in which the operation works, each once.
void ReachPane::find_marks()
{
    marked_ = true;
    marks_.clear();
    const ReplayTrack& track = results_->replayed->track;
    const auto& operations = results_->posted->run.outline.operations;
    const auto& code = results_->posted->code;
    const std::size_t step = std::max<std::size_t>(1, track.motions().size() / most_looked_at);
    std::set<std::array<int, 3>> seen;
    for (std::size_t i = 0; i < track.motions().size(); i += step) {
        const std::uint32_t block = track.main_block(i);
        const std::uint32_t record = block >= 1 && block <= code.lines().size() ? code.record_of(block - 1) : CodeStore::no_record;
        const std::size_t at = *operation_;
        const bool of_it = at < operations.size() && record >= operations[at].first_record &&
                           (at + 1 == operations.size() || record < operations[at + 1].first_record);
        if (!track.motions()[i].feed || !of_it) {
            continue;
        }
        const Vec3 axis = axis_of(i);
        const std::array<int, 3> cell{int(std::lround(axis.x() / same_mark)), int(std::lround(axis.y() / same_mark)),
                                      int(std::lround(axis.z() / same_mark))};
        if (seen.insert(cell).second) {
            marks_.push_back({axis, i});
        }
    }
}

/// Of the tool at a motion's end, in the part's frame. Precondition: there are a map and a replay of the same joints.
Vec3 ReachPane::axis_of(std::size_t motion) const
{
    return results_->assembly().setup.part().linear().transpose() *
           map_->solver().kinematics().pose(results_->replayed->track.readings(motion), 0).axis;
}

void ReachPane::renew_marks()
{
    std::optional<Vec3> here;
    if (map_ && results_->replayed && results_->replayed->track.joints() == results_->assembly().machine.joints.size()) {
        if (!marked_) {
            find_marks();
            renew_travel();
        }
        if (const auto motion = selection_.motion()) {
            here = axis_of(*motion);
        }
    } else {
        marks_.clear();
        renew_travel();
    }
    disk_->set_marks(marks_, here);
}

void ReachPane::renew_travel()
{
    const bool there = results_ && results_->replayed && results_->replayed->track.joints() == results_->assembly().machine.joints.size();
    travel_->setRowCount(there ? int(results_->assembly().machine.joints.size()) : 0);
    for (int i = 0; i < travel_->rowCount(); ++i) {
        const Joint& joint = results_->assembly().machine.joints[std::size_t(i)];
        const double low = results_->replayed->track.lowest(std::size_t(i));
        const double high = results_->replayed->track.highest(std::size_t(i));
        const auto left = [&](double by) {
            const bool rotary = joint.kind == JointKind::rotary;
            return !joint.travel ? tr("no end") : rotary ? tr("%1°").arg(to_deg(by), 0, 'f', 2) : tr("%1 mm").arg(by, 0, 'f', 2);
        };
        const double below = joint.travel ? low - joint.travel->low : 0;
        const double above = joint.travel ? joint.travel->high - high : 0;
        const std::array<QString, 4> texts{QString::fromStdString(joint.id),
                                           joint.kind == JointKind::rotary
                                               ? QStringLiteral("%1 … %2").arg(to_deg(low), 0, 'f', 1).arg(to_deg(high), 0, 'f', 1)
                                               : QStringLiteral("%1 … %2").arg(low, 0, 'f', 2).arg(high, 0, 'f', 2),
                                           left(below), left(above)};
        for (int k = 0; k < 4; ++k) {
            auto* item = new QTableWidgetItem(texts[std::size_t(k)]);
            item->setTextAlignment(k == 0 ? Qt::Alignment(Qt::AlignCenter) : Qt::AlignRight | Qt::AlignVCenter);
            item->setFont(k == 0 ? text_font(1, true) : code_font(0.88));
            const double by = k == 2 ? below : above;
            if (k >= 2 && joint.travel && by < 0) {
                item->setForeground(colour_of(State::beyond));
            } else if (k >= 2 && joint.travel && by < low_margin_share * (joint.travel->high - joint.travel->low)) {
                item->setForeground(colour_of(State::margin));
            }
            travel_->setItem(i, k, item);
        }
    }
}

/// What a direction asks of the rotary joints; what the colours mean where none is pointed at.
void ReachPane::show_direction(const std::optional<Vec3>& axis)
{
    if (!map_) {
        message_->setText(results_ ? tr("The arrangement of this machine's rotary joints can't be mapped.") : QString());
        return;
    }
    if (!axis) {
        message_->setText(
            tr("Deep: two postures; light: one; grey: none. Amber: within 5° of the end of a rotary axis; violet: within 2° of "
               "a pole. Dots: directions of this operation; a click goes there."));
        return;
    }
    const Vec3 in_work = results_->assembly().setup.part().linear() * *axis;
    const DirectionAt at = map_->at(in_work);
    const double tilt = to_deg(std::acos(std::clamp(axis->z(), -1.0, 1.0)));
    QString text = tr("%1° from Z, towards %2° from +X: ").arg(tilt, 0, 'f', 1).arg(to_deg(std::atan2(axis->y(), axis->x())), 0, 'f', 1);
    if (at.branches == 0) {
        const Branches found = map_->solver().branches(in_work);
        text +=
            found.count > 0 ? tr("beyond the travel of a rotary axis") : tr("out of reach by %1°").arg(to_deg(found.missed_by), 0, 'f', 1);
        message_->setText(text);
        return;
    }
    QStringList postures;
    const auto& rotary = map_->solver().rotary();
    const Candidates found = map_->solver().solve({Vec3::Zero(), in_work}, 0, results_->assembly().machine.home());
    for (const Candidate& one : found.list) {
        QStringList readings;
        for (const JointIndex j : rotary) {
            const Joint& joint = results_->assembly().machine.joints[j.value];
            readings.push_back(
                tr("%1 %2°").arg(QString::fromStdString(joint.id)).arg(to_deg(one.readings[Eigen::Index(j.value)]), 0, 'f', 1));
        }
        postures.push_back(readings.join(QStringLiteral(" ")));
    }
    text += postures.join(tr(", or "));
    text += std::isfinite(at.margin) ? tr("; %1° to the end of an axis").arg(to_deg(at.margin), 0, 'f', 1) : QString();
    message_->setText(text);
}

} // namespace wexilum::app
