// One axis to jog: a band to drag, a field to type into, and what is left of its travel.
#pragma once

#include "app/views/machine/axis_band.hpp"

#include <QLabel>
#include <QLineEdit>
#include <QWidget>

namespace wexilum::app {

/// The band of one axis as a slider.
class AxisHandle final : public QWidget {
    Q_OBJECT
public:
    explicit AxisHandle(QWidget* parent = nullptr);
    void set_show(const AxisShow& show, bool rotary);
    [[nodiscard]] const AxisShow& show_now() const { return show_; }
    /// x in the widget of a reading.
    [[nodiscard]] double x_of(double reading) const { return band_x(show_, band(), reading); }
    [[nodiscard]] QSize sizeHint() const override { return {160, 22}; }

Q_SIGNALS:
    void jogged(double reading); ///< mm or rad

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    [[nodiscard]] QRectF band() const { return QRectF(rect()).adjusted(7, 2, -7, -2); }
    void drag(double x);
    AxisShow show_;
    bool rotary_ = false;
};

class AxisRow final : public QWidget {
    Q_OBJECT
public:
    explicit AxisRow(QWidget* parent = nullptr);
    /// `follows`: what the joint moves with; empty: it is moved by itself.
    void set_axis(const Joint& joint, const AxisShow& show, const QString& follows = {});
    [[nodiscard]] AxisHandle& handle() { return *handle_; }
    [[nodiscard]] QLineEdit& field() { return *field_; }

Q_SIGNALS:
    void jogged(double reading);

private:
    void typed();
    Joint joint_;
    AxisShow show_;
    QLabel* name_;
    AxisHandle* handle_;
    QLineEdit* field_;
    QLabel* margin_;
};

} // namespace wexilum::app
