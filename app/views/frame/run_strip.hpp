// The band on top of the window: the stations from toolpath to replay, with their figures and states. Navigation and health in one.
#pragma once

#include "app/models/stations.hpp"

#include <QAbstractButton>
#include <QWidget>

#include <array>

namespace wexilum::app {

class StationButton final : public QAbstractButton {
    Q_OBJECT
public:
    explicit StationButton(Station station, QWidget* parent = nullptr);
    void set_state(const StationState& state);
    [[nodiscard]] const StationState& state() const { return state_; }
    [[nodiscard]] QSize sizeHint() const override { return {150, 62}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    StationState state_;
};

class RunStrip final : public QWidget {
    Q_OBJECT
public:
    explicit RunStrip(Workspace& workspace, QWidget* parent = nullptr);
    void set_current(Station station);
    [[nodiscard]] StationButton& button(Station station) { return *buttons_[std::size_t(station)]; }

Q_SIGNALS:
    void chosen(Station station);

private:
    void renew();

    Workspace& workspace_;
    std::array<StationButton*, station_count> buttons_{};
};

} // namespace wexilum::app
