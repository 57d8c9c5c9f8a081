#include "app/views/machine/links_pane.hpp"

#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/theme.hpp"
#include "core/base/units.hpp"
#include "core/machine/kinematics.hpp"
#include "core/project/job_run.hpp"
#include "core/task/postures.hpp"

#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int list_role = LinkTree::list_role;
constexpr int step_role = LinkTree::step_role;
constexpr int way_parts = 24; // of a line along the clearance surface

QString title_of(LinkList list)
{
    return list == LinkList::approach ? QObject::tr("Approach")
           : list == LinkList::within ? QObject::tr("Between its places")
                                      : QObject::tr("Retreat");
}

} // namespace

// --- the pane -------------------------------------------------------------------------------------------------------

LinksPane::LinksPane(Workspace& workspace, Selection& selection, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection)
{
    setObjectName(QStringLiteral("links-pane"));
    set_surface(*this, "paper");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(8);
    column->addWidget(build_head(), 3);
    wrong_ = new QLabel;
    wrong_->setObjectName(QStringLiteral("links-refused"));
    wrong_->setWordWrap(true);
    column->addWidget(wrong_);
    step_ = new LinkStepForm;
    column->addWidget(step_);
    connect(step_, &LinkStepForm::changed, this, [this](const LinkStep& next) {
        if (step() != nullptr) {
            change_step(next);
        }
    });
    column->addWidget(build_clearance(), 1);
    connect(&selection, &Selection::line_changed, this, [this] {
        if (isVisible()) {
            follow();
        }
    });
    connect(&workspace, &Workspace::code_changed, this, [this] {
        if (edited_ && isVisible()) {
            renew();
            go_to_chosen();
        }
        edited_ = false;
    });
    for (const auto signal : {&Workspace::code_changed, &Workspace::replay_changed, &Workspace::job_changed, &Workspace::failed,
                              &Workspace::findings_changed}) {
        connect(&workspace, signal, this, &LinksPane::renew_in_sight);
    }
    renew();
}

QWidget* LinksPane::build_head()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    operations_ = new QComboBox;
    operations_->setObjectName(QStringLiteral("links-operation"));
    operations_->setAccessibleName(tr("operation whose links are shown"));
    operations_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    tree_ = new LinkTree;
    column->addWidget(operations_);
    column->addWidget(tree_, 1);
    const auto add_button = [&](QHBoxLayout* row, const QString& text, const char* name, const QString& tip) {
        auto* out = named_button(text, QLatin1String(name), tip);
        row->addWidget(out);
        return out;
    };
    auto* first = new QHBoxLayout;
    first->setSpacing(6);
    auto* up = add_button(first, tr("Up"), "link-up", tr("Before the partial move above it (Alt+Up)"));
    auto* down = add_button(first, tr("Down"), "link-down", tr("After the partial move below it (Alt+Down)"));
    auto* split = add_button(first, tr("Split"), "link-split", tr("One joint after the other, or the rotary joints before the others"));
    auto* add = add_button(first, tr("+ Move"), "link-add", tr("Another partial move after the chosen one"));
    auto* away = add_button(first, tr("Remove"), "link-remove", tr("Removes the chosen partial move (Delete)"));
    first->addStretch(1);
    auto* second = new QHBoxLayout;
    second->setSpacing(6);
    auto* play = add_button(second, tr("Play this link"), "link-play", tr("Moves the machine along this list, and nothing else"));
    safe_ = add_button(second, tr("Use the safe links"), "link-safe", tr("The safe partial moves, which the job does not state"));
    second->addStretch(1);
    column->addLayout(first);
    column->addLayout(second);
    connect(operations_, &QComboBox::activated, this, [this](int index) {
        operation_ = std::size_t(std::max(0, index));
        chosen_ = {};
        show_message({});
        renew();
        go_to_chosen();
    });
    connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item != nullptr && !filling_) {
            chosen_ = {LinkList(item->data(0, list_role).toInt()), item->data(0, step_role).toInt()};
            show_message({});
            renew_step();
            go_to_chosen();
        }
    });
    connect(tree_, &LinkTree::dragged, this, [this](int which, int from, int to) { move(LinkList(which), from, to); });
    connect(tree_, &LinkTree::nudged, this, &LinksPane::nudge_chosen);
    connect(tree_, &LinkTree::removed, this, &LinksPane::remove_chosen);
    connect(up, &QPushButton::clicked, this, [this] { nudge_chosen(true); });
    connect(down, &QPushButton::clicked, this, [this] { nudge_chosen(false); });
    connect(away, &QPushButton::clicked, this, &LinksPane::remove_chosen);
    connect(split, &QPushButton::clicked, this, &LinksPane::split_chosen);
    connect(add, &QPushButton::clicked, this, &LinksPane::add_after_chosen);
    connect(safe_, &QPushButton::clicked, this, [this] {
        if (assembly() != nullptr) {
            edit(tr("safe links"), [&](const json::Document& d) { return without_list(d, *assembly(), operation_, chosen_.list); });
        }
    });
    connect(play, &QPushButton::clicked, this, &LinksPane::play);
    return box;
}

QWidget* LinksPane::build_clearance()
{
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    shape_ = new QComboBox;
    shape_->setObjectName(QStringLiteral("link-clearance"));
    shape_->setAccessibleName(tr("shape of the clearance surface"));
    shape_->setToolTip(tr("Outside it the tool may move freely; links move along it"));
    for (const auto& [text, key] : {std::pair(tr("none"), ""), std::pair(tr("plane"), "plane"), std::pair(tr("cylinder"), "cylinder"),
                                    std::pair(tr("sphere"), "sphere"), std::pair(tr("box"), "box")}) {
        shape_->addItem(text, QLatin1String(key));
    }
    column->addLayout(labelled_row(tr("Clearance surface"), *shape_));
    surface_ = new FieldForm;
    column->addWidget(surface_, 1);
    connect(shape_, &QComboBox::activated, this, [this](int index) {
        const auto& results = workspace_.results();
        if (assembly() != nullptr && operation_ < results->posted->run.outline.operations.size()) {
            edit(tr("clearance surface"), [&](const json::Document& d) {
                return with_clearance(d, *assembly(), operation_, shape_->itemData(index).toString().toStdString(),
                                      results->posted->run.outline.operations[operation_]);
            });
        }
    });
    connect(surface_, &FieldForm::typed, this, [this](std::size_t index, const QString& text) {
        const FormField field = surface_->field(index);
        edit(
            tr("%1 of the clearance surface").arg(QString::fromStdString(field.title)),
            [&](const json::Document& d) { return with_clearance_value(d, *assembly(), operation_, field, text.toStdString()); }, true);
        if (const auto document = workspace_.documents().parsed(QString::fromStdString(assembly()->job_file))) {
            surface_->typed_in(document->text());
        }
    });
    connect(surface_, &FieldForm::left, this, [this] {
        read();
        renew_clearance();
    });
    return box;
}

// --- what is shown --------------------------------------------------------------------------------------------------

const Assembly* LinksPane::assembly() const { return workspace_.results() ? &workspace_.results()->assembly() : nullptr; }

const std::vector<LinkStep>* LinksPane::list(LinkList which) const { return links_ ? &list_of(*links_, which) : nullptr; }

const LinkStep* LinksPane::step() const
{
    const auto* steps = list(chosen_.list);
    return steps != nullptr && chosen_.step >= 0 && chosen_.step < int(steps->size()) ? &(*steps)[std::size_t(chosen_.step)] : nullptr;
}

void LinksPane::read()
{
    // Of an older code they would be of the lists before the edit.
    blocks_.read(workspace_.is_code_old() ? nullptr : workspace_.results().get(), operation_);
    problem_.reset();
    const Assembly* a = assembly();
    auto document = a != nullptr ? workspace_.documents().parsed(QString::fromStdString(a->job_file)) : Result<json::Document>(Error{});
    auto links = document ? links_in(*document, *a, operation_) : Result<OperationLinks>(document.error());
    if (links) {
        links_ = std::move(*links);
    } else {
        problem_ = a != nullptr ? std::optional(links.error()) : std::nullopt;
        links_ = a != nullptr ? links_ : std::nullopt;
    }
    document_ = document ? std::optional(std::move(*document)) : std::nullopt;
}

void LinksPane::renew()
{
    {
        const QSignalBlocker quiet(operations_);
        operations_->clear();
        if (assembly() != nullptr) {
            for (const JobOperation& operation : assembly()->job.operations) {
                operations_->addItem(
                    QStringLiteral("%1  %2").arg(QString::fromStdString(operation.id), QString::fromStdString(operation.name)));
            }
        }
        operation_ = std::min(operation_, std::size_t(std::max(0, operations_->count() - 1)));
        operations_->setCurrentIndex(int(operation_));
    }
    read();
    renew_tree();
    renew_step();
    renew_clearance();
    show_surface();
    show_message(refused_);
}

void LinksPane::renew_tree()
{
    filling_ = true;
    tree_->clear();
    QTreeWidgetItem* chosen = nullptr;
    for (const LinkList which : {LinkList::approach, LinkList::within, LinkList::retreat}) {
        const auto* steps = list(which);
        if (steps == nullptr) {
            break;
        }
        auto* group = new QTreeWidgetItem(tree_);
        group->setText(0, steps->empty() ? tr("%1: by retreat and approach").arg(title_of(which)) : title_of(which));
        group->setData(0, list_role, int(which));
        group->setData(0, step_role, -1);
        group->setFlags(group->flags() & ~Qt::ItemIsDragEnabled);
        QFont strong = group->font(0);
        strong.setWeight(QFont::DemiBold);
        group->setFont(0, strong);
        chosen = which == chosen_.list ? group : chosen;
        for (std::size_t i = 0; i < steps->size(); ++i) {
            auto* item = new QTreeWidgetItem(group);
            item->setText(
                0, QStringLiteral("%1  %2").arg(i + 1).arg(QString::fromStdString(description_of((*steps)[i], assembly()->machine))));
            item->setToolTip(0, item->text(0));
            item->setData(0, list_role, int(which));
            item->setData(0, step_role, int(i));
            item->setFlags(item->flags() & ~Qt::ItemIsDropEnabled);
            if (const LinkMark* mark = blocks_.of(which, i, selection_.line())) {
                item->setText(1, mark->end == mark->first + 1 ? QString::number(mark->end)
                                                              : QStringLiteral("%1–%2").arg(mark->first + 1).arg(mark->end));
            } else {
                item->setText(1, QStringLiteral("–"));
                item->setToolTip(1, tr("It moves nothing here"));
            }
            item->setForeground(1, colour(tokens().soft));
            State state = State::fits;
            const QString word = blocks_.trouble(which, i, workspace_.findings(), state);
            if (!word.isEmpty()) {
                item->setText(2, word);
                item->setIcon(2, icon_of(state));
                item->setForeground(2, colour_of(state));
            }
            chosen = which == chosen_.list && int(i) == chosen_.step ? item : chosen;
        }
    }
    tree_->expandAll();
    if (chosen != nullptr) {
        tree_->setCurrentItem(chosen);
        tree_->scrollToItem(chosen);
        chosen_.step = chosen->data(0, step_role).toInt();
    }
    filling_ = false;
}

void LinksPane::renew_step()
{
    const Assembly* a = assembly();
    const auto* steps = list(chosen_.list);
    safe_->setVisible(steps != nullptr && document_ && states_list(*document_, *a, operation_, chosen_.list));
    const LinkStep* now = step();
    step_->show_step(now, a != nullptr ? &a->machine : nullptr,
                     now != nullptr ? joints_of(*a, a->posture_of(operation_)) : std::vector<JointIndex>());
}

void LinksPane::renew_clearance()
{
    const Assembly* a = assembly();
    if (!document_) {
        surface_->set_fields({}, {});
        return;
    }
    const std::string shape = clearance_shape(*document_, *a, operation_);
    shape_->setCurrentIndex(std::max(0, shape_->findData(QString::fromStdString(shape))));
    const ClearanceForm form = clearance_form(*document_, *a, operation_);
    surface_->set_fields(QStringLiteral("%1|%2").arg(operation_).arg(QString::fromStdString(shape)), form.fields);
    surface_->fill(*document_, form.path);
    for (std::size_t i = 0; i < surface_->size(); ++i) {
        const std::string other = other_units(*document_, form.path, surface_->field(i));
        surface_->note(i, other.empty() ? QString() : QStringLiteral("= ") + QString::fromStdString(other), colour(tokens().faint));
    }
}

/// Short ways along the surface between the corners of what the operation reaches, and a little beside.
void LinksPane::show_surface()
{
    std::vector<std::vector<Vec3>> lines;
    const auto& results = workspace_.results();
    if (isVisible() && results && links_ && links_->clearance && operation_ < results->posted->run.outline.operations.size()) {
        const OperationOutline& outline = results->posted->run.outline.operations[operation_];
        const Vec3 margin = Vec3::Constant(20);
        const Vec3 low = outline.low.cwiseMin(outline.high) - margin;
        const Vec3 high = outline.high.cwiseMax(outline.low) + margin;
        const auto corner = [&](int i) {
            return Vec3((i & 1) != 0 ? high.x() : low.x(), (i & 2) != 0 ? high.y() : low.y(), (i & 4) != 0 ? high.z() : low.z());
        };
        for (int i = 0; i < 8; ++i) {
            for (const int bit : {1, 2, 4}) {
                if ((i & bit) != 0) {
                    continue;
                }
                const SurfaceWay way = links_->clearance->way(corner(i), corner(i | bit));
                std::vector<Vec3> line;
                for (int k = 0; k <= way_parts; ++k) {
                    line.push_back(way.at(double(k) / way_parts));
                }
                lines.push_back(std::move(line));
            }
        }
    }
    Q_EMIT surface_shown(lines);
}

void LinksPane::hideEvent(QHideEvent* event)
{
    SightView::hideEvent(event);
    Q_EMIT surface_shown({});
}

/// The partial move that the block looked at belongs to is chosen; of several that hold one another, the inner one.
void LinksPane::follow()
{
    if (going_ || edited_ || !workspace_.results() || selection_.line() == Selection::none) {
        return;
    }
    const LinkMark* at = nullptr;
    for (const LinkMark& mark : workspace_.results()->posted->run.links) {
        const bool inside = mark.first <= selection_.line() && selection_.line() < mark.end;
        at = inside && (at == nullptr || mark.end - mark.first < at->end - at->first) ? &mark : at;
    }
    if (at != nullptr) {
        operation_ = at->operation;
        chosen_ = {at->list, int(at->step)};
        renew();
    }
}

/// The block looked at is the last one of what is chosen.
void LinksPane::go_to_chosen()
{
    const LinkMark* mark = step() != nullptr ? blocks_.of(chosen_.list, std::size_t(chosen_.step), selection_.line()) : nullptr;
    if (mark != nullptr) {
        going_ = true;
        selection_.select_line(mark->end - 1);
        going_ = false;
    }
}

/// All partial moves of the list, as they follow each other about the chosen one.
void LinksPane::play()
{
    const auto* steps = list(chosen_.list);
    if (steps == nullptr) {
        return;
    }
    const auto blocks = blocks_.of_list(chosen_.list, steps->size(), chosen_.step, selection_.line());
    if (!blocks) {
        Q_EMIT reported(tr("No block of this link moves anything: the machine is there already."));
        return;
    }
    Q_EMIT play_wanted(
        blocks->first, blocks->second,
        tr("%1 of operation %2").arg(title_of(chosen_.list), QString::fromStdString(assembly()->job.operations[operation_].id)));
}

// --- edits ----------------------------------------------------------------------------------------------------------

bool LinksPane::edit(const QString& label, const std::function<Result<std::string>(const json::Document&)>& change, bool typing)
{
    const auto error = workspace_.documents().rewrite(QString::fromStdString(assembly()->job_file), label, change,
                                                      typing ? Documents::Joins::form : Documents::Joins::none);
    refused_ = error ? QString::fromStdString(error->message + "; " + error->cure) : QString();
    typing || error ? show_message(refused_) : renew();
    return !error;
}

void LinksPane::change(const QString& label, LinkList which, const LinkItems& items, int then)
{
    const Chosen before = std::exchange(chosen_, {which, then});
    edited_ = true;
    if (!edit(label, [&](const json::Document& d) { return with_list(d, *assembly(), operation_, which, items); })) {
        chosen_ = before;
        edited_ = false;
    }
}

void LinksPane::change_step(const LinkStep& next)
{
    LinkItems items = items_of(list(chosen_.list)->size());
    items[std::size_t(chosen_.step)] = {std::nullopt, next};
    change(tr("partial move %1").arg(QString::fromStdString(description_of(next, assembly()->machine))), chosen_.list, items, chosen_.step);
}

void LinksPane::nudge_chosen(bool up)
{
    const auto* steps = list(chosen_.list);
    const int to = chosen_.step + (up ? -1 : 1);
    if (step() != nullptr && to >= 0 && to < int(steps->size())) {
        move(chosen_.list, chosen_.step, to);
    }
}

void LinksPane::remove_chosen()
{
    if (step() != nullptr) {
        LinkItems items = items_of(list(chosen_.list)->size());
        items.erase(items.begin() + chosen_.step);
        change(tr("partial move removed"), chosen_.list, items, std::max(0, chosen_.step - 1));
    }
}

void LinksPane::split_chosen()
{
    if (step() == nullptr) {
        return;
    }
    const auto& steps = *list(chosen_.list);
    const LinkItems parts = with_split(items_of(steps.size()), std::size_t(chosen_.step), steps, *assembly(), operation_);
    if (parts.size() == steps.size()) {
        show_message(tr("This partial move is one motion: there is nothing to split."));
    } else {
        change(tr("partial move split"), chosen_.list, parts, chosen_.step);
    }
}

void LinksPane::add_after_chosen()
{
    const auto* steps = list(chosen_.list);
    if (steps == nullptr) {
        return;
    }
    const LinkStep fresh{chosen_.list == LinkList::approach ? LinkTarget::clear : LinkTarget::leave, {}, {}};
    LinkItems items = items_of(steps->size());
    const bool ends = chosen_.list != LinkList::retreat && chosen_.step + 1 == int(steps->size()) && !steps->empty();
    const int at = ends ? chosen_.step : chosen_.step + 1; // the last one has to stay last
    items.insert(items.begin() + at, {std::nullopt, fresh});
    if (chosen_.list != LinkList::retreat && steps->empty()) {
        items.push_back({std::nullopt, {LinkTarget::start, {}, {}}});
    }
    change(tr("partial move added"), chosen_.list, items, at);
}

void LinksPane::move(LinkList which, int from, int to)
{
    const auto* steps = list(which);
    if (steps != nullptr && from < int(steps->size()) && to < int(steps->size())) {
        change(tr("order of the partial moves"), which, with_moved(items_of(steps->size()), std::size_t(from), std::size_t(to)), to);
    }
}

void LinksPane::show_message(const QString& refused)
{
    refused_ = refused;
    QString text = refused;
    if (text.isEmpty() && problem_) {
        text = tr("The job's text states no links here: %1; %2. Shown is the last good state.")
                   .arg(QString::fromStdString(problem_->message), QString::fromStdString(problem_->cure));
    }
    wrong_->setStyleSheet(QStringLiteral("color:%1").arg(colour_of(State::beyond).name()));
    wrong_->setText(text);
    wrong_->setVisible(!text.isEmpty());
}

} // namespace wexilum::app
