#include "app/views/frame/read_code_dialog.hpp"

#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/job/assembly.hpp"

#include <QDialogButtonBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QLineEdit>
#include <QVBoxLayout>

namespace wexilum::app {
namespace {

constexpr int dialog_width = 640;

/// Paths of a project's files of one kind.
QStringList files_of(const Workspace& workspace, const QString& folder)
{
    QStringList out;
    if (!workspace.project().folder().isEmpty()) {
        for (const QString& name : workspace.project().files_in(folder, QStringLiteral(".json"))) {
            out.push_back(workspace.project().folder() + QLatin1Char('/') + folder + QLatin1Char('/') + name);
        }
    }
    return out;
}

} // namespace

ReadCodeDialog::ReadCodeDialog(const Workspace& workspace, const ReadFiles& before, QWidget* parent)
    : QDialog(parent), message_(new QLabel), read_(nullptr)
{
    setObjectName(QStringLiteral("read-code"));
    setWindowTitle(tr("Read code"));
    resize(dialog_width, sizeHint().height());
    auto* column = new QVBoxLayout(this);
    column->setSpacing(14);
    auto* words =
        new QLabel(tr("A program by itself: what it does on a machine, without a job or a toolpath. Nothing is compared, so nothing "
                      "is proven."));
    words->setWordWrap(true);
    words->setProperty("role", "soft");
    column->addWidget(words);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(10);
    grid->setVerticalSpacing(8);
    grid->setColumnStretch(1, 1);
    column->addLayout(grid);
    ReadFiles chosen = before;
    if (const auto& results = workspace.results(); results && !workspace.reading()) { // what the job at hand uses
        const auto whole = [&](const std::string& path) {
            return workspace.project().folder() + QLatin1Char('/') + QString::fromStdString(path);
        };
        const Assembly& a = results->assembly();
        chosen = {before.code, whole(a.post.machine), whole(a.post.controller), whole(a.job.setup)};
    }
    const QString json = tr("Definitions (*.json)");
    code_ = row(*grid, tr("Program"), QStringLiteral("read-program"), {}, chosen.code, tr("Programs (*)"));
    machine_ =
        row(*grid, tr("Machine"), QStringLiteral("read-machine"), files_of(workspace, QStringLiteral("machines")), chosen.machine, json);
    controller_ = row(*grid, tr("Controller"), QStringLiteral("read-controller"), files_of(workspace, QStringLiteral("controllers")),
                      chosen.controller, json);
    setup_ = row(*grid, tr("Setup"), QStringLiteral("read-setup"), files_of(workspace, QStringLiteral("setups")), chosen.setup, json);
    setup_->lineEdit()->setPlaceholderText(tr("none: work offsets and tool lengths count as 0"));
    message_->setObjectName(QStringLiteral("read-message"));
    message_->setWordWrap(true);
    column->addWidget(message_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    read_ = buttons->addButton(tr("Read"), QDialogButtonBox::AcceptRole);
    read_->setObjectName(QStringLiteral("read"));
    read_->setDefault(true);
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    renew();
}

QComboBox* ReadCodeDialog::row(QGridLayout& grid, const QString& name, const QString& key, const QStringList& offered,
                               const QString& chosen, const QString& filter)
{
    const int at = grid.rowCount();
    auto* label = new QLabel(name);
    auto* box = new QComboBox;
    box->setObjectName(key);
    box->setAccessibleName(name);
    box->setEditable(true);
    box->setInsertPolicy(QComboBox::NoInsert);
    box->addItems(offered);
    box->setCurrentText(chosen);
    box->setMinimumContentsLength(30);
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    label->setBuddy(box);
    auto* choose = named_button(tr("Choose …"), key + QStringLiteral("-choose"), tr("Choose the file"));
    grid.addWidget(label, at, 0);
    grid.addWidget(box, at, 1);
    grid.addWidget(choose, at, 2);
    connect(choose, &QPushButton::clicked, this, [this, box, name, filter] {
        const QString near = QFileInfo(box->currentText()).absolutePath();
        const QString path = QFileDialog::getOpenFileName(this, name, QFileInfo::exists(near) ? near : QDir::homePath(), filter);
        if (!path.isEmpty()) {
            box->setCurrentText(path);
        }
    });
    connect(box, &QComboBox::currentTextChanged, this, &ReadCodeDialog::renew);
    return box;
}

ReadFiles ReadCodeDialog::files() const
{
    const auto path = [](const QComboBox* box) {
        const QString text = box->currentText().trimmed();
        return text.isEmpty() ? text : QFileInfo(text).absoluteFilePath();
    };
    return {path(code_), path(machine_), path(controller_), path(setup_)};
}

void ReadCodeDialog::renew()
{
    if (read_ == nullptr) {
        return; // still being made
    }
    const ReadFiles now = files();
    QString missing;
    for (const auto& [name, path, needed] :
         {std::tuple(tr("the program"), now.code, true), std::tuple(tr("the machine"), now.machine, true),
          std::tuple(tr("the controller"), now.controller, true), std::tuple(tr("the setup"), now.setup, false)}) {
        if (missing.isEmpty() && (needed || !path.isEmpty()) && !QFileInfo(path).isFile()) {
            missing = path.isEmpty() ? tr("Choose %1.").arg(name) : tr("There is no file for %1 under this path.").arg(name);
        }
    }
    message_->setText(missing);
    read_->setEnabled(missing.isEmpty());
}

} // namespace wexilum::app
