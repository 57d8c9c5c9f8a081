#include "app/views/replay/time_pane.hpp"

#include "app/models/job_results.hpp"
#include "app/models/state_text.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/project/job_run.hpp"

#include <QEvent>
#include <QHeaderView>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include <array>

namespace wexilum::app {
namespace {

constexpr int first_part = 2; // column of the first group
constexpr int line_role = Qt::UserRole;
constexpr int parts_role = Qt::UserRole + 1;

/// What is told apart in columns and bars.
struct Part {
    const char* name;
    std::vector<TimeCause> causes;
};

const std::array<Part, 4>& parts()
{
    static const std::array<Part, 4> all{{
        {QT_TRANSLATE_NOOP("QObject", "At feed"), {TimeCause::feed}},
        {QT_TRANSLATE_NOOP("QObject", "Held back"),
         {TimeCause::joint_speed, TimeCause::ramps, TimeCause::look_ahead, TimeCause::block_time}},
        {QT_TRANSLATE_NOOP("QObject", "Rapid"), {TimeCause::rapid}},
        {QT_TRANSLATE_NOOP("QObject", "Standing"), {TimeCause::tool_change, TimeCause::spindle, TimeCause::brakes, TimeCause::dwell}},
    }};
    return all;
}

QColor colour_of_part(std::size_t part)
{
    const Tokens& t = tokens();
    switch (part) {
    case 0: return colour(t.fill);
    case 1: return colour_of(State::beyond);
    case 2: {
        QColor light = colour(t.fill);
        light.setAlpha(96);
        return light;
    }
    default: return colour(t.faint);
    }
}

QString name_of(TimeCause cause)
{
    static constexpr std::array<const char*, time_causes> names{QT_TRANSLATE_NOOP("QObject", "cuts at feed"),
                                                                QT_TRANSLATE_NOOP("QObject", "joints that go no faster"),
                                                                QT_TRANSLATE_NOOP("QObject", "ramps and corners"),
                                                                QT_TRANSLATE_NOOP("QObject", "look-ahead"),
                                                                QT_TRANSLATE_NOOP("QObject", "block time"),
                                                                QT_TRANSLATE_NOOP("QObject", "rapids"),
                                                                QT_TRANSLATE_NOOP("QObject", "tool changes"),
                                                                QT_TRANSLATE_NOOP("QObject", "spindle"),
                                                                QT_TRANSLATE_NOOP("QObject", "brakes"),
                                                                QT_TRANSLATE_NOOP("QObject", "dwells")};
    return QObject::tr(names[std::size_t(cause)]);
}

double seconds_of(const SpentTime& time, const Part& part)
{
    double out = 0;
    for (const TimeCause cause : part.causes) {
        out += time[cause];
    }
    return out;
}

QStringList causes_of(const SpentTime& time, const Part& part)
{
    QStringList out;
    for (const TimeCause cause : part.causes) {
        if (time[cause] >= 0.05) {
            out.push_back(QStringLiteral("%1 %2").arg(name_of(cause), duration_text(time[cause])));
        }
    }
    return out;
}

/// The parts of a row beside each other, as long as their times.
class BarDelegate final : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        QStyledItemDelegate::paint(painter, option, index);
        const QVariantList shares = index.data(parts_role).toList();
        double x = option.rect.left() + 6;
        const double width = option.rect.width() - 12;
        for (int i = 0; i < shares.size(); ++i) {
            const double part = width * shares[i].toDouble();
            painter->fillRect(QRectF(x, option.rect.center().y() - 5, part, 10), colour_of_part(std::size_t(i)));
            x += part;
        }
    }
};

/// A square in a part's colour before its name.
QIcon key_of_part(std::size_t part)
{
    QPixmap square(10, 10);
    square.fill(Qt::transparent);
    QPainter(&square).fillRect(square.rect(), colour_of_part(part));
    return QIcon(square);
}

} // namespace

TimePane::TimePane(QWidget* parent) : QWidget(parent), total_(new QLabel), details_(new QLabel), table_(new QTableWidget(0, 7))
{
    setObjectName(QStringLiteral("time-pane"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 10, 16, 10);
    column->setSpacing(8);
    total_->setFont(text_font(1.1, true));
    total_->setObjectName(QStringLiteral("time-total"));
    details_->setProperty("role", "soft");
    details_->setWordWrap(true);
    details_->setObjectName(QStringLiteral("time-details"));
    column->addWidget(total_);
    column->addWidget(details_);
    dress_list(*table_, 24);
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    table_->setObjectName(QStringLiteral("time-table"));
    table_->setAccessibleName(tr("time by operation and tool"));
    table_->setItemDelegateForColumn(6, new BarDelegate(table_));
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table_->horizontalHeader()->setSectionResizeMode(6, QHeaderView::Stretch);
    const std::array<int, 6> widths{168, 88, 88, 102, 80, 94};
    for (int i = 0; i < int(widths.size()); ++i) {
        table_->setColumnWidth(i, widths[std::size_t(i)]);
    }
    column->addWidget(table_, 1);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int row) {
        const QTableWidgetItem* item = row < 0 ? nullptr : table_->item(row, 0);
        const uint line = item != nullptr ? item->data(line_role).toUInt() : 0;
        if (line != 0 && table_->hasFocus()) {
            Q_EMIT line_wanted(line - 1);
        }
    });
    show_time(nullptr, nullptr);
}

void TimePane::add_head(const QString& name)
{
    const int row = table_->rowCount();
    table_->insertRow(row);
    auto* item = new QTableWidgetItem(name);
    item->setFont(text_font(1, true));
    item->setFlags(Qt::NoItemFlags);
    item->setForeground(colour(tokens().soft));
    table_->setItem(row, 0, item);
    table_->setSpan(row, 0, 1, 7);
}

void TimePane::add_row(const QString& name, const SpentTime& time, double longest, std::uint32_t line)
{
    const int row = table_->rowCount();
    table_->insertRow(row);
    QVariantList shares;
    QStringList said;
    const auto put = [&](int column, const QString& text) {
        auto* item = new QTableWidgetItem(text);
        item->setData(line_role, line);
        item->setToolTip(column == 0 ? name : QString());
        table_->setItem(row, column, item);
        return item;
    };
    put(0, name);
    put(1, duration_text(time.seconds()));
    for (std::size_t i = 0; i < parts().size(); ++i) {
        const double seconds = seconds_of(time, parts()[i]);
        const QString causes = causes_of(time, parts()[i]).join(QStringLiteral(", "));
        put(first_part + int(i), seconds >= 0.05 ? duration_text(seconds) : QStringLiteral("—"))->setToolTip(causes);
        shares.push_back(longest > 0 ? seconds / longest : 0);
        said.push_back(causes);
    }
    said.removeAll(QString());
    QTableWidgetItem* bar = put(6, {});
    bar->setData(parts_role, shares);
    bar->setToolTip(said.join(QLatin1Char('\n')));
}

void TimePane::show_time(const JobResults* results, const ReplayedCode* replayed)
{
    table_->clearSpans();
    table_->setRowCount(0);
    QStringList heads{tr("Where"), tr("Time")};
    for (const Part& part : parts()) {
        heads.push_back(QObject::tr(part.name));
    }
    heads.push_back(QString());
    table_->setHorizontalHeaderLabels(heads);
    for (std::size_t i = 0; i < parts().size(); ++i) {
        table_->horizontalHeaderItem(first_part + int(i))->setIcon(key_of_part(i));
    }
    if (results == nullptr || replayed == nullptr) {
        total_->setText(tr("The program's time comes with the replay."));
        details_->clear();
        return;
    }
    const ProgramTime& time = replayed->time;
    total_->setText(tr("%1 on %2").arg(duration_text(time.all.seconds()), QString::fromStdString(results->assembly().machine.name)));
    QStringList details;
    if (time.rows) {
        details.push_back(tr("Every motion counts as long as its row says."));
    } else if (!time.ramps) {
        details.push_back(tr("The controller states no ramps: every motion counts as long as its feed says."));
    }
    for (const std::size_t part : {1U, 3U}) {
        const QStringList causes = causes_of(time.all, parts()[part]);
        if (!causes.isEmpty()) {
            details.push_back(tr("%1: %2.").arg(QObject::tr(parts()[part].name), causes.join(QStringLiteral(", "))));
        }
    }
    details_->setText(details.join(QLatin1Char(' ')));
    const RunSummary& run = results->posted->run;
    double longest = 0;
    for (const SpentTime& operation : time.operations) {
        longest = std::max(longest, operation.seconds());
    }
    for (const ProgramTime::OfTool& tool : time.tools) {
        longest = std::max(longest, tool.time.seconds());
    }
    const std::size_t operations = std::min(time.operations.size(), run.outline.operations.size());
    if (operations > 0) {
        add_head(tr("Operations"));
    }
    for (std::size_t i = 0; i < operations; ++i) {
        const OperationOutline& operation = run.outline.operations[i];
        add_row(QString::fromStdString(operation.id + "  " + operation.name), time.operations[i], longest, run.operation_lines[i]);
    }
    add_head(tr("Tools, from change to change"));
    for (const ProgramTime::OfTool& tool : time.tools) {
        if (tool.time.seconds() > 0) {
            const Tool* known = results->assembly().setup.find_tool(tool.tool);
            const QString name = known != nullptr ? QString::fromStdString(known->name) : QString();
            add_row(name.isEmpty() ? tr("tool %1").arg(tool.tool) : tr("%1  %2").arg(tool.tool).arg(name), tool.time, longest,
                    std::max(1U, tool.first_block.value));
        }
    }
}

void TimePane::changeEvent(QEvent* event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange && table_ != nullptr) {
        for (std::size_t i = 0; i < parts().size() && table_->horizontalHeaderItem(first_part) != nullptr; ++i) {
            table_->horizontalHeaderItem(first_part + int(i))->setIcon(key_of_part(i));
        }
        table_->viewport()->update();
    }
}

} // namespace wexilum::app
