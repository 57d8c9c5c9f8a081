// Asks which program is to be read by itself, and with which machine, controller and setup.
#pragma once

#include "app/models/workspace.hpp"

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>

class QGridLayout;

namespace wexilum::app {

class ReadCodeDialog final : public QDialog {
    Q_OBJECT
public:
    /// Offers the files of the open project, and what was read last.
    ReadCodeDialog(const Workspace& workspace, const ReadFiles& before, QWidget* parent = nullptr);
    [[nodiscard]] ReadFiles files() const;

private:
    QComboBox* row(QGridLayout& grid, const QString& name, const QString& key, const QStringList& offered, const QString& chosen,
                   const QString& filter);
    /// What is missing, and whether reading can begin.
    void renew();

    QComboBox* code_;
    QComboBox* machine_;
    QComboBox* controller_;
    QComboBox* setup_;
    QLabel* message_;
    QPushButton* read_;
};

} // namespace wexilum::app
