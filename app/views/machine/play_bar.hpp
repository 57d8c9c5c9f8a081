// Plays the job record by record: the selection moves on, and whoever follows it.
#pragma once

#include "app/models/selection.hpp"
#include "app/models/workspace.hpp"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <QSlider>
#include <QTimer>
#include <QWidget>

namespace wexilum::app {

class PlayBar final : public QWidget {
    Q_OBJECT
public:
    PlayBar(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    /// Another widget at its end.
    void add(QWidget* widget) { row_->addWidget(widget); }
    void renew();  ///< the results have changed
    void follow(); ///< the selection has moved
    /// Leaves out what keys do as well.
    void set_narrow(bool narrow);
    void play(bool on);
    void step(int records);
    void run_to_finding();

Q_SIGNALS:
    void reported(const QString& message);

private:
    void tick();

    Workspace& workspace_;
    Selection& selection_;
    QHBoxLayout* row_;
    QPushButton* play_;
    QPushButton* finding_;
    QComboBox* speed_;
    QSlider* position_;
    QTimer timer_;
    double due_ = 0;                        ///< records
    std::uint32_t until_ = Selection::none; ///< line at which playing ends
};

} // namespace wexilum::app
