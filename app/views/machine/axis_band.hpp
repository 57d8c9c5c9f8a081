// One axis as a band: its travel, the part of it that the job uses, where it stands, and whether that is well.
#pragma once

#include "app/theme/theme.hpp"
#include "core/machine/machine.hpp"

#include <QWidget>

#include <optional>

namespace wexilum::app {

/// What a band shows; readings in mm or rad.
struct AxisShow {
    double reading = 0;
    std::optional<Travel> travel;
    std::optional<Travel> used; ///< by this job

    /// Of the reading against travel: beyond, low margin (nearer than low_margin_share of the travel) or fits.
    [[nodiscard]] State state() const;
    /// Distance to the nearest end of travel, negative beyond; nothing without travel.
    [[nodiscard]] std::optional<double> margin() const;
    /// What the band spans: travel, or a turn and what is used around the reading.
    [[nodiscard]] Travel span() const;
};

/// x of a reading in a band that takes `area`.
[[nodiscard]] double band_x(const AxisShow& axis, const QRectF& area, double reading);
/// The reading at x.
[[nodiscard]] double band_reading(const AxisShow& axis, const QRectF& area, double x);
void paint_band(QPainter& painter, const QRectF& area, const AxisShow& axis);

/// The axes of a machine below each other, to look at.
class AxisBars final : public QWidget {
    Q_OBJECT
public:
    explicit AxisBars(QWidget* parent = nullptr);
    struct Row {
        QString id;
        AxisShow show;
        QString text;
        QString margin;
    };
    void set_rows(std::vector<Row> rows);
    [[nodiscard]] const std::vector<Row>& rows() const { return rows_; }
    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    std::vector<Row> rows_;
};

} // namespace wexilum::app
