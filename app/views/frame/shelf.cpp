#include "app/views/frame/shelf.hpp"

#include "app/theme/theme.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLineEdit>
#include <QSignalBlocker>
#include <QTreeWidgetItemIterator>
#include <QVBoxLayout>

#include <array>
#include <functional>
#include <map>

namespace wexilum::app {
namespace {

struct Kind {
    const char* folder;
    const char* name;
    const char* suffix;
};
constexpr std::array<Kind, 9> kinds{{{"jobs", QT_TRANSLATE_NOOP("Shelf", "Jobs"), ".json"},
                                     {"toolpaths", QT_TRANSLATE_NOOP("Shelf", "Toolpaths"), toolpath_endings},
                                     {"machines", QT_TRANSLATE_NOOP("Shelf", "Machines"), ".json"},
                                     {"overlays", QT_TRANSLATE_NOOP("Shelf", "Overlays"), ".json"},
                                     {"setups", QT_TRANSLATE_NOOP("Shelf", "Setups"), ".json"},
                                     {"controllers", QT_TRANSLATE_NOOP("Shelf", "Controllers"), ".json"},
                                     {"dialects", QT_TRANSLATE_NOOP("Shelf", "Dialects"), ".json"},
                                     {"posts", QT_TRANSLATE_NOOP("Shelf", "Posts"), ".json"},
                                     {"rulebooks", QT_TRANSLATE_NOOP("Shelf", "Rulebooks"), "/rulebook.lua"}}};

/// What the shelf calls a file: without the ending where that is the usual one of its kind.
QString name_of(const Kind& kind, const QString& path)
{
    if (kind.suffix[0] == '/') {
        return path.section(QLatin1Char('/'), 1, 1);
    }
    const QString usual = QString::fromLatin1(kind.suffix).section(QLatin1Char(' '), 0, 0);
    const QString last = path.section(QLatin1Char('/'), -1);
    return last.endsWith(usual) ? last.chopped(usual.size()) : last;
}

} // namespace

Shelf::Shelf(Workspace& workspace, QWidget* parent) : QTreeWidget(parent), workspace_(workspace)
{
    setObjectName(QStringLiteral("shelf"));
    setAccessibleName(tr("contents of the project"));
    setProperty("place", "side");
    setHeaderHidden(true);
    setColumnCount(2);
    setIndentation(10);
    setRootIsDecorated(false);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(0, QHeaderView::Stretch);
    header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setTextElideMode(Qt::ElideRight);
    connect(this, &QTreeWidget::itemClicked, this, &Shelf::choose);
    connect(this, &QTreeWidget::itemActivated, this, &Shelf::choose);
    connect(&workspace.project(), &ProjectFiles::changed, this, &Shelf::fill);
    for (const auto signal : {&Workspace::job_changed, &Workspace::code_changed, &Workspace::replay_changed, &Workspace::failed}) {
        connect(&workspace, signal, this, &Shelf::mark);
    }
    connect(&workspace.documents(), &Documents::edited, this, &Shelf::mark);
    connect(&workspace.documents(), &Documents::saved, this, &Shelf::mark);
    fill();
}

QTreeWidgetItem* Shelf::item_of(const QString& path) const
{
    for (QTreeWidgetItemIterator at(const_cast<Shelf*>(this)); *at != nullptr; ++at) { // the iterator only reads
        if ((*at)->data(0, Qt::UserRole).toString() == path) {
            return *at;
        }
    }
    return nullptr;
}

void Shelf::set_filter(const QString& text)
{
    filter_ = text.trimmed();
    const std::function<bool(QTreeWidgetItem&, bool)> show = [&](QTreeWidgetItem& item, bool all) {
        const bool fits = all || item.text(0).contains(filter_, Qt::CaseInsensitive);
        bool any = item.childCount() == 0 && fits;
        for (int i = 0; i < item.childCount(); ++i) {
            any = show(*item.child(i), fits) || any;
        }
        item.setHidden(!any);
        return any;
    };
    for (int i = 0; i < topLevelItemCount(); ++i) {
        show(*topLevelItem(i), filter_.isEmpty());
    }
}

/// The name of the machine that a job is for; empty where its files do not say.
QString Shelf::machine_of(const QString& job_path) const
{
    const RealFileSystem files;
    const auto text_in = [&](const QString& path, const char* key) -> QString {
        auto text = files.read_all((workspace_.project().folder() + QLatin1Char('/') + path).toStdString(), json::max_bytes);
        const auto document = text ? json::Document::parse(std::move(*text), path.toStdString()) : Result<json::Document>(text.error());
        const json::Node* node = document ? document->root().find(key) : nullptr;
        return node != nullptr && node->kind == json::Kind::string ? QString::fromStdString(node->text) : QString();
    };
    const QString post = text_in(job_path, "post");
    const QString machine = post.isEmpty() ? QString() : text_in(post, "machine");
    return machine.isEmpty() ? QString() : text_in(machine, "name");
}

QTreeWidgetItem* Shelf::heading(const QString& name, QTreeWidgetItem* below)
{
    auto* top = below != nullptr ? new QTreeWidgetItem(below, {name}) : new QTreeWidgetItem(this, {name});
    top->setFlags(Qt::ItemIsEnabled);
    top->setFont(0, text_font(below != nullptr ? 0.92 : 1, below == nullptr));
    top->setForeground(0, colour(tokens().soft));
    top->setFirstColumnSpanned(true);
    return top;
}

void Shelf::fill()
{
    QStringList all{workspace_.project().folder()};
    for (const Kind& kind : kinds) {
        for (const QString& file : workspace_.project().files_in(QLatin1String(kind.folder), QLatin1String(kind.suffix))) {
            all.push_back(QLatin1String(kind.folder) + QLatin1Char('/') + file);
        }
    }
    if (all == shown_) {
        mark();
        return;
    }
    shown_ = all;
    const QSignalBlocker quiet(this);
    clear();
    std::map<std::pair<QString, bool>, QTreeWidgetItem*> groups; // of jobs, by machine and whether they have to fail
    for (const Kind& kind : kinds) {
        QTreeWidgetItem* top = nullptr;
        for (const QString& path : all) {
            if (!path.startsWith(QLatin1String(kind.folder) + QLatin1Char('/'))) {
                continue;
            }
            const QString name = name_of(kind, path);
            if (name.trimmed().isEmpty()) {
                continue;
            }
            if (top == nullptr) {
                top = heading(tr(kind.name), nullptr);
            }
            QTreeWidgetItem* below = top;
            if (&kind == &kinds.front()) { // jobs stand under their machine, those that have to fail apart
                const QString machine = machine_of(path);
                const bool fails = name.startsWith(QLatin1String("fails-"));
                const QString group = machine.isEmpty() ? tr("no machine") : machine;
                QTreeWidgetItem*& place = groups[{group, fails}];
                if (place == nullptr) {
                    QTreeWidgetItem*& of_machine = groups[{group, false}];
                    of_machine = of_machine != nullptr ? of_machine : heading(group, top);
                    place = fails ? heading(tr("have to fail"), of_machine) : of_machine;
                }
                below = place;
            }
            auto* item = new QTreeWidgetItem(below, {name});
            item->setData(0, Qt::UserRole, path);
        }
    }
    expandAll();
    for (const auto& [group, item] : groups) {
        const int last = item->childCount() - 1;
        if (!group.second && last >= 0 && item->child(last)->childCount() == 0) { // those that have to fail come last
            for (int i = 0; i < last; ++i) {
                if (item->child(i)->childCount() > 0) {
                    QTreeWidgetItem* apart = item->takeChild(i);
                    item->addChild(apart);
                    apart->setFirstColumnSpanned(true);
                    break;
                }
            }
        }
        if (group.second) {
            item->setExpanded(false);
        }
    }
    set_filter(filter_);
    mark();
}

/// Whether a job is proven, by shape and word.
void Shelf::mark_job(QTreeWidgetItem& item, const QString& job)
{
    const bool has_to_fail = job.startsWith(QLatin1String("fails-"));
    switch (workspace_.known(job)) {
    case Workspace::Known::not_run:
        item.setIcon(0, icon_of(app::State::waits));
        item.setToolTip(0, tr("not run since the project was opened"));
        break;
    case Workspace::Known::proven:
        item.setIcon(0, icon_of(has_to_fail ? app::State::margin : app::State::fits));
        item.setText(1, tr("proven"));
        item.setForeground(1, colour_of(has_to_fail ? app::State::margin : app::State::fits));
        break;
    case Workspace::Known::failed:
        item.setIcon(0, icon_of(has_to_fail ? app::State::fits : app::State::beyond));
        item.setText(1, has_to_fail ? tr("fails") : tr("failed"));
        item.setForeground(1, colour_of(has_to_fail ? app::State::fits : app::State::beyond));
        break;
    case Workspace::Known::stale:
        item.setIcon(0, icon_of(app::State::margin));
        item.setText(1, tr("stale"));
        item.setForeground(1, colour_of(app::State::margin));
        break;
    }
}

/// What the job at hand uses, what is not saved, and what can't be read.
void Shelf::mark()
{
    const auto& results = workspace_.results();
    const QString bad = workspace_.error() ? QString::fromStdString(workspace_.error()->place.file) : QString();
    QStringList used;
    if (results) {
        const Assembly& a = results->assembly();
        for (const std::string& path : {a.job.setup, a.job.overlay, a.job.post, a.post.machine, a.post.controller, a.post.dialect}) {
            used.push_back(QString::fromStdString(path));
        }
        for (const std::string& path : results->posted->toolpaths) {
            used.push_back(QString::fromStdString(path));
        }
    }
    const QString job = QStringLiteral("jobs/%1.json").arg(workspace_.job());
    for (QTreeWidgetItemIterator at(this); *at != nullptr; ++at) {
        QTreeWidgetItem* item = *at;
        const QString path = item->data(0, Qt::UserRole).toString();
        if (path.isEmpty()) {
            item->setForeground(0, colour(tokens().soft));
            continue;
        }
        const bool changed = workspace_.documents().is_changed(path);
        const bool is_job = path == job;
        item->setToolTip(0, path);
        item->setIcon(0, path == bad ? icon_of(app::State::beyond) : QIcon());
        item->setText(1, path == bad ? tr("error") : changed ? tr("not saved") : used.contains(path) ? tr("in use") : QString());
        item->setForeground(1, path == bad ? colour_of(app::State::beyond)
                               : changed   ? colour_of(app::State::margin)
                                           : colour(tokens().faint));
        if (path.startsWith(QStringLiteral("jobs/")) && path != bad && !changed) {
            mark_job(*item, path.section(QLatin1Char('/'), -1).chopped(5));
        }
        if (!item->text(1).isEmpty()) {
            item->setToolTip(0, tr("%1, %2").arg(path, item->text(1)));
        }
        item->setFont(1, text_font(0.88));
        item->setForeground(0, colour(tokens().ink));
        item->setFont(0, text_font(1, is_job));
        share_room(*item);
        const bool on_job = !currentItem() || currentItem()->data(0, Qt::UserRole).toString().startsWith(QStringLiteral("jobs/"));
        if (is_job && on_job && currentItem() != item) {
            setCurrentItem(item);
        }
    }
}

void Shelf::share_room(QTreeWidgetItem& item)
{
    int left = 0;
    for (const QTreeWidgetItem* above = item.parent(); above != nullptr; above = above->parent()) {
        left += indentation();
    }
    constexpr int beside = 60; // the shape, and what is free about name and word
    const int wanted = left + QFontMetrics(item.font(0)).horizontalAdvance(item.text(0)) +
                       QFontMetrics(item.font(1)).horizontalAdvance(item.text(1)) + beside;
    item.setFirstColumnSpanned(item.text(1).isEmpty() || (!item.icon(0).isNull() && wanted > viewport()->width()));
}

void Shelf::resizeEvent(QResizeEvent* event)
{
    QTreeWidget::resizeEvent(event);
    for (QTreeWidgetItemIterator at(this); *at != nullptr; ++at) {
        if (!(*at)->data(0, Qt::UserRole).toString().isEmpty()) {
            share_room(**at);
        }
    }
}

void Shelf::choose(QTreeWidgetItem* item)
{
    const QString path = item->data(0, Qt::UserRole).toString();
    if (path.startsWith(QStringLiteral("jobs/"))) {
        Q_EMIT job_chosen(path.section(QLatin1Char('/'), -1).chopped(5));
    } else if (!path.isEmpty()) {
        Q_EMIT file_chosen(path);
    }
}

ShelfPane::ShelfPane(Shelf& shelf, QWidget* parent) : QWidget(parent)
{
    set_surface(*this, "side");
    set_surface(shelf, "side");
    auto* filter = new QLineEdit;
    filter->setObjectName(QStringLiteral("shelf-filter"));
    filter->setPlaceholderText(tr("filter"));
    filter->setAccessibleName(tr("filter the contents of the project"));
    filter->setClearButtonEnabled(true);
    connect(filter, &QLineEdit::textChanged, &shelf, &Shelf::set_filter);
    auto* above = new QHBoxLayout;
    above->setContentsMargins(8, 6, 8, 4);
    above->addWidget(filter);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addLayout(above);
    column->addWidget(&shelf, 1);
}

} // namespace wexilum::app
