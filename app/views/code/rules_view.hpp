// The rules of the job at hand: the events of the last run in the order in which they came, what took them, and the rulebook's text.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/code/file_view.hpp"
#include "app/views/frame/parts.hpp"

#include <QAbstractTableModel>
#include <QLineEdit>
#include <QTableView>

namespace wexilum::app {

/// The events of a run as rows: event, how often it came, what took it.
class EventsModel final : public QAbstractTableModel {
    Q_OBJECT
public:
    using QAbstractTableModel::QAbstractTableModel;
    void set_events(std::vector<EventTally> events);
    [[nodiscard]] const EventTally& event(int row) const { return events_[std::size_t(row)]; }
    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(events_.size()); }
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : 3; }
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    std::vector<EventTally> events_;
};

class RulesView final : public SightView {
    Q_OBJECT
public:
    RulesView(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);

    /// Shows a place in a rulebook.
    void show_place(const QString& path, int line);
    [[nodiscard]] QTableView& events() { return *events_; }
    [[nodiscard]] FileView& text() { return *text_; }
    [[nodiscard]] QString answer() const { return answer_->text(); }

protected:
    void renew() override;

private:
    void show_handler(int row);
    void add_handler();
    void evaluate();
    void renew_help();

    Workspace& workspace_;
    Selection& selection_;
    EventsModel model_;
    QTableView* events_;
    QLabel* help_;
    QPushButton* add_;
    QLineEdit* expression_;
    QLabel* answer_;
    FileView* text_;
    QString folder_; ///< of the rulebook that is shown
};

} // namespace wexilum::app
