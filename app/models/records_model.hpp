// The records of the job as a table.
#pragma once

#include <QAbstractTableModel>

namespace wexilum::app {

struct JobResults;
class Workspace;

class RecordsModel final : public QAbstractTableModel {
    Q_OBJECT
public:
    enum Column { number, event, line, text, columns };
    explicit RecordsModel(Workspace& workspace, QObject* parent = nullptr);

    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    std::shared_ptr<const JobResults> results_;
};

/// Lines of a toolpath's text from a record's first to the one before the next record's, at most `most`.
[[nodiscard]] QString record_text(const JobResults& results, std::uint32_t record, int most);

} // namespace wexilum::app
