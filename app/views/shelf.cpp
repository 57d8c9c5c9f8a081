#include "app/views/shelf.hpp"

#include "app/theme/theme.hpp"

#include <QHeaderView>
#include <QSignalBlocker>

#include <array>

namespace wexilum::app {
namespace {

struct Kind {
    const char* folder;
    const char* name;
    const char* suffix;
};
constexpr std::array<Kind, 9> kinds{{{"jobs", QT_TRANSLATE_NOOP("Shelf", "Jobs"), ".json"},
                                     {"toolpaths", QT_TRANSLATE_NOOP("Shelf", "Toolpaths"), ".cl"},
                                     {"machines", QT_TRANSLATE_NOOP("Shelf", "Machines"), ".json"},
                                     {"overlays", QT_TRANSLATE_NOOP("Shelf", "Overlays"), ".json"},
                                     {"setups", QT_TRANSLATE_NOOP("Shelf", "Setups"), ".json"},
                                     {"controllers", QT_TRANSLATE_NOOP("Shelf", "Controllers"), ".json"},
                                     {"dialects", QT_TRANSLATE_NOOP("Shelf", "Dialects"), ".json"},
                                     {"posts", QT_TRANSLATE_NOOP("Shelf", "Posts"), ".json"},
                                     {"rulebooks", QT_TRANSLATE_NOOP("Shelf", "Rulebooks"), "/rulebook.lua"}}};

} // namespace

Shelf::Shelf(Workspace& workspace, QWidget* parent) : QTreeWidget(parent), workspace_(workspace)
{
    setObjectName(QStringLiteral("shelf"));
    setAccessibleName(tr("things of the project"));
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
    connect(&workspace, &Workspace::project_changed, this, &Shelf::fill);
    for (const auto signal : {&Workspace::job_changed, &Workspace::code_changed, &Workspace::failed}) {
        connect(&workspace, signal, this, &Shelf::mark);
    }
    connect(&workspace.documents(), &Documents::edited, this, &Shelf::mark);
    connect(&workspace.documents(), &Documents::saved, this, &Shelf::mark);
    fill();
}

QTreeWidgetItem* Shelf::item_of(const QString& path) const
{
    for (int i = 0; i < topLevelItemCount(); ++i) {
        for (int k = 0; k < topLevelItem(i)->childCount(); ++k) {
            if (topLevelItem(i)->child(k)->data(0, Qt::UserRole).toString() == path) {
                return topLevelItem(i)->child(k);
            }
        }
    }
    return nullptr;
}

void Shelf::fill()
{
    QStringList all{workspace_.folder()};
    for (const Kind& kind : kinds) {
        for (const QString& file : workspace_.files_in(QLatin1String(kind.folder), QLatin1String(kind.suffix))) {
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
    for (const Kind& kind : kinds) {
        QTreeWidgetItem* top = nullptr;
        for (const QString& path : all) {
            if (!path.startsWith(QLatin1String(kind.folder) + QLatin1Char('/'))) {
                continue;
            }
            if (top == nullptr) {
                top = new QTreeWidgetItem(this, {tr(kind.name)});
                top->setFlags(Qt::ItemIsEnabled);
                top->setFont(0, text_font(1, true));
                top->setForeground(0, colour(tokens().soft));
                top->setFirstColumnSpanned(true);
            }
            QString name = path.section(QLatin1Char('/'), -1);
            name.chop(int(qstrlen(kind.suffix)));
            auto* item = new QTreeWidgetItem(top, {name});
            item->setData(0, Qt::UserRole, path);
            item->setToolTip(0, path);
        }
    }
    expandAll();
    mark();
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
    for (int i = 0; i < topLevelItemCount(); ++i) {
        topLevelItem(i)->setForeground(0, colour(tokens().soft));
        for (int k = 0; k < topLevelItem(i)->childCount(); ++k) {
            QTreeWidgetItem* item = topLevelItem(i)->child(k);
            const QString path = item->data(0, Qt::UserRole).toString();
            const bool changed = workspace_.documents().is_changed(path);
            const bool is_job = path == job;
            item->setIcon(0, path == bad ? icon_of(app::State::beyond) : QIcon());
            item->setText(1, path == bad ? tr("error") : changed ? tr("not saved") : used.contains(path) ? tr("in use") : QString());
            item->setFirstColumnSpanned(item->text(1).isEmpty());
            item->setForeground(1, path == bad ? colour_of(app::State::beyond)
                                   : changed   ? colour_of(app::State::margin)
                                               : colour(tokens().faint));
            item->setFont(1, text_font(0.88));
            item->setForeground(0, colour(tokens().ink));
            item->setFont(0, text_font(1, is_job));
            const bool on_job = !currentItem() || currentItem()->data(0, Qt::UserRole).toString().startsWith(QStringLiteral("jobs/"));
            if (is_job && on_job && currentItem() != item) {
                setCurrentItem(item);
            }
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

} // namespace wexilum::app
