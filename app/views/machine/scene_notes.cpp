#include "app/views/machine/scene_notes.hpp"

#include "app/theme/theme.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>

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

void SceneNotes::paint_wires(const QString& why)
{
    painter_.fillRect(QRect(QPoint(), size_), colour(tokens().sky_low));
    painter_.setRenderHint(QPainter::Antialiasing);
    if (scene_.machine() != nullptr) {
        for (const MachineScene::Part& part : scene_.parts()) {
            const bool wrong = part.carrier == MachineScene::Carrier::joint && scene_.is_beyond(part.joint);
            paint_edges(part, QPen(wrong ? colour_of(State::beyond) : colour(tokens().edge), 1));
        }
        const std::vector<Rgb> palette = scene_.palette();
        std::vector<QVector<QLineF>> ways(palette.size());
        const std::size_t step = scene_.paint() ? scene_.paint()->status.size() / wire_points + 1 : 1;
        for (std::size_t i = step; scene_.paint() && i < scene_.paint()->status.size(); i += step) {
            if (scene_.paint()->status[i] < palette.size()) {
                const auto& points = scene_.results()->replayed->track.points();
                const auto at = [&](std::size_t k) { return place_of(Vec3(points[k].at[0], points[k].at[1], points[k].at[2])); };
                ways[scene_.paint()->status[i]].push_back({at(i - step), at(i)});
            }
        }
        for (std::size_t i = 0; i < ways.size(); ++i) {
            painter_.setPen(QPen(colour(palette[i]), 1));
            painter_.drawLines(ways[i]);
        }
    }
    painter_.setFont(text_font());
    painter_.setPen(colour(tokens().soft));
    painter_.drawText(QRect(QPoint(), size_).adjusted(16, 0, -16, -10), Qt::AlignBottom | Qt::AlignHCenter | Qt::TextWordWrap,
                      tr("Wire picture: %1. Everything else works as usual; on Debian the packages libgl1-mesa-dri and libegl1 give "
                         "OpenGL in software.")
                          .arg(why));
}

void SceneNotes::paint_edges(const MachineScene::Part& part, const QPen& pen)
{
    const Frame frame = scene_.in_world(part);
    QVector<QLineF> lines;
    for (std::size_t i = 0; i + 1 < part.solid.edges.size(); i += 2) {
        const Vec3 a = camera_.project(frame * part.solid.edges[i].cast<double>(), size_);
        const Vec3 b = camera_.project(frame * part.solid.edges[i + 1].cast<double>(), size_);
        lines.push_back({a.x(), a.y(), b.x(), b.y()});
    }
    painter_.setPen(pen);
    painter_.drawLines(lines);
}

QPointF SceneNotes::place_of(const Vec3& in_part) const
{
    const Vec3 at = camera_.project(scene_.part_frame() * in_part, size_);
    return {at.x(), at.y()};
}

/// Round both solids, and the line between them with its length.
void SceneNotes::paint_meet()
{
    const QColor shade = colour_of(scene_.meet->state);
    for (const MachineScene::Part& part : scene_.parts()) {
        const bool holder =
            (scene_.meet->first == "holder" || scene_.meet->second == "holder") && part.id == "cutter"; // one body in the picture
        if (part.id != scene_.meet->first && part.id != scene_.meet->second && !holder) {
            continue;
        }
        paint_edges(part, QPen(shade, 1.6));
    }
    QPointF at(size_.width() / 2.0, 44);
    if (scene_.meet->points) {
        const Vec3 a = camera_.project(scene_.ride() * scene_.meet->points->first, size_);
        const Vec3 b = camera_.project(scene_.ride() * scene_.meet->points->second, size_);
        painter_.setPen(QPen(shade, 2.5));
        painter_.drawLine(QPointF(a.x(), a.y()), QPointF(b.x(), b.y()));
        painter_.setBrush(shade);
        painter_.drawEllipse(QPointF(a.x(), a.y()), 3, 3);
        painter_.drawEllipse(QPointF(b.x(), b.y()), 3, 3);
        at = {(a.x() + b.x()) / 2, (a.y() + b.y()) / 2};
    }
    painter_.setFont(text_font());
    const double wide = QFontMetrics(painter_.font()).horizontalAdvance(scene_.meet->text) + 34;
    QRectF card(scene_.meet->points ? at.x() + 14 : at.x() - wide / 2, at.y() - 13, wide, 26);
    card.moveLeft(std::clamp(card.left(), 8.0, std::max(8.0, size_.width() - wide - 8)));
    card.moveTop(std::clamp(card.top(), 8.0, std::max(8.0, size_.height() - 34.0)));
    paint_card(scene_.meet->state, scene_.meet->text, card);
}

/// What a colour of the path says.
QString SceneNotes::colour_name(std::size_t number) const
{
    if (number == 0) {
        return tr("rapid");
    }
    if (scene_.colouring() == PathColouring::state) {
        static const std::array<const char*, path_state_count> names{
            QT_TR_NOOP("rapid"),         QT_TR_NOOP("cut, fits travel"), QT_TR_NOOP("margin low"), QT_TR_NOOP("near singular"),
            QT_TR_NOOP("beyond travel"), QT_TR_NOOP("off the path"),     QT_TR_NOOP("too close"),  QT_TR_NOOP("contact")};
        return number < names.size() ? tr(names[number]) : QString();
    }
    if (scene_.colouring() == PathColouring::deviation) {
        return number > deviation_steps ? tr("over the budget") : tr("up to %1 % of the budget").arg(100 * number / deviation_steps);
    }
    QStringList out;
    const auto& operations = scene_.results()->posted->run.outline.operations;
    for (std::size_t i = number - 1; i < operations.size(); i += operation_colours) {
        out.push_back(QString::fromStdString(operations[i].id + " " + operations[i].name));
    }
    return out.size() > 1 ? out.first() + tr(" and %1 more").arg(out.size() - 1) : out.join(QString());
}

/// The path's colours with their words, at the lower right.
void SceneNotes::paint_legend()
{
    const std::vector<Rgb> colours = scene_.palette();
    std::vector<std::pair<Rgb, QString>> rows;
    for (std::size_t i = 0; i < colours.size(); ++i) {
        if (const QString name = scene_.has_colour(i) && scene_.has_job() ? colour_name(i) : QString(); !name.isEmpty()) {
            rows.emplace_back(colours[i], name);
        }
    }
    if (rows.empty()) {
        return;
    }
    constexpr int row = 18;
    painter_.setFont(text_font(0.9));
    int wide = 0;
    for (const auto& [rgb, name] : rows) {
        wide = std::max(wide, QFontMetrics(painter_.font()).horizontalAdvance(name));
    }
    const QRectF card(size_.width() - wide - 54, size_.height() - row * int(rows.size()) - 20, wide + 44, row * int(rows.size()) + 10);
    paint_paper(painter_, card);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const double y = card.top() + 5 + row * (double(i) + 0.5);
        painter_.setPen(QPen(colour(rows[i].first), 3));
        painter_.drawLine(QPointF(card.left() + 9, y), QPointF(card.left() + 27, y));
        painter_.setPen(colour(tokens().ink));
        painter_.drawText(QRectF(card.left() + 34, y - row / 2.0, wide + 4, row), Qt::AlignVCenter | Qt::AlignLeft, rows[i].second);
    }
    painter_.setFont(text_font());
}

void SceneNotes::paint(const QString& caption)
{
    painter_.setRenderHint(QPainter::Antialiasing);
    painter_.setFont(text_font());
    if (scene_.machine() == nullptr) {
        painter_.setPen(colour(tokens().soft));
        painter_.drawText(QRect(QPoint(), size_), Qt::AlignCenter, tr("Choose a job on the left: its machine and path appear here."));
        return;
    }
    if (scene_.has_job()) {
        paint_lines();
    }
    if (scene_.meet) {
        paint_meet();
    }
    painter_.setFont(text_font());
    if (!caption.isEmpty()) { // legible over whatever is behind it
        const QRectF band(8, 8, QFontMetrics(painter_.font()).horizontalAdvance(caption) + 14, 24);
        paint_paper(painter_, band);
        painter_.setPen(colour(tokens().ink));
        painter_.drawText(band, Qt::AlignCenter, caption);
    }
    paint_legend();
    if (scene_.machine()->bodies.empty()) {
        painter_.setPen(colour(tokens().soft));
        painter_.drawText(QRect(14, 30, size_.width() - 28, 20), Qt::AlignLeft | Qt::AlignVCenter,
                          tr("The machine's file has no bodies; the path is that of the tool tip."));
    }
    paint_axes();
    paint_beyond();
}

void SceneNotes::paint_lines()
{
    painter_.setPen(QPen(colour(tokens().accent), 1.2, Qt::DashLine));
    for (const std::vector<Vec3>& line : scene_.lines) {
        QPolygonF way;
        for (const Vec3& at : line) {
            way.push_back(place_of(at));
        }
        painter_.drawPolyline(way);
    }
}

/// The directions of the machine, in the corner.
void SceneNotes::paint_axes()
{
    const QPointF zero(46, size_.height() - 40);
    const Frame turn = scene_.ride();
    for (int i = 0; i < 3; ++i) {
        const Vec3 axis = turn.linear() * Vec3::Unit(i);
        const QPointF end = zero + QPointF(axis.dot(camera_.right()), -axis.dot(camera_.up())) * 26;
        painter_.setPen(QPen(colour(tokens().ink), 1.5));
        painter_.drawLine(zero, end);
        if ((end - zero).manhattanLength() > 6) {
            painter_.drawText(QRectF(end.x() + (end.x() - zero.x()) * 0.35 - 8, end.y() + (end.y() - zero.y()) * 0.35 - 8, 16, 16),
                              Qt::AlignCenter, QStringLiteral("XYZ").mid(i, 1));
        }
    }
}

/// What is beyond travel, and by how much.
void SceneNotes::paint_beyond()
{
    int line = 0;
    for (const Overtravel& over : scene_.beyond()) {
        const QString text = QString::fromStdString(text_of(*scene_.machine(), over));
        const double wide = QFontMetrics(painter_.font()).horizontalAdvance(text) + 34;
        paint_card(State::beyond, text, QRectF(size_.width() - 16 - wide, 12 + 30 * line++, wide, 26));
    }
}

/// A text with the sign of its state.
void SceneNotes::paint_card(State state, const QString& text, const QRectF& card)
{
    painter_.setPen(QPen(colour_of(state), 1));
    painter_.setBrush(colour(tokens().panel));
    painter_.drawRoundedRect(card, 5, 5);
    paint_state(painter_, state, QRectF(card.left() + 8, card.center().y() - 5.5, 11, 11));
    painter_.setPen(colour_of(state));
    painter_.drawText(card.adjusted(24, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
}

} // namespace wexilum::app
