// What the shop sets before the run: part position, offsets, tools. Seen and edited, with effect at once.
#pragma once

#include "app/models/setup_models.hpp"
#include "app/views/code/file_view.hpp"

#include <QLineEdit>
#include <QTableView>
#include <QWidget>

namespace wexilum::app {

class SetupView final : public QWidget {
    Q_OBJECT
public:
    SetupView(Workspace& workspace, SetupEditor& editor, QWidget* parent = nullptr);
    [[nodiscard]] QTableView& works() { return *works_; }
    [[nodiscard]] QTableView& offsets() { return *offsets_; }
    [[nodiscard]] QTableView& tools() { return *tools_; }
    /// Reads a table of tools; what is wrong with it stands in the band.
    void import_tools(const QString& path);

Q_SIGNALS:
    void open_wanted(const QString& path);

private:
    QWidget* build_part();
    QWidget* build_works();
    QWidget* titled(QTableView& table, const QString& title, const QString& meaning);
    QWidget* build_offsets();
    QWidget* build_tools();
    void renew();
    void set_part(int field);
    void refuse(const QString& why);

    Workspace& workspace_;
    SetupEditor& editor_;
    OffsetsModel* offsets_model_;
    WorksModel* works_model_;
    ToolsModel* tools_model_;
    QWidget* part_box_ = nullptr; ///< of the setup's only part
    QWidget* works_box_ = nullptr;
    QTableView* works_ = nullptr;
    QTableView* offsets_ = nullptr;
    QTableView* tools_ = nullptr;
    std::array<QLineEdit*, 6> part_{}; ///< X Y Z, then turned about X, Y, Z
    QLabel* holder_ = nullptr;
    QLabel* who_ = nullptr;
    QLabel* refused_;
    ErrorBand* band_;
};

} // namespace wexilum::app
