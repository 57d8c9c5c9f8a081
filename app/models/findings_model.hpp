// The findings as a table, and a filter over it.
#pragma once

#include "app/models/workspace.hpp"
#include "app/theme/tokens.hpp"

#include <QAbstractTableModel>
#include <QSortFilterProxyModel>

namespace wexilum::app {

/// The shape that a finding is shown with.
[[nodiscard]] State state_of(const Finding& finding);
/// Where it is, for people: "mirror-back.cl:1886–1922", "block 12".
[[nodiscard]] QString place_text(const Finding& finding);
/// The same, with the name of the file where it is none of the job's.
[[nodiscard]] QString place_text(const FoundAt& found);

class FindingsModel final : public QAbstractTableModel {
    Q_OBJECT
public:
    enum Column { kind, text, place, cure, columns };
    explicit FindingsModel(Workspace& workspace, QObject* parent = nullptr);

    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    /// Precondition: a row of the model. The reference lives until the model is reset.
    [[nodiscard]] const FoundAt& at(int row) const { return found_[std::size_t(row)]; }

private:
    std::vector<FoundAt> found_;
};

/// Shows rows whose text holds all words typed, of at least one severity.
class FindingsFilter final : public QSortFilterProxyModel {
    Q_OBJECT
public:
    using QSortFilterProxyModel::QSortFilterProxyModel;
    void set_text(const QString& text);
    void set_least(Severity least);

protected:
    [[nodiscard]] bool filterAcceptsRow(int row, const QModelIndex& parent) const override;

private:
    QStringList words_;
    Severity least_ = Severity::remark;
};

} // namespace wexilum::app
