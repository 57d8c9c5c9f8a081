// What is painted over the machine's picture, and the wire picture where there is no OpenGL.
#include "app/theme/theme.hpp"
#include "app/views/machine/machine_picture.hpp"
#include "core/project/job_run.hpp"

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QPainter>

namespace wexilum::app {
namespace {

constexpr std::size_t wire_points = 20000;

/// A ground for text, through which the picture can still be seen.
void paint_paper(QPainter& painter, const QRectF& place)
{
    QColor paper = colour(tokens().panel);
    paper.setAlpha(210);
    painter.setPen(Qt::NoPen);
    painter.setBrush(paper);
    painter.drawRoundedRect(place, 5, 5);
}

} // namespace

void MachinePicture::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const QImage image = frame(moving_);
    if (!image.isNull()) {
        painter.drawImage(rect(), image);
    } else {
        paint_wires(painter);
    }
    paint_notes(painter);
    if (!image.isNull() && !moving_ && !is_whole()) {
        QTimer::singleShot(0, this, qOverload<>(&QWidget::update));
    }
}

void MachinePicture::paint_wires(QPainter& painter)
{
    painter.fillRect(rect(), colour(tokens().sky_low));
    painter.setRenderHint(QPainter::Antialiasing);
    if (machine() != nullptr) {
        for (const Part& part : parts_) {
            const Frame frame = place_of_part(part);
            const bool wrong = part.carrier == Carrier::joint && is_beyond(part.joint);
            painter.setPen(QPen(wrong ? colour_of(State::beyond) : colour(tokens().edge), 1));
            QVector<QLineF> lines;
            for (std::size_t i = 0; i + 1 < part.solid.edges.size(); i += 2) {
                const Vec3 a = camera_.project(frame * part.solid.edges[i].cast<double>(), size());
                const Vec3 b = camera_.project(frame * part.solid.edges[i + 1].cast<double>(), size());
                lines.push_back({a.x(), a.y(), b.x(), b.y()});
            }
            painter.drawLines(lines);
        }
        const std::vector<Rgb> palette = this->palette();
        std::vector<QVector<QLineF>> ways(palette.size());
        const std::size_t step = paint_ ? paint_->status.size() / wire_points + 1 : 1;
        for (std::size_t i = step; paint_ && i < paint_->status.size(); i += step) {
            if (paint_->status[i] < palette.size()) {
                const auto& points = results_->replayed->track.points();
                const auto at = [&](std::size_t k) { return place_of(Vec3(points[k].at[0], points[k].at[1], points[k].at[2])); };
                ways[paint_->status[i]].push_back({at(i - step), at(i)});
            }
        }
        for (std::size_t i = 0; i < ways.size(); ++i) {
            painter.setPen(QPen(colour(palette[i]), 1));
            painter.drawLines(ways[i]);
        }
    }
    painter.setFont(text_font());
    painter.setPen(colour(tokens().soft));
    painter.drawText(rect().adjusted(16, 0, -16, -10), Qt::AlignBottom | Qt::AlignHCenter | Qt::TextWordWrap,
                     tr("Wire picture: %1. Everything else works as usual; on Debian the packages libgl1-mesa-dri and libegl1 give "
                        "OpenGL in software.")
                         .arg(why_no_graphics_));
}

/// Round both solids, and the line between them with its length.
void MachinePicture::paint_meet(QPainter& painter)
{
    const QColor shade = colour_of(meet_->state);
    for (const Part& part : parts_) {
        const bool holder = (meet_->first == "holder" || meet_->second == "holder") && part.id == "cutter"; // one body in the picture
        if (part.id != meet_->first && part.id != meet_->second && !holder) {
            continue;
        }
        const Frame frame = place_of_part(part);
        QVector<QLineF> lines;
        for (std::size_t i = 0; i + 1 < part.solid.edges.size(); i += 2) {
            const Vec3 a = camera_.project(frame * part.solid.edges[i].cast<double>(), size());
            const Vec3 b = camera_.project(frame * part.solid.edges[i + 1].cast<double>(), size());
            lines.push_back({a.x(), a.y(), b.x(), b.y()});
        }
        painter.setPen(QPen(shade, 1.6));
        painter.drawLines(lines);
    }
    QPointF at(width() / 2.0, 44);
    if (meet_->points) {
        const Vec3 a = camera_.project(ride() * meet_->points->first, size());
        const Vec3 b = camera_.project(ride() * meet_->points->second, size());
        painter.setPen(QPen(shade, 2.5));
        painter.drawLine(QPointF(a.x(), a.y()), QPointF(b.x(), b.y()));
        painter.setBrush(shade);
        painter.drawEllipse(QPointF(a.x(), a.y()), 3, 3);
        painter.drawEllipse(QPointF(b.x(), b.y()), 3, 3);
        at = {(a.x() + b.x()) / 2, (a.y() + b.y()) / 2};
    }
    painter.setFont(text_font());
    const double wide = QFontMetrics(painter.font()).horizontalAdvance(meet_->text) + 34;
    QRectF card(meet_->points ? at.x() + 14 : at.x() - wide / 2, at.y() - 13, wide, 26);
    card.moveLeft(std::clamp(card.left(), 8.0, std::max(8.0, width() - wide - 8)));
    card.moveTop(std::clamp(card.top(), 8.0, std::max(8.0, height() - 34.0)));
    painter.setPen(QPen(shade, 1));
    painter.setBrush(colour(tokens().panel));
    painter.drawRoundedRect(card, 5, 5);
    paint_state(painter, meet_->state, QRectF(card.left() + 8, card.center().y() - 5.5, 11, 11));
    painter.setPen(shade);
    painter.drawText(card.adjusted(24, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, meet_->text);
}

/// What a colour of the path says.
QString MachinePicture::colour_name(std::size_t number) const
{
    if (number == 0) {
        return tr("rapid");
    }
    if (colouring_ == PathColouring::state) {
        static const std::array<const char*, path_state_count> names{
            QT_TR_NOOP("rapid"),         QT_TR_NOOP("cut, fits travel"), QT_TR_NOOP("margin low"), QT_TR_NOOP("near singular"),
            QT_TR_NOOP("beyond travel"), QT_TR_NOOP("off the path"),     QT_TR_NOOP("too close"),  QT_TR_NOOP("contact")};
        return number < names.size() ? tr(names[number]) : QString();
    }
    if (colouring_ == PathColouring::deviation) {
        return number > deviation_steps ? tr("over the budget") : tr("up to %1 % of the budget").arg(100 * number / deviation_steps);
    }
    QStringList out;
    const auto& operations = results_->posted->run.outline.operations;
    for (std::size_t i = number - 1; i < operations.size(); i += operation_colours) {
        out.push_back(QString::fromStdString(operations[i].id + " " + operations[i].name));
    }
    return out.size() > 1 ? out.first() + tr(" and %1 more").arg(out.size() - 1) : out.join(QString());
}

/// The path's colours with their words, at the lower right.
void MachinePicture::paint_legend(QPainter& painter) const
{
    const std::vector<Rgb> colours = palette();
    std::vector<std::pair<Rgb, QString>> rows;
    for (std::size_t i = 0; i < colours.size(); ++i) {
        if (const QString name = painted_[i] && has_job() ? colour_name(i) : QString(); !name.isEmpty()) {
            rows.emplace_back(colours[i], name);
        }
    }
    if (rows.empty()) {
        return;
    }
    constexpr int row = 18;
    painter.setFont(text_font(0.9));
    int wide = 0;
    for (const auto& [rgb, name] : rows) {
        wide = std::max(wide, QFontMetrics(painter.font()).horizontalAdvance(name));
    }
    const QRectF card(width() - wide - 54, height() - row * int(rows.size()) - 20, wide + 44, row * int(rows.size()) + 10);
    paint_paper(painter, card);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const double y = card.top() + 5 + row * (double(i) + 0.5);
        painter.setPen(QPen(colour(rows[i].first), 3));
        painter.drawLine(QPointF(card.left() + 9, y), QPointF(card.left() + 27, y));
        painter.setPen(colour(tokens().ink));
        painter.drawText(QRectF(card.left() + 34, y - row / 2.0, wide + 4, row), Qt::AlignVCenter | Qt::AlignLeft, rows[i].second);
    }
    painter.setFont(text_font());
}

void MachinePicture::paint_notes(QPainter& painter)
{
    painter.setRenderHint(QPainter::Antialiasing);
    if (machine() != nullptr && has_job() && !lines_.empty()) {
        painter.setPen(QPen(colour(tokens().accent), 1.2, Qt::DashLine));
        for (const std::vector<Vec3>& line : lines_) {
            QPolygonF way;
            for (const Vec3& at : line) {
                way.push_back(place_of(at));
            }
            painter.drawPolyline(way);
        }
    }
    if (machine() != nullptr && meet_) {
        paint_meet(painter);
    }
    if (machine() == nullptr) {
        painter.setFont(text_font());
        painter.setPen(colour(tokens().soft));
        painter.drawText(rect(), Qt::AlignCenter, tr("Choose a job on the left: its machine and path appear here."));
        return;
    }
    painter.setFont(text_font());
    if (!caption_.isEmpty()) { // legible over whatever is behind it
        const QRectF band(8, 8, QFontMetrics(painter.font()).horizontalAdvance(caption_) + 14, 24);
        paint_paper(painter, band);
        painter.setPen(colour(tokens().ink));
        painter.drawText(band, Qt::AlignCenter, caption_);
    }
    paint_legend(painter);
    painter.setPen(colour(tokens().soft));
    if (machine()->bodies.empty()) {
        painter.drawText(QRect(14, 30, width() - 28, 20), Qt::AlignLeft | Qt::AlignVCenter,
                         tr("The machine's file has no bodies; the path is that of the tool tip."));
    }
    // The directions of the machine, in the corner.
    const QPointF zero(46, height() - 40);
    const Frame turn = ride();
    for (int i = 0; i < 3; ++i) {
        const Vec3 axis = turn.linear() * Vec3::Unit(i);
        const QPointF end = zero + QPointF(axis.dot(camera_.right()), -axis.dot(camera_.up())) * 26;
        painter.setPen(QPen(colour(tokens().ink), 1.5));
        painter.drawLine(zero, end);
        if ((end - zero).manhattanLength() > 6) {
            painter.drawText(QRectF(end.x() + (end.x() - zero.x()) * 0.35 - 8, end.y() + (end.y() - zero.y()) * 0.35 - 8, 16, 16),
                             Qt::AlignCenter, QStringLiteral("XYZ").mid(i, 1));
        }
    }
    // What is beyond travel says by how much.
    int line = 0;
    const Machine& machine = *this->machine();
    for (const Overtravel& over : beyond_) {
        const QString text = QString::fromStdString(text_of(machine, over));
        const QRectF card(width() - 16 - QFontMetrics(painter.font()).horizontalAdvance(text) - 34, 12 + 30 * line++,
                          QFontMetrics(painter.font()).horizontalAdvance(text) + 34, 26);
        painter.setPen(QPen(colour_of(State::beyond), 1));
        painter.setBrush(colour(tokens().panel));
        painter.drawRoundedRect(card, 5, 5);
        paint_state(painter, State::beyond, QRectF(card.left() + 8, card.center().y() - 5.5, 11, 11));
        painter.setPen(colour_of(State::beyond));
        painter.drawText(card.adjusted(24, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
    }
}

} // namespace wexilum::app
