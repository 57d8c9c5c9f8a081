// What the window shows while no project is open: how to get one.
#pragma once

#include <QWidget>

class QVBoxLayout;

namespace wexilum::app {

class StartPane final : public QWidget {
    Q_OBJECT
public:
    explicit StartPane(bool has_demo, QWidget* parent = nullptr);
    void set_recent(const QStringList& folders);

Q_SIGNALS:
    void demo_wanted();
    void read_wanted();
    void new_wanted();
    void open_wanted();
    void recent_wanted(const QString& folder);

private:
    QWidget* recent_;
    QVBoxLayout* list_;
};

} // namespace wexilum::app
