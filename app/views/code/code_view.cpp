#include "app/views/code/code_view.hpp"

#include "app/models/findings_model.hpp"
#include "app/models/state_text.hpp"
#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "core/follow/code_reading.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTimer>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr std::uint32_t search_piece = 200000; // lines looked through before the window answers again

QPushButton* toggle(const QString& text, const QString& tip, bool checked)
{
    auto* button = new QPushButton(text);
    button->setCheckable(true);
    button->setChecked(checked);
    button->setToolTip(tip);
    button->setAccessibleName(text);
    return button;
}

/// A column's name with its unit.
QString text_of(const TableColumn& column, const Table& table)
{
    const bool inch = table.units.length > 2;
    const bool degrees = table.units.angle < 1;
    const char* const unit = column.is != TableColumn::Is::joint ? "" : column.angle ? (degrees ? " °" : " rad") : inch ? " in" : " mm";
    return QString::fromStdString(column.name) + QString::fromUtf8(unit);
}

LineStyle style_of(const Assembly& assembly)
{
    LineStyle out;
    out.comment_open = assembly.dialect.comment_open;
    out.comment_close = assembly.dialect.comment_close;
    if (const auto& table = assembly.controller.table) {
        out.comment_open = out.comment_close = '\0';
        out.separator = table->separator;
        out.remark = table->remark;
        for (const TableColumn& column : table->columns) {
            out.columns << (table->json ? QStringList() : QStringList{text_of(column, *table)});
        }
    }
    return out;
}

} // namespace

CodeView::CodeView(Workspace& workspace, Selection& selection, QWidget* parent)
    : QWidget(parent), workspace_(workspace), selection_(selection), area_(new CodeArea), outline_(new QTreeWidget),
      split_(new QSplitter(Qt::Horizontal))
{
    setObjectName(QStringLiteral("code-view"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    build_bar();
    outline_->setObjectName(QStringLiteral("outline"));
    outline_->setAccessibleName(tr("outline of operations and tools"));
    outline_->setHeaderHidden(true);
    outline_->setRootIsDecorated(true);
    outline_->setIndentation(14);
    area_->setObjectName(QStringLiteral("code"));
    area_->set_empty_text(tr("No code yet. Choose a job on the left; it is posted at once."));
    split_->addWidget(outline_);
    split_->addWidget(area_);
    split_->setStretchFactor(1, 1);
    split_->setSizes({170, 600});
    outline_->setVisible(false);
    column->addWidget(split_, 1);

    connect(area_, &CodeArea::chosen, this, &CodeView::chosen);
    connect(&selection, &Selection::line_changed, this, &CodeView::follow_selection);
    connect(&selection, &Selection::word_changed, this, &CodeView::follow_selection);
    connect(&workspace, &Workspace::code_changed, this, [this] {
        renew_lines();
        renew_outline();
    });
    connect(&workspace, &Workspace::job_changed, this, [this] {
        renew_lines();
        renew_outline();
    });
    connect(area_, &CodeArea::sight_changed, this, [this] {
        if (!showing_loaded()) {
            const auto [first, last] = area_->lines_in_sight();
            workspace_.runs().set_lines_in_sight(first, last);
        }
    });
    connect(&workspace.runs(), &JobRun::previewed, this, [this](std::uint32_t first, const std::shared_ptr<const LineTable>& lines) {
        if (!showing_loaded()) {
            area_->set_preview(first, lines);
        }
    });
    connect(&workspace.runs(), &JobRun::finished, this, [this] { area_->set_preview(0, nullptr); }); // a run that was ended leaves none
    connect(&workspace, &Workspace::replay_changed, this, &CodeView::renew_lane);
    connect(&workspace, &Workspace::job_changed, this, [this] { // what is read by itself is compared with nothing, and has a sum to show
        const bool reading = workspace_.reading().has_value();
        if (lane_button_->isVisibleTo(this) == reading) {
            lane_button_->setVisible(!reading);
            area_->set_lane_visible(!reading && lane_button_->isChecked());
            outline_button_->setChecked(reading);
            split_->setSizes({reading ? 230 : 170, 600});
        }
    });
    connect(&workspace, &Workspace::findings_changed, this, &CodeView::renew_marks);
    connect(&workspace.compared(), &ComparedCode::changed, this, [this] {
        const bool there = workspace_.compared().loaded().has_value();
        loaded_->setVisible(there);
        posted_->setVisible(there);
        loaded_->setText(there ? QFileInfo(workspace_.compared().loaded()->path).fileName() : tr("Loaded"));
        show_loaded(there && loaded_->isChecked());
        renew_marks();
    });
    connect(outline_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item != nullptr && outline_->hasFocus()) {
            show_loaded(false);
            selection_.select_line(item->data(0, Qt::UserRole).toUInt());
        }
    });
    connect(outline_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item) {
        show_loaded(false);
        selection_.select_line(item->data(0, Qt::UserRole).toUInt());
    });
}

void CodeView::build_bar()
{
    auto* bar = new QWidget;
    set_surface(*bar, "bar");
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(10, 5, 10, 5);
    row->setSpacing(8);
    posted_ = toggle(tr("Posted"), tr("The code that this job posts"), true);
    loaded_ = toggle(tr("Loaded"), tr("The code file that was loaded for comparison"), false);
    outline_button_ = toggle(tr("Outline"), tr("Operations and tools beside the code"), false);
    lane_button_ = toggle(tr("Deviation"), tr("How far each block is from the path: a full bar is the whole budget"), true);
    posted_->setVisible(false);
    loaded_->setVisible(false);
    position_ = new QLabel;
    position_->setProperty("role", "soft");
    message_ = new QLabel;
    message_->setProperty("role", "soft");
    message_->setObjectName(QStringLiteral("search-message"));
    go_to_ = new QLineEdit;
    go_to_->setObjectName(QStringLiteral("go-to"));
    go_to_->setPlaceholderText(tr("N2410, or a line"));
    go_to_->setAccessibleName(tr("go to block"));
    go_to_->setToolTip(tr("A block number with its letter, or a line; Ctrl+G"));
    go_to_->setFixedWidth(130);
    find_ = new QLineEdit;
    find_->setObjectName(QStringLiteral("find"));
    find_->setPlaceholderText(tr("word, text"));
    find_->setAccessibleName(tr("find in the code"));
    find_->setToolTip(tr("Enter finds the next, Shift+Enter the one before; Ctrl+F"));
    find_->setFixedWidth(150);
    auto* go_label = new QLabel(tr("Go to"));
    auto* find_label = new QLabel(tr("Find"));
    for (QLabel* label : {go_label, find_label}) {
        label->setProperty("role", "soft");
    }
    for (QWidget* widget : std::initializer_list<QWidget*>{posted_, loaded_, outline_button_, lane_button_}) {
        row->addWidget(widget);
    }
    row->addSpacing(6);
    row->addWidget(position_);
    row->addStretch(1);
    for (QWidget* widget : std::initializer_list<QWidget*>{message_, go_label, go_to_, find_label, find_}) {
        row->addWidget(widget);
    }
    layout()->addWidget(bar);
    connect(posted_, &QPushButton::clicked, this, [this] { show_loaded(false); });
    connect(loaded_, &QPushButton::clicked, this, [this] { show_loaded(true); });
    connect(outline_button_, &QPushButton::toggled, outline_, &QWidget::setVisible);
    connect(lane_button_, &QPushButton::toggled, area_, &CodeArea::set_lane_visible);
    connect(find_, &QLineEdit::returnPressed, this, [this] { find_next(false); });
    auto* before = new QAction(this);
    before->setShortcut(Qt::SHIFT | Qt::Key_Return);
    before->setShortcutContext(Qt::WidgetShortcut);
    find_->addAction(before);
    connect(before, &QAction::triggered, this, [this] { find_next(true); });
    connect(find_, &QLineEdit::textChanged, this, [this] {
        search_.on = false;
        message_->clear();
    });
    connect(go_to_, &QLineEdit::returnPressed, this, &CodeView::go_to);
}

void CodeView::focus_search()
{
    find_->setFocus();
    find_->selectAll();
}

void CodeView::focus_go_to()
{
    go_to_->setFocus();
    go_to_->selectAll();
}

void CodeView::show_loaded(bool on)
{
    on = on && workspace_.compared().loaded();
    posted_->setChecked(!on);
    loaded_->setChecked(on);
    renew_lines();
}

void CodeView::renew_lines()
{
    const auto& results = workspace_.results();
    const LineStyle style = results ? style_of(results->assembly()) : LineStyle();
    if (showing_loaded()) {
        area_->set_lines(workspace_.compared().loaded()->lines, style);
    } else {
        // Shares the ownership of the whole.
        area_->set_lines(results ? std::shared_ptr<const LineTable>(results->posted, &results->posted->code.lines()) : nullptr, style);
    }
    renew_lane();
    follow_selection();
}

void CodeView::renew_lane()
{
    const auto& results = workspace_.results();
    const auto replayed = showing_loaded() ? workspace_.compared().loaded()->replayed : results ? results->replayed : nullptr;
    if (replayed) {
        area_->set_deviation([replayed](std::uint32_t line) { return replayed->track.measure(line + 1); });
    } else {
        area_->set_deviation(nullptr);
    }
    show_position();
}

void CodeView::renew_marks()
{
    std::map<std::uint32_t, int> marks;
    const auto add = [&](const Finding& finding) {
        for (const std::uint32_t line : {finding.worst_code.line, finding.code.line}) {
            if (line != 0) {
                marks.try_emplace(line - 1, int(state_of(finding)));
            }
        }
    };
    if (showing_loaded()) {
        if (workspace_.compared().loaded()->replayed) {
            for (const Finding& finding : workspace_.compared().loaded()->replayed->report.findings.list()) {
                add(finding);
            }
        }
    } else {
        for (const FoundAt& found : workspace_.findings()) {
            if (found.in_posted_code()) {
                add(found.finding);
            }
        }
    }
    area_->set_marks(std::move(marks));
}

void CodeView::renew_outline()
{
    outline_->clear();
    const auto& results = workspace_.results();
    if (!results) {
        return;
    }
    const PostedJob& job = *results->posted;
    if (results->reading) {
        outline_reading(*results);
        return;
    }
    const auto line_of = [&](std::size_t record) { return job.code.line_of(static_cast<std::uint32_t>(record)); };
    const auto tool_kind = RecordData(record::ToolChange{}).index();
    for (const OperationOutline& operation : job.run.outline.operations) {
        auto* top = new QTreeWidgetItem(outline_, {QString::fromStdString(operation.id + "  " + operation.name)});
        top->setData(0, Qt::UserRole, line_of(operation.first_record));
        top->setToolTip(0, tr("%1 records").arg(operation.records));
        std::size_t tool = 0;
        for (std::size_t i = operation.first_record; i < operation.first_record + operation.records && i < job.records.size(); ++i) {
            if (job.records.kinds[i] != tool_kind || tool >= operation.tools.size()) {
                continue;
            }
            const Tool* found = job.assembly.setup.find_tool(operation.tools[tool]);
            auto* item =
                new QTreeWidgetItem(top, {QStringLiteral("T%1  %2")
                                              .arg(operation.tools[tool])
                                              .arg(found != nullptr ? QString::fromStdString(found->name) : tr("not in the table"))});
            item->setData(0, Qt::UserRole, line_of(i));
            ++tool;
        }
    }
    outline_->expandAll();
}

/// Of a program that is read by itself: what the whole does, and each tool.
void CodeView::outline_reading(const JobResults& results)
{
    const auto add = [&](const QString& name, std::uint32_t block, const QStringList& texts) {
        auto* top = new QTreeWidgetItem(outline_, {name});
        top->setData(0, Qt::UserRole, block - std::min(block, 1U));
        for (const QString& text : texts) {
            auto* item = new QTreeWidgetItem(top, {text});
            item->setData(0, Qt::UserRole, block - std::min(block, 1U));
            item->setToolTip(0, text);
        }
    };
    add(tr("The whole program"), 1, program_texts(*results.reading, results.assembly().machine));
    for (std::size_t i = 0; i < results.reading->tools.size(); ++i) {
        const ToolStretch& stretch = results.reading->tools[i];
        const Tool* tool = results.assembly().setup.find_tool(stretch.tool);
        const QString name = stretch.tool == 0
                                 ? tr("No tool")
                                 : tr("Tool %1 %2").arg(stretch.tool).arg(tool != nullptr ? QString::fromStdString(tool->name) : QString());
        add(name, stretch.first_block.value, tool_texts(stretch));
    }
    outline_->expandAll();
}

void CodeView::follow_selection()
{
    if (!showing_loaded() && selection_.line() != Selection::none &&
        (area_->line() != selection_.line() || area_->word() != selection_.word())) {
        area_->show_line(selection_.line(), selection_.word());
    }
    show_position();
}

void CodeView::show_position()
{
    const auto& lines = area_->lines();
    if (!lines || lines->size() == 0) {
        position_->clear();
        return;
    }
    const QString line = area_->line() == Selection::none ? QStringLiteral("–") : grouped(area_->line() + 1);
    position_->setText(tr("line %1 of %2").arg(line, grouped(lines->size())));
}

void CodeView::chosen(std::uint32_t line, int word)
{
    if (!showing_loaded()) {
        selection_.select_line(line, word);
    }
    show_position();
}

void CodeView::go_to()
{
    const auto& lines = area_->lines();
    const QString text = go_to_->text().trimmed();
    if (!lines || text.isEmpty()) {
        return;
    }
    std::optional<std::uint32_t> found;
    bool is_number = false;
    const uint number = text.toUInt(&is_number);
    if (is_number) {
        found = number >= 1 && number <= lines->size() ? std::optional(number - 1) : std::nullopt;
    } else {
        const std::string wanted = text.toUpper().toStdString();
        for (std::uint32_t i = 0; i < lines->size() && !found; ++i) {
            const std::string_view line = lines->line(i);
            if (line.starts_with(wanted) && (line.size() == wanted.size() || line[wanted.size()] < '0' || line[wanted.size()] > '9')) {
                found = i;
            }
        }
    }
    go_to_->setProperty("wrong", !found);
    message_->setText(found ? QString() : tr("no such block"));
    if (found) {
        area_->show_line(*found, -1);
        chosen(*found, -1);
        area_->setFocus();
    }
}

void CodeView::find_next(bool backwards)
{
    const auto& lines = area_->lines();
    if (!lines || lines->size() == 0 || find_->text().isEmpty()) {
        return;
    }
    const std::uint32_t from = area_->line() == Selection::none ? lines->size() - 1 : area_->line();
    search_ = {true, backwards, from, lines->size(), find_->text().toStdString()};
    message_->setText(tr("looking …"));
    search_on();
}

/// Looks through the next piece of the code; the search goes once round.
void CodeView::search_on()
{
    const auto& lines = area_->lines();
    if (!search_.on || !lines || lines->size() == 0) {
        return;
    }
    const std::uint32_t count = lines->size();
    std::uint32_t piece = std::min(search_piece, search_.left);
    for (; piece > 0; --piece, --search_.left) {
        search_.at = search_.backwards ? (search_.at == 0 ? count - 1 : search_.at - 1) : (search_.at + 1 == count ? 0 : search_.at + 1);
        if (!lines->holds(search_.at, search_.wanted)) {
            continue;
        }
        search_.on = false;
        message_->clear();
        const std::string_view line = lines->line(search_.at);
        const auto words = words_of(line, '\0', '\0');
        int word = -1;
        for (std::size_t i = 0; i < words.size() && word < 0; ++i) {
            const QString text = QString::fromUtf8(line.data() + words[i].begin, words[i].length);
            word = text.contains(find_->text(), Qt::CaseInsensitive) ? int(i) : -1;
        }
        area_->show_line(search_.at, word);
        chosen(search_.at, word);
        return;
    }
    if (search_.left == 0) {
        search_.on = false;
        message_->setText(tr("not found"));
        return;
    }
    QTimer::singleShot(0, this, &CodeView::search_on);
}

} // namespace wexilum::app
