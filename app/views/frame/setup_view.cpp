#include "app/views/frame/setup_view.hpp"

#include "app/models/quantity.hpp"
#include "app/theme/theme.hpp"

#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include <algorithm>

namespace wexilum::app {
namespace {

QLabel* caption(const QString& text)
{
    auto* label = new QLabel(text);
    label->setProperty("role", "caption");
    return label;
}

void dress(QTableView& table)
{
    table.setFont(code_font());
    table.horizontalHeader()->setFont(text_font());
    table.verticalHeader()->setFont(text_font());
    table.verticalHeader()->setDefaultSectionSize(26);
    table.verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table.setAlternatingRowColors(true);
    table.setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed | QAbstractItemView::AnyKeyPressed);
    table.setTabKeyNavigation(true);
    table.setSelectionMode(QAbstractItemView::SingleSelection);
}

/// A length that is missing has the colour of errors.
class ToolDelegate final : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;

protected:
    void initStyleOption(QStyleOptionViewItem* option, const QModelIndex& index) const override
    {
        QStyledItemDelegate::initStyleOption(option, index);
        if (index.data(Qt::UserRole).toBool()) {
            option->palette.setColor(QPalette::Text, colour_of(State::beyond));
            option->palette.setColor(QPalette::HighlightedText, colour_of(State::beyond));
        }
    }
};

} // namespace

SetupView::SetupView(Workspace& workspace, SetupEditor& editor, QWidget* parent)
    : QWidget(parent), workspace_(workspace), editor_(editor), offsets_model_(new OffsetsModel(editor, this)),
      works_model_(new WorksModel(editor, this)), tools_model_(new ToolsModel(editor, this)), refused_(new QLabel), band_(new ErrorBand)
{
    setObjectName(QStringLiteral("setup-view"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(band_);
    refused_->setObjectName(QStringLiteral("refused"));
    refused_->setWordWrap(true);
    refused_->setContentsMargins(16, 8, 16, 0);
    refused_->setVisible(false);
    column->addWidget(refused_);
    auto* inner = new QVBoxLayout;
    inner->setContentsMargins(16, 12, 16, 12);
    inner->setSpacing(8);
    inner->addWidget(build_part());
    inner->addWidget(build_works());
    inner->addSpacing(6);
    inner->addWidget(build_offsets());
    inner->addSpacing(6);
    inner->addWidget(build_tools(), 1);
    column->addLayout(inner, 1);
    connect(band_, &ErrorBand::open_wanted, this, &SetupView::open_wanted);
    connect(&editor, &SetupEditor::changed, this, &SetupView::renew);
    connect(&editor, &SetupEditor::refused, this, &SetupView::refuse);
    // What was refused stays to be read until something else is typed, or another job is looked at.
    connect(&workspace.documents(), &Documents::edited, refused_, [this](const QString& path) {
        if (path == editor_.path()) {
            refused_->setVisible(false);
        }
    });
    connect(&workspace, &Workspace::job_changed, refused_, [this] { refused_->setVisible(false); });
    connect(&workspace, &Workspace::failed, this, &SetupView::renew);
    connect(&workspace, &Workspace::code_changed, this, &SetupView::renew);
    renew();
}

/// A table with its caption and what it means beside it.
QWidget* SetupView::titled(QTableView& table, const QString& title, const QString& meaning)
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    auto* says = new QLabel(meaning);
    says->setProperty("role", "soft");
    row->addWidget(caption(title));
    row->addSpacing(10);
    row->addWidget(says);
    row->addStretch(1);
    column->addLayout(row);
    dress(table);
    table.horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    column->addWidget(&table);
    return box;
}

QWidget* SetupView::build_works()
{
    works_ = new QTableView;
    works_->setObjectName(QStringLiteral("works"));
    works_->setAccessibleName(tr("works, what holds each, and where"));
    works_->setModel(works_model_);
    works_->verticalHeader()->hide();
    works_box_ = titled(*works_, tr("Works"), tr("each part on its holder, and the register of its zero"));
    return works_box_;
}

QWidget* SetupView::build_part()
{
    auto* box = new QWidget;
    part_box_ = box;
    auto* grid = new QGridLayout(box);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(6);
    holder_ = new QLabel;
    holder_->setProperty("role", "soft");
    grid->addWidget(caption(tr("Part on its holder")), 0, 0, 1, 3);
    grid->addWidget(holder_, 0, 3, 1, 7);
    const std::array<QString, 6> names{tr("X"), tr("Y"), tr("Z"), tr("about X"), tr("about Y"), tr("about Z")};
    for (int i = 0; i < 6; ++i) {
        auto* field = new QLineEdit;
        field->setFont(code_font());
        field->setAlignment(Qt::AlignRight);
        field->setAccessibleName(tr("part position, %1").arg(names[std::size_t(i)]));
        field->setObjectName(QStringLiteral("part-%1").arg(i));
        field->setMinimumWidth(72);
        part_[std::size_t(i)] = field;
        auto* label = new QLabel(names[std::size_t(i)]);
        label->setProperty("role", "soft");
        const int row = 1 + i / 3;
        label->setContentsMargins(i % 3 == 0 ? 0 : 18, 0, 0, 0);
        grid->addWidget(label, row, (i % 3) * 3);
        grid->addWidget(field, row, (i % 3) * 3 + 1);
        auto* unit = new QLabel(i < 3 ? tr("mm") : tr("°"));
        unit->setProperty("role", "faint");
        grid->addWidget(unit, row, (i % 3) * 3 + 2);
        connect(field, &QLineEdit::editingFinished, this, [this, i] { set_part(i); });
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(4, 1);
    grid->setColumnStretch(7, 1);
    grid->setColumnStretch(9, 2);
    return box;
}

QWidget* SetupView::build_offsets()
{
    offsets_ = new QTableView;
    offsets_->setObjectName(QStringLiteral("offsets"));
    offsets_->setAccessibleName(tr("work offsets by register and axis"));
    offsets_->setModel(offsets_model_);
    return titled(*offsets_, tr("Work offsets"), tr("machine readings at which the program's words are zero"));
}

QWidget* SetupView::build_tools()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* add = new QPushButton(tr("Add"));
    auto* remove = new QPushButton(tr("Remove"));
    auto* import = new QPushButton(tr("Import CSV …"));
    add->setObjectName(QStringLiteral("tool-add"));
    remove->setObjectName(QStringLiteral("tool-remove"));
    import->setObjectName(QStringLiteral("tool-import"));
    import->setToolTip(tr("A table with the columns number, name and, where known, shape, diameter, length, length_register; "
                          "tools with the same number are replaced"));
    who_ = new QLabel;
    who_->setProperty("role", "soft");
    row->addWidget(caption(tr("Tools")));
    row->addSpacing(10);
    row->addWidget(who_);
    row->addStretch(1);
    for (QPushButton* button : {add, remove, import}) {
        button->setAccessibleName(button->text());
        row->addWidget(button);
    }
    column->addLayout(row);
    tools_ = new QTableView;
    tools_->setObjectName(QStringLiteral("tools"));
    tools_->setAccessibleName(tr("tool table"));
    tools_->setModel(tools_model_);
    tools_->setItemDelegate(new ToolDelegate(tools_));
    dress(*tools_);
    tools_->verticalHeader()->hide();
    tools_->horizontalHeader()->setStretchLastSection(true);
    const std::array<int, 6> widths{56, 170, 96, 96, 124, 108};
    for (int i = 0; i < 6; ++i) {
        tools_->setColumnWidth(i, widths[std::size_t(i)]);
    }
    column->addWidget(tools_, 1);
    connect(add, &QPushButton::clicked, this, [this] { tools_model_->add(); });
    connect(remove, &QPushButton::clicked, this, [this] {
        if (!tools_->currentIndex().isValid()) {
            refuse(tr("choose the tool to remove"));
            return;
        }
        tools_model_->remove(tools_->currentIndex().row());
    });
    connect(import, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, tr("Import tools"), workspace_.project().folder(), tr("Tables (*.csv);;All files (*)"));
        if (!path.isEmpty()) {
            import_tools(path);
        }
    });
    return box;
}

void SetupView::import_tools(const QString& path)
{
    const RealFileSystem files;
    const auto text = files.read_all(path.toStdString(), json::max_bytes);
    if (!text) {
        refuse(QString::fromStdString(text.error().text()));
        return;
    }
    tools_model_->import(QFileInfo(path).fileName(), *text);
}

void SetupView::refuse(const QString& why)
{
    refused_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    refused_->setText(why);
    refused_->setVisible(true);
}

void SetupView::renew()
{
    std::optional<Error> error;
    if (workspace_.error() && QString::fromStdString(workspace_.error()->place.file) == editor_.path()) {
        error = workspace_.error();
    }
    band_->show_error(error, tr("The tables show the last good state."));
    const auto& setup = editor_.setup();
    for (QLineEdit* field : part_) {
        field->setEnabled(setup.has_value());
    }
    const int listed = works_model_->rowCount();
    part_box_->setVisible(listed == 0);
    works_box_->setVisible(listed > 0);
    works_->setFixedHeight(works_->horizontalHeader()->sizeHint().height() + std::clamp(listed, 1, 6) * 26 + 2);
    if (!setup) {
        return;
    }
    for (int i = 0; i < 6; ++i) {
        part_[std::size_t(i)]->setText(quantity_text(part_value(setup->part(), i), i < 3 ? Measure::length : Measure::angle));
    }
    holder_->setText(tr("%1 · origin of the part's frame, and how it is turned: about X, then Y, then Z of the holder")
                         .arg(QString::fromStdString(setup->works.front().holder)));
    static const std::array<const char*, 3> actors{"the program", "hand", "nobody"};
    who_->setText(tr("changed by %1; spindle by %2, coolant by %3")
                      .arg(tr(actors[std::size_t(setup->tool_change)]), tr(actors[std::size_t(setup->spindle)]),
                           tr(actors[std::size_t(setup->coolant)])));
    const int rows = std::clamp(offsets_model_->rowCount(), 1, 5);
    offsets_->setFixedHeight(offsets_->horizontalHeader()->sizeHint().height() + rows * 26 + 2);
}

void SetupView::set_part(int field) { (void)editor_.set_part(0, field, part_[std::size_t(field)]->text()); }

} // namespace wexilum::app
