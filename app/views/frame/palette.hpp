// Everything the window can do, by typing a few letters of it.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

#include <functional>
#include <vector>

namespace wexilum::app {

struct Command {
    QString name;
    QString hint; ///< its keys, or what it is
    std::function<void()> run;
};

class CommandPalette final : public QDialog {
    Q_OBJECT
public:
    /// `more` gives commands for what is typed, e.g. "go to line 12".
    CommandPalette(std::vector<Command> commands, std::function<std::vector<Command>(const QString&)> more, QWidget* parent);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void fill(const QString& typed);
    void take();

    std::vector<Command> commands_;
    std::function<std::vector<Command>(const QString&)> more_;
    std::vector<Command> shown_;
    QLineEdit* typed_;
    QListWidget* list_;
};

} // namespace wexilum::app
