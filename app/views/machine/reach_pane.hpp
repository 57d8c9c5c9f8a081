// Where the machine's tool can point: the half-sphere of directions with postures, margins and poles, the job's own drawn in, and what the
// job leaves of each axis' travel.
#pragma once

#include "app/models/selection.hpp"
#include "app/models/workspace.hpp"
#include "app/views/frame/parts.hpp"
#include "core/advice/reach.hpp"

#include <QComboBox>
#include <QImage>
#include <QLabel>
#include <QTableWidget>

namespace wexilum::app {

/// The map itself: the middle is the part's Z, or its opposite; areas are as large as on the sphere.
class ReachDisk final : public QWidget {
    Q_OBJECT
public:
    struct Mark {
        Vec3 axis; ///< part's frame
        std::size_t motion = 0;
    };
    explicit ReachDisk(QWidget* parent = nullptr);
    /// `part` turns the part's frame into the work mount's. Null: nothing is shown.
    void set_map(std::shared_ptr<const DirectionMap> map, const Mat3& part);
    void set_marks(std::vector<Mark> marks, std::optional<Vec3> here);
    void set_below(bool below);
    [[nodiscard]] QPointF place_of(const Vec3& axis) const;
    /// Nothing outside the disk.
    [[nodiscard]] std::optional<Vec3> axis_at(const QPointF& place) const;

Q_SIGNALS:
    void hovered(const std::optional<Vec3>& axis);
    void picked(std::size_t motion);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    [[nodiscard]] QRectF disk() const;
    void make_image();
    std::shared_ptr<const DirectionMap> map_;
    Mat3 part_ = Mat3::Identity();
    std::vector<Mark> marks_;
    std::optional<Vec3> here_;
    bool below_ = false;
    QImage image_;
};

class ReachPane final : public SightView {
    Q_OBJECT
public:
    ReachPane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] ReachDisk& disk() { return *disk_; }

private:
    void renew() override;
    void renew_map();
    void renew_marks();
    void find_marks();
    [[nodiscard]] Vec3 axis_of(std::size_t motion) const;
    void renew_travel();
    void show_direction(const std::optional<Vec3>& axis);

    Workspace& workspace_;
    Selection& selection_;
    QComboBox* half_;
    QLabel* head_;
    ReachDisk* disk_;
    QLabel* message_;
    QTableWidget* travel_;
    std::shared_ptr<const JobResults> results_; ///< whose machine the map has
    std::shared_ptr<const DirectionMap> map_;
    std::optional<std::size_t> operation_;
    std::vector<ReachDisk::Mark> marks_; ///< of both, once they are known
    bool marked_ = false;
};

} // namespace wexilum::app
