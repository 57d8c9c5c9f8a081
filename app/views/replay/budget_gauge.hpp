// A figure with its budget, as a gauge.
#pragma once

#include <QString>
#include <QWidget>

namespace wexilum::app {

class BudgetGauge final : public QWidget {
    Q_OBJECT
public:
    explicit BudgetGauge(QString name, QWidget* parent = nullptr);
    void set_value(double value, double budget, int decimals);
    void clear();
    [[nodiscard]] QSize sizeHint() const override; ///< room for its text

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QString name_;
    QString text_;
    double ratio_ = -1;
};

} // namespace wexilum::app
