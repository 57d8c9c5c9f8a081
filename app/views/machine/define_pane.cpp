#include "app/views/machine/define_pane.hpp"

#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/base/units.hpp"

#include <QDropEvent>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QMenu>
#include <QSignalBlocker>
#include <QSplitter>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int part_role = Qt::UserRole;        // its place in the file
constexpr int carrier_role = Qt::UserRole + 1; // the name under which it can carry others

QString place_text(const PartPath& path)
{
    QStringList out;
    for (const json::Step& step : path) {
        out.push_back(step.index() == 0 ? QString::fromStdString(std::get<std::string>(step))
                                        : QString::number(std::get<std::size_t>(step)));
    }
    return out.join(QLatin1Char('/'));
}

/// "X, Y and Z go; −510 … 0 mm": what a part is, in a few words.
QString told_of(const json::Document& document, const PartPath& path)
{
    const auto part = part_at(document, path);
    const json::Node* node = json::node_at(document, path);
    if (!part || node == nullptr) {
        return {};
    }
    const auto value = [&](const char* title) {
        for (const FormField& field : fields_of(document, path)) {
            if (field.title == title) {
                return QString::fromStdString(shown_value(document, path, field));
            }
        }
        return QString();
    };
    switch (*part) {
    case MachinePart::joint: {
        const bool rotary = value("Moves") == QStringLiteral("rotary");
        const QString travel = value("Travel").replace(QStringLiteral(", "), QStringLiteral(" … "));
        return (rotary ? QObject::tr("turns about %1") : QObject::tr("goes along %1")).arg(value("Direction")) +
               (travel.isEmpty() ? QString() : QStringLiteral(", ") + travel + (rotary ? QStringLiteral("°") : QString()));
    }
    case MachinePart::mount:
        return value("Holds") == QStringLiteral("work") ? QObject::tr("holds the work") : QObject::tr("holds the tool");
    case MachinePart::body: return value("Shape");
    case MachinePart::attachment: return QObject::tr("attachment");
    case MachinePart::witness: return QObject::tr("witness");
    case MachinePart::machine: break;
    }
    return {};
}

} // namespace

// --- the tree -------------------------------------------------------------------------------------------------------

PartTree::PartTree(QWidget* parent) : QTreeWidget(parent)
{
    setObjectName(QStringLiteral("parts"));
    setAccessibleName(tr("parts of the machine, each under what carries it"));
    setColumnCount(2);
    setHeaderHidden(true);
    dress_drag_tree(*this, 15);
    header()->setStretchLastSection(true);
}

void PartTree::dropEvent(QDropEvent* event)
{
    const QTreeWidgetItem* target = itemAt(event->position().toPoint());
    const QTreeWidgetItem* source = currentItem();
    event->setDropAction(Qt::IgnoreAction); // the tree is made anew from the text
    event->accept();
    if (target == nullptr || source == nullptr || target == source) {
        return;
    }
    const auto is_joint = [](const QTreeWidgetItem* item) {
        return item->data(0, part_role).toString().startsWith(QLatin1String("joints/"));
    };
    const auto place = dropIndicatorPosition();
    const bool between = place == QAbstractItemView::AboveItem || place == QAbstractItemView::BelowItem;
    if (between && is_joint(source) && is_joint(target) && source->parent() == target->parent()) {
        Q_EMIT ordered(source->data(0, part_role).toString(), target->data(0, part_role).toString(), place == QAbstractItemView::BelowItem);
    } else if (!target->data(0, carrier_role).toString().isEmpty()) {
        Q_EMIT dropped(source->data(0, part_role).toString(), target->data(0, carrier_role).toString());
    }
}

/// Names as wide as they are, up to less than half: what a part is stands beside them.
void PartTree::fit_columns()
{
    resizeColumnToContents(0);
    setColumnWidth(0, std::min(columnWidth(0) + 6, viewport()->width() * 45 / 100));
}

void PartTree::resizeEvent(QResizeEvent* event)
{
    QTreeWidget::resizeEvent(event);
    fit_columns();
}

void PartTree::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Delete) {
        Q_EMIT removed();
    } else if ((event->modifiers() & Qt::AltModifier) != 0 && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)) {
        Q_EMIT moved(event->key() == Qt::Key_Up);
    } else {
        QTreeWidget::keyPressEvent(event);
    }
}

// --- the pane -------------------------------------------------------------------------------------------------------

DefinePane::DefinePane(MachineEditor& editor, QWidget* parent) : QWidget(parent), editor_(editor)
{
    setObjectName(QStringLiteral("define-pane"));
    set_surface(*this, "paper");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    auto* across = new QSplitter(Qt::Horizontal);
    across->setChildrenCollapsible(false);
    row->addWidget(across);
    auto* parts = new QWidget;
    set_surface(*parts, "paper");
    text_ = new TextEditor(editor.workspace().documents());
    text_->setObjectName(QStringLiteral("define-text"));
    text_->setAccessibleName(tr("text of the machine's file"));
    text_->setVisible(false);
    across->addWidget(parts);
    across->addWidget(text_);
    across->setSizes({340, 300});
    auto* column = new QVBoxLayout(parts);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    column->addWidget(build_head());
    column->addWidget(build_parts(), 4);
    problem_ = new QLabel;
    problem_->setObjectName(QStringLiteral("machine-problem"));
    problem_->setWordWrap(true);
    wrong_ = new QLabel;
    wrong_->setObjectName(QStringLiteral("define-refused"));
    wrong_->setWordWrap(true);
    wrong_->setVisible(false);
    form_ = new FieldForm;
    column->addWidget(wrong_);
    column->addWidget(form_, 3);
    connect(form_, &FieldForm::typed, this, &DefinePane::typed);
    connect(text_, &TextEditor::cursorPositionChanged, this, &DefinePane::follow_cursor);
    connect(form_, &FieldForm::left, this, &DefinePane::renew_form);
    column->addWidget(problem_);
    connect(&editor, &MachineEditor::changed, this, &DefinePane::renew);
    renew();
}

QWidget* DefinePane::build_head()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    files_ = new QComboBox;
    files_->setObjectName(QStringLiteral("machine-file"));
    files_->setAccessibleName(tr("machine that is defined"));
    files_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    auto* fresh = named_button(tr("&New …"), QStringLiteral("machine-new"), tr("Begin another machine with a common arrangement"));
    fresh->setCheckable(true);
    use_ = named_button(tr("Use in the post"), QStringLiteral("machine-use"), tr("The job's post works with this machine from now on"));
    row->addWidget(files_, 1);
    row->addWidget(fresh);
    column->addLayout(row);
    column->addWidget(use_);
    fresh_ = new QWidget;
    auto* grid = new QGridLayout(fresh_);
    grid->setContentsMargins(0, 0, 0, 0);
    fresh_name_ = new QLineEdit;
    fresh_name_->setObjectName(QStringLiteral("new-machine-name"));
    fresh_name_->setAccessibleName(tr("name of the new machine"));
    fresh_name_->setPlaceholderText(tr("name, like tarn-3"));
    fresh_start_ = new QComboBox;
    fresh_start_->setObjectName(QStringLiteral("new-machine-start"));
    fresh_start_->setAccessibleName(tr("arrangement to begin with"));
    fresh_start_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    for (const MachineStart& start : machine_starts()) {
        fresh_start_->addItem(QString::fromStdString(start.name));
    }
    auto* begin = named_button(tr("Begin"), QStringLiteral("machine-begin"), tr("Writes machines/NAME.json and shows it"));
    grid->addWidget(fresh_name_, 0, 0);
    grid->addWidget(begin, 0, 1);
    grid->addWidget(fresh_start_, 1, 0, 1, 2);
    fresh_->setVisible(false);
    column->addWidget(fresh_);
    connect(fresh, &QPushButton::toggled, this, [this](bool on) {
        fresh_->setVisible(on);
        if (on) {
            fresh_name_->setFocus();
        }
    });
    connect(begin, &QPushButton::clicked, this, &DefinePane::start);
    connect(fresh_name_, &QLineEdit::returnPressed, this, &DefinePane::start);
    connect(this, &DefinePane::told, fresh, [fresh] { fresh->setChecked(false); });
    connect(files_, &QComboBox::activated, this, [this](int index) { editor_.choose(files_->itemData(index).toString()); });
    connect(use_, &QPushButton::clicked, this, [this] {
        const Status status = editor_.use_in_post();
        tell(status ? QString() : QString::fromStdString(status.error().message + "; " + status.error().cure));
        renew();
    });
    return box;
}

void DefinePane::start()
{
    const Status status = editor_.begin(fresh_name_->text().trimmed(), std::size_t(std::max(0, fresh_start_->currentIndex())));
    if (!status) {
        tell(QString::fromStdString(status.error().message + "; " + status.error().cure));
        return;
    }
    tell({});
    fresh_name_->clear();
    choose({});
    tree_->setFocus();
    Q_EMIT told(tr("%1 is begun; its parts are on the left, its picture beside.").arg(editor_.path()));
}

QWidget* DefinePane::build_parts()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    tree_ = new PartTree;
    column->addWidget(tree_, 1);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    auto* second = new QHBoxLayout;
    second->setSpacing(6);
    const std::array<std::tuple<QString, QString, MachinePart, QString>, 5> adds{
        std::tuple(tr("+ Joint"), QStringLiteral("add-joint"), MachinePart::joint, tr("A joint that the chosen part carries")),
        std::tuple(tr("+ Mount"), QStringLiteral("add-mount"), MachinePart::mount, tr("Where a tool or the work is held")),
        std::tuple(tr("+ Body"), QStringLiteral("add-body"), MachinePart::body, tr("What it looks like, and what it can meet")),
        std::tuple(tr("+ Head"), QStringLiteral("add-attachment"), MachinePart::attachment, tr("An attachment for the first tool mount")),
        std::tuple(tr("+ Witness"), QStringLiteral("add-witness"), MachinePart::witness,
                   tr("Readings of the control and where the tip was measured"))};
    for (const auto& [text, name, kind_of_part, tip] : adds) {
        auto* add_button = named_button(text, name, tip);
        (kind_of_part == MachinePart::witness ? second : row)->addWidget(add_button);
        const MachinePart kind = kind_of_part;
        connect(add_button, &QPushButton::clicked, this, [this, kind] { add(kind); });
    }
    row->addStretch(1);
    column->addLayout(row);
    auto* up = named_button(tr("Up"), QStringLiteral("part-up"), tr("Before the joint above it on the same carrier (Alt+Up)"));
    auto* down = named_button(tr("Down"), QStringLiteral("part-down"), tr("Behind the joint below it on the same carrier (Alt+Down)"));
    auto* away = named_button(tr("Remove"), QStringLiteral("part-remove"), tr("Removes the chosen part (Delete)"));
    auto* text = named_button(tr("Text"), QStringLiteral("machine-text"), tr("The file's text beside the form, in step with it"));
    text->setCheckable(true);
    for (QPushButton* one : {up, down, away}) {
        second->addWidget(one);
    }
    second->addStretch(1);
    second->addWidget(text);
    column->addLayout(second);
    const auto move = [this](bool upwards) {
        const PartPath path = path_of(part_);
        if (path.size() == 2 && std::get<std::string>(path[0]) == "joints") {
            const std::string id = editor_.document() ? wexilum::name_of(*editor_.document(), path) : std::string();
            change(tr("order of the joints"),
                   [&](const json::Document& d) { return moved_among(d, std::get<std::size_t>(path[1]), upwards); });
            follow("joints", id);
        }
    };
    const auto remove = [this] {
        const PartPath path = path_of(part_);
        if (path.size() >= 2) {
            change(tr("part removed"), [&](const json::Document& d) { return without_part(d, path); });
            choose({});
        }
    };
    connect(up, &QPushButton::clicked, this, [move] { move(true); });
    connect(down, &QPushButton::clicked, this, [move] { move(false); });
    connect(away, &QPushButton::clicked, this, remove);
    connect(text, &QPushButton::toggled, this, [this](bool on) {
        text_->setVisible(on);
        Q_EMIT text_shown(on);
        follow_text();
    });
    connect(tree_, &PartTree::ordered, this, &DefinePane::order);
    connect(tree_, &PartTree::moved, this, move);
    connect(tree_, &PartTree::removed, this, remove);
    connect(tree_, &PartTree::dropped, this, [this](const QString& part, const QString& carrier) {
        const PartPath path = path_of(part);
        if (path.size() == 2 && editor_.document()) {
            const std::string id = wexilum::name_of(*editor_.document(), path);
            change(tr("what carries a part"), [&](const json::Document& d) { return carried_by(d, path, carrier.toStdString()); });
            follow(std::get<std::string>(path[0]), id);
        }
    });
    connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item != nullptr && !filling_) {
            part_ = item->data(0, part_role).toString();
            tell({});
            renew_form();
            follow_text();
        }
    });
    return box;
}

// --- the text in step -----------------------------------------------------------------------------------------------

/// The chosen part's line is in sight.
void DefinePane::follow_text()
{
    if (!text_->isVisible()) {
        return;
    }
    text_->show_file(editor_.path());
    const json::Node* node = editor_.document() ? json::node_at(*editor_.document(), path_of(part_)) : nullptr;
    if (node != nullptr && !text_->hasFocus()) {
        text_->go_to_line(int(editor_.document()->place_of(node->begin).line) - 1);
    }
}

/// The part that the cursor is in is chosen.
void DefinePane::follow_cursor()
{
    if (!text_->hasFocus() || !editor_.document() || editor_.path() != text_->path()) {
        return;
    }
    const auto at = std::size_t(text_->SendScintilla(QsciScintilla::SCI_GETCURRENTPOS));
    PartPath found;
    const auto look = [&](const json::Node& holder, const PartPath& in, const auto& again) -> void {
        for (const char* list : {"joints", "mounts", "attachments", "bodies", "witnesses"}) {
            const json::Node* node = holder.find(list);
            for (std::size_t i = 0; node != nullptr && i < node->items.size(); ++i) {
                if (node->items[i].begin <= at && at < node->items[i].end) {
                    found = in;
                    found.emplace_back(std::string(list));
                    found.emplace_back(i);
                    again(node->items[i], found, again);
                    return;
                }
            }
        }
    };
    look(editor_.document()->root(), {}, look);
    if (place_text(found) != part_) {
        choose(place_text(found));
    }
}

/// Joints change places one by one until the one that was dragged stands where it was dropped.
void DefinePane::order(const QString& joint, const QString& at, bool behind)
{
    if (!editor_.document()) {
        return;
    }
    const std::string id = wexilum::name_of(*editor_.document(), path_of(joint));
    const std::string goal = wexilum::name_of(*editor_.document(), path_of(at));
    change(tr("order of the joints"), [&](const json::Document& d) -> Result<std::string> {
        std::string text = d.text();
        for (;;) { // each step brings it nearer, or it is there
            const auto document = json::Document::parse(text, d.file_name());
            const json::Node* joints = document->root().find("joints");
            std::optional<std::size_t> own;
            std::optional<std::size_t> other;
            for (std::size_t i = 0; joints != nullptr && i < joints->items.size(); ++i) {
                const std::string name = wexilum::name_of(*document, {"joints", i});
                own = name == id ? std::optional(i) : own;
                other = name == goal ? std::optional(i) : other;
            }
            if (!own || !other || (behind ? *own > *other : *own < *other)) {
                return text;
            }
            const auto next = moved_among(*document, *own, *own > *other);
            if (!next || *next == text) {
                return next ? Result<std::string>(text) : next;
            }
            text = *next;
        }
    });
    follow("joints", id);
}

/// Chooses the part of a list by its name, wherever it stands now.
void DefinePane::follow(const std::string& list, const std::string& id)
{
    const json::Node* node = editor_.document() ? editor_.document()->root().find(list) : nullptr;
    for (std::size_t i = 0; node != nullptr && i < node->items.size(); ++i) {
        if (wexilum::name_of(*editor_.document(), {list, i}) == id) {
            choose(QStringLiteral("%1/%2").arg(QString::fromStdString(list)).arg(i));
            return;
        }
    }
}

PartPath DefinePane::path_of(const QString& part) const
{
    PartPath out;
    for (const QString& step : part.split(QLatin1Char('/'), Qt::SkipEmptyParts)) {
        bool number = false;
        const auto index = std::size_t(step.toUInt(&number));
        number ? out.emplace_back(index) : out.emplace_back(step.toStdString());
    }
    return out;
}

QString DefinePane::carrier() const
{
    for (const QTreeWidgetItem* item = tree_->currentItem(); item != nullptr; item = item->parent()) {
        const QString name = item->data(0, carrier_role).toString();
        if (!name.isEmpty()) {
            return name;
        }
    }
    return QStringLiteral("base");
}

void DefinePane::add(MachinePart part)
{
    PartPath path = path_of(part_); // a joint or body added at a head is the head's
    const bool of_head =
        path.size() >= 2 && std::get<std::string>(path[0]) == "attachments" && (part == MachinePart::joint || part == MachinePart::body);
    path = of_head ? path : PartPath();
    const std::string on = carrier().toStdString();
    change(tr("new part"), [&](const json::Document& d) { return with_new_part(d, part, on, path); });
    if (!path.empty()) {
        choose(place_text(path));
        form_->focus_first();
    }
}

void DefinePane::change(const QString& label, const std::function<Result<std::string>(const json::Document&)>& edit)
{
    const auto error = editor_.edit(label, edit);
    tell(error ? QString::fromStdString(error->message + "; " + error->cure) : QString());
}

void DefinePane::tell(const QString& error)
{
    wrong_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    wrong_->setText(error);
    wrong_->setVisible(!error.isEmpty());
}

void DefinePane::choose(const QString& part)
{
    part_ = part;
    renew_tree();
    renew_form();
    follow_text();
}

void DefinePane::renew()
{
    renew_files();
    renew_tree();
    renew_form();
    problem_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::margin).name()));
    const auto& problem = editor_.problem();
    problem_->setVisible(problem.has_value());
    problem_->setText(
        problem ? tr("Not a machine yet: %1; %2").arg(QString::fromStdString(problem->message), QString::fromStdString(problem->cure))
                : QString());
    use_->setVisible(!editor_.is_of_job() && editor_.workspace().results() != nullptr && !editor_.path().isEmpty());
}

void DefinePane::renew_files()
{
    const QSignalBlocker quiet(files_);
    files_->clear();
    for (const QString& name : editor_.workspace().files_in(QStringLiteral("machines"), QStringLiteral(".json"))) {
        const QString path = QStringLiteral("machines/") + name;
        files_->addItem(path, path);
    }
    files_->setCurrentIndex(files_->findData(editor_.path()));
}

void DefinePane::renew_tree()
{
    filling_ = true;
    tree_->clear();
    QTreeWidgetItem* chosen = nullptr;
    const auto& document = editor_.document();
    if (document) {
        const auto put = [&](QTreeWidgetItem* under, const PartPath& path, const QString& carries) {
            auto* item = new QTreeWidgetItem(under);
            const QString place = place_text(path);
            item->setText(0, QString::fromStdString(wexilum::name_of(*document, path)));
            item->setText(1, told_of(*document, path));
            item->setForeground(1, colour(tokens().soft));
            item->setData(0, part_role, place);
            item->setData(0, carrier_role, carries);
            item->setToolTip(0, item->text(0) + QStringLiteral(": ") + item->text(1));
            chosen = place == part_ ? item : chosen;
            return item;
        };
        auto* root = new QTreeWidgetItem(tree_);
        root->setText(0, QString::fromStdString(wexilum::name_of(*document, {})));
        root->setText(1, tr("the machine; base"));
        root->setForeground(1, colour(tokens().soft));
        root->setData(0, part_role, QString());
        root->setData(0, carrier_role, QStringLiteral("base"));
        root->setFlags(root->flags() & ~Qt::ItemIsDragEnabled);
        chosen = part_.isEmpty() ? root : nullptr;
        std::map<std::string, QTreeWidgetItem*> carriers{{"base", root}};
        const auto each = [&](const char* list, const auto& visit) {
            const json::Node* node = document->root().find(list);
            for (std::size_t i = 0; node != nullptr && i < node->items.size(); ++i) {
                visit(i, node->items[i]);
            }
        };
        const auto under = [&](const json::Node& node) {
            const json::Node* parent = node.find("parent");
            const auto found = parent != nullptr ? carriers.find(parent->text) : carriers.end();
            return found != carriers.end() ? found->second : root;
        };
        each("joints", [&](std::size_t i, const json::Node& node) {
            const std::string id = wexilum::name_of(*document, {"joints", i});
            carriers[id] = put(under(node), {"joints", i}, QString::fromStdString(id));
        });
        each("mounts", [&](std::size_t i, const json::Node& node) { put(under(node), {"mounts", i}, {}); });
        each("bodies", [&](std::size_t i, const json::Node& node) { put(under(node), {"bodies", i}, {}); });
        each("attachments", [&](std::size_t i, const json::Node& node) {
            auto* head = put(root, {"attachments", i}, {});
            head->setFlags(head->flags() & ~Qt::ItemIsDragEnabled);
            for (const char* list : {"joints", "bodies"}) {
                const json::Node* own = node.find(list);
                for (std::size_t k = 0; own != nullptr && k < own->items.size(); ++k) {
                    auto* item = put(head, {"attachments", i, list, k}, {});
                    item->setFlags(item->flags() & ~Qt::ItemIsDragEnabled);
                }
            }
        });
        each("witnesses", [&](std::size_t i, const json::Node&) {
            auto* item = put(root, {"witnesses", i}, {});
            item->setFlags(item->flags() & ~Qt::ItemIsDragEnabled);
        });
        tree_->expandAll();
        tree_->fit_columns();
        chosen = chosen != nullptr ? chosen : root;
        tree_->setCurrentItem(chosen);
        tree_->scrollToItem(chosen);
        part_ = chosen->data(0, part_role).toString();
    }
    filling_ = false;
}

// --- the form -------------------------------------------------------------------------------------------------------

void DefinePane::renew_form()
{
    const auto& document = editor_.document();
    form_->set_fields(editor_.path() + QLatin1Char('|') + part_,
                      document ? fields_of(*document, path_of(part_)) : std::vector<FormField>());
    if (!document) {
        return;
    }
    form_->fill(*document, path_of(part_));
    for (std::size_t row = 0; row < form_->size(); ++row) {
        note(row, {});
    }
}

/// Of a witness's tip or axis: where the machine has it, how far off that is, and what would explain it. Empty for other fields.
QString DefinePane::witness_note(const FormField& field, QColor& shade) const
{
    const bool tip = field.keys.front() == "tip";
    const PartPath path = path_of(part_);
    if (!editor_.document() || part_at(*editor_.document(), path) != MachinePart::witness || (!tip && field.keys.front() != "axis")) {
        return {};
    }
    const std::size_t witness = std::get<std::size_t>(path[1]);
    const auto pose = editor_.computed(witness);
    if (!pose) {
        return {};
    }
    const auto& witnesses = editor_.machine()->witnesses;
    const Vec3 has = tip ? pose->tip : pose->axis;
    const int decimals = tip ? 3 : 6;
    QString text = tr("the machine as it is has it at %1, %2, %3")
                       .arg(has.x(), 0, 'f', decimals)
                       .arg(has.y(), 0, 'f', decimals)
                       .arg(has.z(), 0, 'f', decimals);
    const Pose& read = witnesses[witness].pose;
    const double off = tip ? (read.tip - has).norm() : angle_between(read.axis, has);
    const bool holds = off <= (tip ? witness_tip_tolerance : witness_axis_tolerance);
    shade = colour_of(holds ? State::fits : State::beyond);
    if (holds) {
        return text;
    }
    text += tip ? tr(", %1 mm from there").arg(off, 0, 'f', 3) : tr(", %1° from there").arg(to_deg(off), 0, 'f', 4);
    const auto whys = tip ? editor_.explanations(witness) : std::vector<Explanation>();
    for (std::size_t i = 0; i < std::min<std::size_t>(2, whys.size()) && whys[i].holds == whys[0].holds; ++i) {
        text += QLatin1Char('\n') + (i == 0 ? tr("It would hold if ") : tr("or if ")) +
                tr("%1 (%2 of %3 witnesses then).").arg(QString::fromStdString(whys[i].text)).arg(whys[i].holds).arg(witnesses.size());
    }
    return text;
}

void DefinePane::note(std::size_t row, const QString& error)
{
    const FormField& field = form_->field(row);
    QString text = error;
    QColor shade = colour_of(State::beyond);
    const auto& document = editor_.document();
    if (text.isEmpty() && document && field.keys == std::vector<std::string>{"travel"}) {
        const std::string id = wexilum::name_of(*document, path_of(part_));
        if (const auto need = editor_.need_of(id)) {
            const bool linear = field.dimension.length != 0;
            const auto shown = [&](double value) { return QString::number(linear ? value : to_deg(value), 'f', linear ? 3 : 2); };
            if (need->beyond) {
                const Place& place = need->beyond->source;
                text = tr("%1, at %2:%3; %4")
                           .arg(QString::fromStdString(need->beyond->message), QString::fromStdString(place.file))
                           .arg(place.line)
                           .arg(QString::fromStdString(need->beyond->cure));
            } else {
                shade = colour(tokens().faint);
                text = tr("this job: %1 … %2").arg(shown(need->low), shown(need->high));
            }
        }
    }
    if (text.isEmpty()) {
        text = editor_.trouble_of(path_of(part_), field);
    }
    if (text.isEmpty()) {
        text = witness_note(field, shade);
    }
    if (text.isEmpty() && document) {
        shade = colour(tokens().faint);
        const std::string other = other_units(*document, path_of(part_), field);
        text = other.empty() ? QString() : QStringLiteral("= ") + QString::fromStdString(other);
    }
    form_->note(row, text, shade);
}

void DefinePane::typed(std::size_t index, const QString& text)
{
    const FormField field = form_->field(index);
    const PartPath path = path_of(part_);
    const QString label = tr("%1 of %2")
                              .arg(QString::fromStdString(field.title),
                                   editor_.document() ? QString::fromStdString(wexilum::name_of(*editor_.document(), path)) : QString());
    const std::string list = path.size() == 2 ? std::get<std::string>(path[0]) : std::string();
    const std::string id = editor_.document() ? wexilum::name_of(*editor_.document(), path) : std::string();
    const auto error = editor_.edit(
        label, [&](const json::Document& d) { return with_value(d, path, field, text.toStdString()); }, true);
    form_->typed_in(editor_.document() ? editor_.document()->text() : std::string());
    if (!error && field.keys.front() == "parent") {
        follow(list, id);
    }
    if (index < form_->size() && form_->field(index).title == field.title) {
        note(index, error ? QString::fromStdString(error->message + "; " + error->cure) : QString());
    }
}

} // namespace wexilum::app
