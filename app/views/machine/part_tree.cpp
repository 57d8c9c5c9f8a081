#include "app/views/machine/part_tree.hpp"

#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"

#include <QDropEvent>
#include <QHeaderView>
#include <QKeyEvent>

namespace wexilum::app {
namespace {

constexpr int part_role = Qt::UserRole;        // its place in the file
constexpr int carrier_role = Qt::UserRole + 1; // the name under which it can carry others

/// "along +Z, −510 … 0": what a part is, in a few words.
QString description_of(const json::Document& document, const PartPath& path)
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
        const QString follows = value("Follows");
        return (follows.isEmpty() ? QString() : QObject::tr("with %1, ").arg(follows)) +
               (rotary ? QObject::tr("about %1") : QObject::tr("along %1")).arg(value("Direction")) +
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

QString text_of_path(const PartPath& path)
{
    QStringList out;
    for (const json::Step& step : path) {
        out.push_back(step.index() == 0 ? QString::fromStdString(std::get<std::string>(step))
                                        : QString::number(std::get<std::size_t>(step)));
    }
    return out.join(QLatin1Char('/'));
}

PartPath path_of_part(const QString& part)
{
    PartPath out;
    for (const QString& step : part.split(QLatin1Char('/'), Qt::SkipEmptyParts)) {
        bool number = false;
        const auto index = std::size_t(step.toUInt(&number));
        number ? out.emplace_back(index) : out.emplace_back(step.toStdString());
    }
    return out;
}

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

/// Names as wide as they are, up to less than half: the part's kind is beside them.
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

QString PartTree::part_of(const QTreeWidgetItem& item) { return item.data(0, part_role).toString(); }

QString PartTree::carrier() const
{
    for (const QTreeWidgetItem* item = currentItem(); item != nullptr; item = item->parent()) {
        const QString name = item->data(0, carrier_role).toString();
        if (!name.isEmpty()) {
            return name;
        }
    }
    return QStringLiteral("base");
}

QTreeWidgetItem* PartTree::put_machine(const json::Document& document)
{
    auto* root = new QTreeWidgetItem(this);
    root->setText(0, QString::fromStdString(wexilum::name_of(document, {})));
    root->setText(1, tr("the machine; base"));
    root->setForeground(1, colour(tokens().soft));
    root->setData(0, part_role, QString());
    root->setData(0, carrier_role, QStringLiteral("base"));
    root->setFlags(root->flags() & ~Qt::ItemIsDragEnabled);
    items_[QString()] = root;
    return root;
}

QTreeWidgetItem* PartTree::put(const json::Document& document, QTreeWidgetItem* under, const PartPath& path, const QString& carries,
                               bool drags)
{
    auto* item = new QTreeWidgetItem(under);
    const QString place = text_of_path(path);
    item->setText(0, QString::fromStdString(wexilum::name_of(document, path)));
    item->setText(1, description_of(document, path));
    item->setForeground(1, colour(tokens().soft));
    item->setData(0, part_role, place);
    item->setData(0, carrier_role, carries);
    item->setToolTip(0, item->text(0) + QStringLiteral(": ") + item->text(1));
    item->setFlags(drags ? item->flags() : item->flags() & ~Qt::ItemIsDragEnabled);
    items_[place] = item;
    return item;
}

QString PartTree::show_parts(const json::Document& document, const QString& part)
{
    filling_ = true;
    clear();
    items_.clear();
    QTreeWidgetItem* const root = put_machine(document);
    std::map<std::string, QTreeWidgetItem*> carriers{{"base", root}};
    const auto each = [](const json::Node& holder, const char* list, const auto& visit) {
        const json::Node* node = holder.find(list);
        for (std::size_t i = 0; node != nullptr && i < node->items.size(); ++i) {
            visit(i, node->items[i]);
        }
    };
    const auto under = [&](const json::Node& node) {
        const json::Node* parent = node.find("parent");
        const auto found = parent != nullptr ? carriers.find(parent->text) : carriers.end();
        return found != carriers.end() ? found->second : root;
    };
    each(document.root(), "joints", [&](std::size_t i, const json::Node& node) {
        const std::string id = wexilum::name_of(document, {"joints", i});
        carriers[id] = put(document, under(node), {"joints", i}, QString::fromStdString(id), true);
    });
    for (const char* list : {"mounts", "bodies"}) {
        each(document.root(), list, [&](std::size_t i, const json::Node& node) { put(document, under(node), {list, i}, {}, true); });
    }
    each(document.root(), "attachments", [&](std::size_t i, const json::Node& node) {
        QTreeWidgetItem* const head = put(document, root, {"attachments", i}, {}, false);
        for (const char* list : {"joints", "bodies"}) {
            each(node, list, [&](std::size_t k, const json::Node&) { put(document, head, {"attachments", i, list, k}, {}, false); });
        }
    });
    each(document.root(), "witnesses", [&](std::size_t i, const json::Node&) { put(document, root, {"witnesses", i}, {}, false); });
    expandAll();
    fit_columns();
    const auto found = items_.find(part);
    QTreeWidgetItem* const chosen = found != items_.end() ? found->second : root;
    setCurrentItem(chosen);
    scrollToItem(chosen);
    filling_ = false;
    return part_of(*chosen);
}

} // namespace wexilum::app
