// What was read and measured at the machine, in a table: which of it the drawing holds, what would explain what it misses, and a fit.
#pragma once

#include "app/models/machine_editor.hpp"
#include "app/views/frame/parts.hpp"
#include "core/machine/calibration.hpp"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>

namespace wexilum::app {

class WitnessPane final : public SightView {
    Q_OBJECT
public:
    explicit WitnessPane(MachineEditor& editor, QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& table() { return *table_; }

Q_SIGNALS:
    void reported(const QString& message);
    void witness_chosen(const Readings& readings);

private:
    QWidget* build_fit();
    void renew() override;
    void renew_table();
    void renew_why();
    void renew_sources();
    void typed(int row, int column);
    void paste();
    void fit();
    void write_overlay();
    void change(const QString& label, const std::function<Result<std::string>(const json::Document&)>& edit);
    [[nodiscard]] std::size_t witnesses() const; ///< in the text

    MachineEditor& editor_;
    QTableWidget* table_;
    QLabel* wrong_;
    QLabel* why_;
    QComboBox* source_ = nullptr;
    QLineEdit* length_ = nullptr;
    QLabel* found_ = nullptr;
    QTableWidget* residuals_ = nullptr;
    QPushButton* overlay_ = nullptr;
    std::vector<FormField> columns_; ///< of the table, before its last one
    std::optional<Calibration> fit_;
    std::string fitted_text_; ///< of the machine when it was fitted
    bool filling_ = false;
};

} // namespace wexilum::app
