#include "app/views/frame/start_pane.hpp"

#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"

#include <QDir>
#include <QFileInfo>
#include <QLabel>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int pane_width = 560;
constexpr int most_recent_shown = 6;

/// Room for all lines of a label that is so wide.
void hold_height(QLabel& label, int wide)
{
    const QRect all = QFontMetrics(text_font()).boundingRect(QRect(0, 0, wide, 1000), Qt::TextWordWrap, label.text());
    label.setMinimumHeight(all.height() + 4);
}

/// A button with what it does beside it.
QWidget* offer(QPushButton* button, const QString& text)
{
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(16);
    button->setFixedWidth(170);
    button->setMinimumHeight(34);
    box->setMinimumHeight(38);
    auto* words = new QLabel(text);
    words->setWordWrap(true);
    words->setProperty("role", "soft");
    hold_height(*words, pane_width - 190);
    row->addWidget(button, 0, Qt::AlignTop);
    row->addWidget(words, 1);
    return box;
}

} // namespace

StartPane::StartPane(bool has_demo, QWidget* parent) : QWidget(parent), recent_(new QWidget), list_(new QVBoxLayout(recent_))
{
    setObjectName(QStringLiteral("start"));
    auto* middle = new QWidget;
    middle->setFixedWidth(pane_width);
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(18);
    auto* title = new QLabel(tr("Wexilum"));
    title->setFont(text_font(2.0, true));
    auto* words = new QLabel(tr("From toolpath to code, and the proof that the code does what the toolpath says. A project is a folder of "
                                "plain text files: machines, controllers, dialects, posts, setups, jobs and toolpaths."));
    words->setWordWrap(true);
    hold_height(*words, pane_width - 10);
    column->addWidget(title);
    column->addWidget(words);
    auto* fresh = named_button(tr("New project …"), QStringLiteral("start-new"), tr("choose an empty folder for it"));
    auto* open = named_button(tr("Open project …"), QStringLiteral("start-open"), tr("choose a project's folder (Ctrl+O)"));
    auto* demo = named_button(tr("Look at the demo"), QStringLiteral("start-demo"), tr("opens a copy of the demo project"));
    column->addWidget(
        offer(fresh, tr("A small complete one to change into your own: a mill with three axes, its control, a setup, and a job "
                        "that is proven.")));
    column->addWidget(offer(open, tr("A folder with a project.json. An empty folder becomes a project.")));
    auto* shown = offer(demo, tr("Six machines of a made-up workshop, with heads, tables, a saw and a cylinder, in a copy of your own."));
    shown->setVisible(has_demo);
    column->addWidget(shown);
    auto* read = named_button(tr("Read code …"), QStringLiteral("start-read"), tr("a program by itself (Ctrl+Shift+O)"));
    column->addWidget(
        offer(read, tr("A program by itself, with a machine and a controller: its ways, tools, travel, contact and what is in "
                       "force, block by block.")));
    list_->setContentsMargins(0, 10, 0, 0);
    list_->setSpacing(6);
    column->addWidget(recent_);
    auto* rows = new QVBoxLayout(this);
    rows->addStretch(2);
    rows->addWidget(middle, 0, Qt::AlignHCenter);
    rows->addStretch(3);
    connect(fresh, &QPushButton::clicked, this, &StartPane::new_wanted);
    connect(open, &QPushButton::clicked, this, &StartPane::open_wanted);
    connect(demo, &QPushButton::clicked, this, &StartPane::demo_wanted);
    connect(read, &QPushButton::clicked, this, &StartPane::read_wanted);
    set_recent({});
}

void StartPane::set_recent(const QStringList& folders)
{
    while (QLayoutItem* item = list_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    auto* title = new QLabel(tr("Recent projects"));
    title->setFont(text_font(1, true));
    list_->addWidget(title);
    int count = 0;
    for (const QString& folder : folders) {
        if (!QFileInfo::exists(folder) || ++count > most_recent_shown) {
            continue;
        }
        auto* button = new QPushButton(QFileInfo(folder).fileName() + QStringLiteral("   ") + QDir::toNativeSeparators(folder));
        button->setFlat(true);
        button->setStyleSheet(QStringLiteral("text-align:left"));
        button->setAccessibleName(tr("open %1").arg(folder));
        connect(button, &QPushButton::clicked, this, [this, folder] { Q_EMIT recent_wanted(folder); });
        list_->addWidget(button);
    }
    recent_->setVisible(count > 0);
}

} // namespace wexilum::app
