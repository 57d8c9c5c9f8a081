#include "app/views/code/trace_pane.hpp"

#include "app/models/state_text.hpp"
#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "core/base/units.hpp"
#include "core/dialect/dialect.hpp"
#include "core/dialect/emit_probe.hpp"
#include "core/follow/replay_track.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"
#include "core/solve/inverse.hpp"

#include <QPainter>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <cmath>

namespace wexilum::app {
namespace {

constexpr int ask_after_ms = 60; // arrow keys held down ask once they rest

QString escaped(const std::string& text) { return QString::fromStdString(text).toHtmlEscaped(); }

/// A place to break in long words, so that no text is wider than its column. What stands in tags stays as it is.
QString breakable(const QString& html)
{
    constexpr int longest = 18; // characters
    QString out;
    int run = 0;
    bool in_tag = false;
    bool in_entity = false;
    for (const QChar c : html) {
        out += c;
        in_tag = c == QLatin1Char('<') || (in_tag && c != QLatin1Char('>'));
        in_entity = c == QLatin1Char('&') || (in_entity && c != QLatin1Char(';'));
        if (in_tag || in_entity) {
            continue;
        }
        run = c.isSpace() ? 0 : run + 1;
        const bool joint = c == QLatin1Char('/') || c == QLatin1Char(',') || c == QLatin1Char('_') || c == QLatin1Char('-');
        if (run >= longest || (joint && run > longest / 2)) {
            out += QChar(0x200B);
            run = 0;
        }
    }
    return out;
}

QString block_link(std::uint32_t block)
{
    return QStringLiteral("<a style=\"color:%1;text-decoration:none\" href=\"line:%2\">line %2</a>")
        .arg(colour(tokens().accent).name())
        .arg(block);
}

/// A word's value for people: degrees, mm, mm/min.
QString value_text(const WordTrace& word, double value, int more_decimals)
{
    switch (word.quantity) {
    case Quantity::length: return QStringLiteral("%1 mm").arg(value, 0, 'f', 3 + more_decimals);
    case Quantity::angle: return QStringLiteral("%1°").arg(to_deg(value), 0, 'f', 4 + more_decimals);
    case Quantity::feed: return QStringLiteral("%1 mm/min").arg(value * 60, 0, 'f', 1);
    case Quantity::inverse_time: return QObject::tr("%1 moves a minute").arg(value * 60, 0, 'f', 3);
    case Quantity::revolution_feed: return QObject::tr("%1 mm a revolution").arg(value, 0, 'f', 4);
    case Quantity::speed: return QObject::tr("%1 rev/min").arg(value, 0, 'f', 0);
    case Quantity::time: return QStringLiteral("%1 s").arg(value, 0, 'f', 3);
    case Quantity::whole: return QString::number(value, 'f', 0);
    case Quantity::direction: return QString::number(value, 'f', 6); // degrees or plain, as the plane is declared
    }
    return {};
}

/// What lies behind each card.
class Thread final : public QWidget {
public:
    using QWidget::QWidget;

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        QList<int> stops;
        for (const QObject* child : children()) {
            const auto* card = qobject_cast<const TraceCard*>(child);
            if (card != nullptr && card->isVisibleTo(this)) {
                stops.push_back(card->y() + 17);
            }
        }
        if (stops.isEmpty()) {
            return;
        }
        painter.setPen(QPen(colour(tokens().line), 1.5));
        painter.drawLine(QPointF(9, stops.first()), QPointF(9, stops.last()));
        painter.setPen(QPen(colour(tokens().paper), 2));
        painter.setBrush(colour(tokens().fill));
        for (const int y : stops) {
            painter.drawEllipse(QPointF(9, y), 5, 5);
        }
    }
};

} // namespace

TraceCard::TraceCard(const QString& name, QWidget* parent) : QFrame(parent), caption_(new QLabel), code_(new QLabel), text_(new QLabel)
{
    set_surface(*this, "card");
    setObjectName(name);
    setAccessibleName(name);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(11, 8, 11, 9);
    column->setSpacing(4);
    caption_->setProperty("role", "caption");
    code_->setFont(code_font());
    for (QLabel* label : {caption_, code_, text_}) {
        label->setWordWrap(true);
        label->setTextFormat(Qt::RichText);
        label->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard | Qt::TextSelectableByMouse);
        label->setFocusPolicy(Qt::ClickFocus);
        column->addWidget(label);
        connect(label, &QLabel::linkActivated, this, &TraceCard::link);
    }
}

void TraceCard::set_caption(const QString& text)
{
    caption_->setText(breakable(text));
    setAccessibleDescription(said());
}
void TraceCard::set_code(const QString& html)
{
    code_->setText(breakable(html));
    code_->setVisible(!html.isEmpty());
    setAccessibleDescription(said());
}
void TraceCard::set_text(const QString& html)
{
    text_->setText(breakable(html));
    text_->setVisible(!html.isEmpty());
    setAccessibleDescription(said());
}
void TraceCard::add(QWidget* widget) { static_cast<QVBoxLayout*>(layout())->insertWidget(2, widget); }

QString TraceCard::said() const
{
    static const QRegularExpression tags(QStringLiteral("<[^>]*>"));
    QString out = caption_->text() + QLatin1Char('\n') + code_->text() + QLatin1Char('\n') + text_->text();
    out.replace(QStringLiteral("<br>"), QStringLiteral("\n")).remove(tags).remove(QChar(0x200B));
    return out.replace(QStringLiteral("&lt;"), QStringLiteral("<"))
        .replace(QStringLiteral("&gt;"), QStringLiteral(">"))
        .replace(QStringLiteral("&amp;"), QStringLiteral("&"));
}

TracePane::TracePane(Workspace& workspace, Selection& selection, QWidget* parent)
    : QScrollArea(parent), workspace_(workspace), selection_(selection), record_(new TraceCard(QStringLiteral("trace-record"))),
      axes_card_(new TraceCard(QStringLiteral("trace-axes"))), rule_(new TraceCard(QStringLiteral("trace-rule"))),
      word_(new TraceCard(QStringLiteral("trace-word"))), held_(new TraceCard(QStringLiteral("trace-held"))), axes_(new AxisBars)
{
    setObjectName(QStringLiteral("trace"));
    setAccessibleName(tr("trace of the block"));
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setMinimumWidth(290);
    set_surface(*this, "aside");
    auto* thread = new Thread;
    set_surface(*thread, "paper");
    auto* column = new QVBoxLayout(thread);
    column->setContentsMargins(24, 10, 10, 10);
    column->setSpacing(10);
    for (TraceCard* card : {record_, axes_card_, rule_, word_, held_}) {
        column->addWidget(card);
        connect(card, &TraceCard::link, this, &TracePane::follow);
    }
    column->addStretch(1);
    axes_card_->add(axes_);
    setWidget(thread);
    later_.setSingleShot(true);
    later_.setInterval(ask_after_ms);
    connect(&later_, &QTimer::timeout, this, &TracePane::ask);
    connect(&selection, &Selection::line_changed, this, &TracePane::renew);
    connect(&selection, &Selection::word_changed, this, &TracePane::show_word);
    connect(&workspace, &Workspace::replay_changed, this, &TracePane::show_axes);
    connect(&workspace.questions(), &Questions::traced, this, &TracePane::take);
    connect(&workspace.questions(), &Questions::state_answered, this, &TracePane::take_state);
    renew();
}

void TracePane::renew()
{
    trace_.reset();
    show_record();
    show_axes();
    rule_->setVisible(false);
    held_->setVisible(false);
    show_word();
    if (selection_.line() != Selection::none) {
        later_.start();
    }
}

void TracePane::ask() { workspace_.questions().ask(workspace_.results(), workspace_.project().folder(), selection_.line() + 1); }

void TracePane::show_record()
{
    const auto& results = workspace_.results();
    if (!results || selection_.line() == Selection::none) {
        record_->set_caption(tr("Nothing chosen"));
        record_->set_code({});
        record_->set_text(tr("Click a block or a word of the code to see what is behind it."));
        return;
    }
    if (results->reading) {
        record_->set_caption(tr("Line %1").arg(grouped(selection_.line() + 1)));
        record_->set_code(escaped(std::string(results->posted->code.lines().line(selection_.line()))));
        record_->set_text(motion_text(*results, selection_.motion(), selection_.line() + 1));
        return;
    }
    if (selection_.record() == Selection::none) {
        record_->set_caption(tr("No record"));
        record_->set_code({});
        record_->set_text(tr("This line belongs to the program itself: its head or its end."));
        return;
    }
    const Source source = results->posted->records.sources[selection_.record()];
    const QString file = QString::fromStdString(results->posted->toolpaths[source.file]).section(QLatin1Char('/'), -1);
    record_->set_caption(source.line.value == 0
                             ? tr("Record %1 · start of %2").arg(grouped(selection_.record() + 1), file)
                             : tr("Record %1 · %2, line %3").arg(grouped(selection_.record() + 1), file, grouped(source.line.value)));
    record_->set_code(record_text(*results, selection_.record(), 6).toHtmlEscaped().replace(QLatin1Char('\n'), QStringLiteral("<br>")));
    const Setup& setup = results->assembly().setup;
    QString work;
    if (setup.works.size() > 1) {
        const std::uint32_t at = results->assembly().posture_of(selection_.operation()).work;
        work = tr("At the %1, whose zero is register %2.")
                   .arg(QString::fromStdString(setup.works[at].id), QString::fromStdString(results->assembly().register_of(at)));
    }
    record_->set_text(work);
}

void TracePane::show_axes()
{
    const auto& results = workspace_.results();
    const auto motion = selection_.motion();
    axes_card_->setVisible(motion.has_value());
    if (!motion) {
        return;
    }
    const Machine& machine = results->assembly().machine;
    const ReplayTrack& track = results->replayed->track;
    const Readings readings = track.readings(*motion);
    std::vector<AxisBars::Row> rows;
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        const Joint& joint = machine.joints[i];
        AxisShow show{readings[Eigen::Index(i)], joint.travel, Travel{track.lowest(i), track.highest(i)}};
        const auto left = show.margin();
        QString margin = tr("no end");
        if (left) {
            margin = *left < -1e-6 ? tr("beyond %1").arg(reading_text(joint, -*left)) : tr("%1 left").arg(reading_text(joint, *left));
        }
        rows.push_back({QString::fromStdString(joint.id), show, reading_text(joint, show.reading), margin});
    }
    axes_->set_rows(std::move(rows));
    axes_card_->set_caption(tr("Axes when the block has ended"));
    QString choice;
    if (trace_ && !trace_->choice.empty()) {
        std::size_t taken = 0;
        for (std::size_t i = 0; i < trace_->postures.size(); ++i) {
            taken = trace_->postures[i].taken ? i : taken;
        }
        choice = trace_->postures.size() > 1 ? tr("Branch %1 of %2: ").arg(taken + 1).arg(trace_->postures.size()) : QString();
        choice += escaped(trace_->choice) + QLatin1Char('.');
        for (std::size_t i = 0; i < trace_->postures.size() && trace_->postures.size() > 1; ++i) {
            if (i != taken) {
                QStringList other;
                for (const JointIndex joint : results->assembly().solver->rotary()) {
                    const Joint& j = machine.joints[joint.value];
                    other.push_back(QString::fromStdString(j.id) + QStringLiteral("&nbsp;") +
                                    reading_text(j, trace_->postures[i].readings[Eigen::Index(joint.value)]));
                }
                choice += tr("<br>The other: %1.").arg(code_html(other.join(QStringLiteral("  "))));
            }
        }
    }
    axes_card_->set_code({});
    axes_card_->set_text(choice);
}

void TracePane::take(const std::shared_ptr<const BlockTrace>& trace)
{
    if (trace->block != selection_.line() + 1) {
        return;
    }
    trace_ = trace;
    rule_->setVisible(true);
    rule_->set_caption(tr("Event: %1").arg(escaped(trace->event)));
    rule_->set_code({});
    const bool native = trace->rule.starts_with("native");
    const bool called = trace->rule.find(", called by ") != std::string::npos;
    rule_->set_text(native && !called ? tr("Taken by the native rule; no rule of the post replaces it.")
                                      : tr("Made by the %1.").arg(escaped(trace->rule)));
    show_axes();
    show_word();
    const QString held = held_text();
    held_->setVisible(!held.isEmpty());
    held_->set_caption(tr("Not written here"));
    held_->set_code({});
    held_->set_text(held);
    widget()->update();
}

/// Of a program that is read by itself: what holds once the block has been done.
void TracePane::take_state(std::uint32_t block, const std::shared_ptr<const ControlState>& state)
{
    if (block != selection_.line() + 1) {
        return;
    }
    rule_->setVisible(true);
    rule_->set_caption(tr("In force after the block"));
    rule_->set_code({});
    rule_->set_text(state ? words_in_force(*state) : tr("The program does not come to this block."));
    held_->setVisible(state != nullptr);
    if (state) {
        held_->set_caption(tr("Tool and coordinates"));
        held_->set_code({});
        held_->set_text(tool_and_coordinates(*state, workspace_.results()->assembly().machine));
    }
    widget()->update();
}

QString TracePane::held_text() const
{
    QStringList out;
    for (const WordTrace& word : trace_->held) {
        const bool axis_word = word.role == Role::axes && !trace_->pose;
        if (!axis_word) {
            out.push_back(tr("%1 holds since %2").arg(code_html(escaped(word.text)), block_link(word.since)));
        }
    }
    return out.join(QStringLiteral("<br>"));
}

/// The chosen word: by the line's words in order, without the number of the block.
void TracePane::show_word()
{
    const auto& results = workspace_.results();
    word_->setVisible(results && selection_.line() != Selection::none && selection_.word() >= 0 && trace_);
    if (!word_->isVisibleTo(widget())) {
        return;
    }
    const Dialect& dialect = results->assembly().dialect;
    const std::string_view line = results->posted->code.lines().line(selection_.line());
    const auto words = words_of(line, dialect.comment_open, dialect.comment_close);
    if (std::size_t(selection_.word()) >= words.size()) {
        word_->setVisible(false);
        return;
    }
    const WordSpan span = words[std::size_t(selection_.word())];
    const std::string text(line.substr(std::size_t(span.begin), std::size_t(span.length)));
    word_->set_caption(tr("Word %1").arg(code_html(escaped(text))));
    word_->set_code({});
    for (const WordTrace& word : trace_->written) {
        if (word.text != text) {
            continue;
        }
        QStringList facts;
        if (word.exact) {
            facts.push_back(tr("before formatting %1").arg(code_html(value_text(word, *word.exact, 4))));
        }
        if (word.is_number) {
            facts.push_back(tr("written %1, to %2").arg(code_html(value_text(word, word.value, 0)), value_text(word, word.increment, 0)));
        }
        if (word.exact) {
            const double off = std::abs(*word.exact - word.value);
            facts.push_back(tr("rounded by %1").arg(code_html(value_text(word, off, 4))));
        }
        if (!word.modal) {
            facts.push_back(tr("written each time: the dialect does not hold it as modal"));
        } else if (!word.was) {
            facts.push_back(tr("modal; nothing was known to hold before"));
        } else if (*word.was != word.text) {
            facts.push_back(tr("modal; differs from %1 of %2").arg(code_html(escaped(*word.was)), block_link(word.was_since)));
        }
        word_->set_text(facts.join(QStringLiteral("<br>")));
        return;
    }
    const bool number = text[0] == dialect.sequence_letter && span.begin == 0;
    word_->set_text(number            ? tr("the number of the block, in steps of %1").arg(dialect.sequence_step)
                    : trace_->is_text ? tr("part of a line that is written as the %1 has it").arg(escaped(trace_->rule))
                                      : tr("nothing more is known of it"));
}

void TracePane::follow(const QString& target)
{
    if (target.startsWith(QStringLiteral("line:"))) {
        selection_.select_line(target.mid(5).toUInt() - 1);
    }
}

} // namespace wexilum::app
