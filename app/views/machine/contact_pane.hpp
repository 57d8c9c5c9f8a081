// What is to be kept apart, and what meets what along the job: a matrix of clearances, the check, and the places that it finds.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/frame/parts.hpp"
#include "core/follow/contact_report.hpp"

#include <QLabel>
#include <QProgressBar>
#include <QTableWidget>
#include <QTimer>

namespace wexilum::app {

class ContactPane final : public SightView {
    Q_OBJECT
public:
    ContactPane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& matrix() { return *matrix_; }
    [[nodiscard]] QTableWidget& places() { return *places_; }

Q_SIGNALS:
    /// A place is looked at; null: none is.
    void place_chosen(const ContactPlace* place);

protected:
    void hideEvent(QHideEvent* event) override;

private:
    void connect_parts();
    void renew() override;
    void renew_matrix();
    void renew_places();
    void renew_check();
    void fit_columns(const QStringList& titles);
    void typed(int row, int column);
    [[nodiscard]] QString path() const; ///< of the job's machine; empty: there is none

    Workspace& workspace_;
    Selection& selection_;
    QLabel* note_;
    QTableWidget* matrix_;
    QLabel* wrong_;
    QPushButton* check_;
    QProgressBar* progress_;
    QPushButton* stop_;
    QLabel* message_;
    QTableWidget* places_;
    QTimer ticker_;
    std::shared_ptr<const ContactReport> shown_;
    bool filling_ = false;
};

} // namespace wexilum::app
