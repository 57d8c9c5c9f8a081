#include "app/views/machine/define_pane.hpp"

#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/base/units.hpp"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenu>
#include <QSignalBlocker>
#include <QSplitter>
#include <QVBoxLayout>

namespace wexilum::app {
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
    auto* fresh = named_button(tr("&New …"), QStringLiteral("machine-new"), tr("Begin another machine from a common arrangement"));
    fresh->setCheckable(true);
    use_ = named_button(tr("Use in the post"), QStringLiteral("machine-use"), tr("Makes this the machine of the job's post"));
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
    connect(this, &DefinePane::reported, fresh, [fresh] { fresh->setChecked(false); });
    connect(files_, &QComboBox::activated, this, [this](int index) { editor_.choose(files_->itemData(index).toString()); });
    connect(use_, &QPushButton::clicked, this, [this] {
        const Status status = editor_.use_in_post();
        show_message(status ? QString() : QString::fromStdString(status.error().message + "; " + status.error().cure));
        renew();
    });
    return box;
}

void DefinePane::start()
{
    const Status status = editor_.begin(fresh_name_->text().trimmed(), std::size_t(std::max(0, fresh_start_->currentIndex())));
    if (!status) {
        show_message(QString::fromStdString(status.error().message + "; " + status.error().cure));
        return;
    }
    show_message({});
    fresh_name_->clear();
    choose({});
    tree_->setFocus();
    Q_EMIT reported(tr("%1 is written; its parts are on the left, its picture beside them.").arg(editor_.path()));
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
                   tr("Readings of the control and the measured tip"))};
    for (const auto& [text, name, kind_of_part, tip] : adds) {
        auto* add_button = named_button(text, name, tip);
        (kind_of_part == MachinePart::witness ? second : row)->addWidget(add_button);
        const MachinePart kind = kind_of_part;
        connect(add_button, &QPushButton::clicked, this, [this, kind] { add(kind); });
    }
    row->addStretch(1);
    column->addLayout(row);
    auto* up = named_button(tr("Up"), QStringLiteral("part-up"), tr("Before the joint above it on the same carrier (Alt+Up)"));
    auto* down = named_button(tr("Down"), QStringLiteral("part-down"), tr("After the joint below it on the same carrier (Alt+Down)"));
    auto* away = named_button(tr("Remove"), QStringLiteral("part-remove"), tr("Removes the chosen part (Delete)"));
    auto* text = named_button(tr("Text"), QStringLiteral("machine-text"), tr("The file's text beside the form, in step with it"));
    text->setCheckable(true);
    for (QPushButton* one : {up, down, away}) {
        second->addWidget(one);
    }
    second->addStretch(1);
    second->addWidget(text);
    column->addLayout(second);
    connect(up, &QPushButton::clicked, this, [this] { move_part(true); });
    connect(down, &QPushButton::clicked, this, [this] { move_part(false); });
    connect(away, &QPushButton::clicked, this, &DefinePane::remove_part);
    connect(text, &QPushButton::toggled, this, [this](bool on) {
        text_->setVisible(on);
        Q_EMIT text_shown(on);
        follow_text();
    });
    connect_tree();
    return box;
}

void DefinePane::connect_tree()
{
    connect(tree_, &PartTree::ordered, this, &DefinePane::order);
    connect(tree_, &PartTree::moved, this, &DefinePane::move_part);
    connect(tree_, &PartTree::removed, this, &DefinePane::remove_part);
    connect(tree_, &PartTree::dropped, this, [this](const QString& part, const QString& carrier) {
        const PartPath path = path_of_part(part);
        if (path.size() == 2 && editor_.document()) {
            const std::string id = wexilum::name_of(*editor_.document(), path);
            change(tr("what carries a part"), [&](const json::Document& d) { return carried_by(d, path, carrier.toStdString()); });
            follow(std::get<std::string>(path[0]), id);
        }
    });
    connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item != nullptr && !tree_->is_filling()) {
            part_ = PartTree::part_of(*item);
            show_message({});
            renew_form();
            follow_text();
        }
    });
}

void DefinePane::move_part(bool up)
{
    const PartPath path = path_of_part(part_);
    if (path.size() == 2 && std::get<std::string>(path[0]) == "joints") {
        const std::string id = editor_.document() ? wexilum::name_of(*editor_.document(), path) : std::string();
        change(tr("order of the joints"), [&](const json::Document& d) { return moved_among(d, std::get<std::size_t>(path[1]), up); });
        follow("joints", id);
    }
}

void DefinePane::remove_part()
{
    const PartPath path = path_of_part(part_);
    if (path.size() >= 2) {
        change(tr("part removed"), [&](const json::Document& d) { return without_part(d, path); });
        choose({});
    }
}

// --- the text in step -----------------------------------------------------------------------------------------------

/// The chosen part's line is in sight.
void DefinePane::follow_text()
{
    if (!text_->isVisible()) {
        return;
    }
    text_->show_file(editor_.path());
    const json::Node* node = editor_.document() ? json::node_at(*editor_.document(), path_of_part(part_)) : nullptr;
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
    if (text_of_path(found) != part_) {
        choose(text_of_path(found));
    }
}

/// Joints change places one by one until the one that was dragged stands where it was dropped.
void DefinePane::order(const QString& joint, const QString& at, bool after)
{
    if (!editor_.document()) {
        return;
    }
    const std::string id = wexilum::name_of(*editor_.document(), path_of_part(joint));
    const std::string goal = wexilum::name_of(*editor_.document(), path_of_part(at));
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
            if (!own || !other || (after ? *own > *other : *own < *other)) {
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

void DefinePane::add(MachinePart part)
{
    PartPath path = path_of_part(part_); // a joint or body added at a head is the head's
    const bool of_head =
        path.size() >= 2 && std::get<std::string>(path[0]) == "attachments" && (part == MachinePart::joint || part == MachinePart::body);
    path = of_head ? path : PartPath();
    const std::string on = tree_->carrier().toStdString();
    change(tr("new part"), [&](const json::Document& d) { return with_new_part(d, part, on, path); });
    if (!path.empty()) {
        choose(text_of_path(path));
        form_->focus_first();
    }
}

void DefinePane::change(const QString& label, const std::function<Result<std::string>(const json::Document&)>& edit)
{
    const auto error = editor_.edit(label, edit);
    show_message(error ? QString::fromStdString(error->message + "; " + error->cure) : QString());
}

void DefinePane::show_message(const QString& error)
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
    for (const QString& name : editor_.workspace().project().files_in(QStringLiteral("machines"), QStringLiteral(".json"))) {
        const QString path = QStringLiteral("machines/") + name;
        files_->addItem(path, path);
    }
    files_->setCurrentIndex(files_->findData(editor_.path()));
}

void DefinePane::renew_tree()
{
    if (editor_.document()) {
        part_ = tree_->show_parts(*editor_.document(), part_);
    } else {
        tree_->clear();
    }
}

// --- the form -------------------------------------------------------------------------------------------------------

void DefinePane::renew_form()
{
    const auto& document = editor_.document();
    form_->set_fields(editor_.path() + QLatin1Char('|') + part_,
                      document ? fields_of(*document, path_of_part(part_)) : std::vector<FormField>());
    if (!document) {
        return;
    }
    form_->fill(*document, path_of_part(part_));
    for (std::size_t row = 0; row < form_->size(); ++row) {
        note(row, {});
    }
}

/// Of a witness's tip or axis: where the machine has it, how far off that is, and what would explain it. Empty for other fields.
QString DefinePane::witness_note(const FormField& field, QColor& shade) const
{
    const bool tip = field.keys.front() == "tip";
    const PartPath path = path_of_part(part_);
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
    QString text = tr("this machine has it at %1, %2, %3")
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
        const std::string id = wexilum::name_of(*document, path_of_part(part_));
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
        text = editor_.trouble_of(path_of_part(part_), field);
    }
    if (text.isEmpty()) {
        text = witness_note(field, shade);
    }
    if (text.isEmpty() && document) {
        shade = colour(tokens().faint);
        const std::string other = other_units(*document, path_of_part(part_), field);
        text = other.empty() ? QString() : QStringLiteral("= ") + QString::fromStdString(other);
    }
    form_->note(row, text, shade);
}

void DefinePane::typed(std::size_t index, const QString& text)
{
    const FormField field = form_->field(index);
    const PartPath path = path_of_part(part_);
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
