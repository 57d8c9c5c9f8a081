// The machine's attachments: which is fitted in the picture, how its scales stand, its gauge lengths as a sketch, and who uses it.
#pragma once

#include "app/models/selection.hpp"
#include "app/views/frame/parts.hpp"
#include "core/machine/head_sketch.hpp"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>

namespace wexilum::app {

/// A head from the side, with its figures.
class HeadDrawing final : public QWidget {
    Q_OBJECT
public:
    explicit HeadDrawing(QWidget* parent = nullptr);
    void set_sketch(const std::optional<HeadSketch>& sketch, double tool_length);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    std::optional<HeadSketch> sketch_;
    double tool_length_ = 0;
};

class HeadsPane final : public QWidget {
    Q_OBJECT
public:
    HeadsPane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);

    /// The machine that is drawn, and where its joints stand; null: there is none.
    void set_position(const Machine* machine, const std::optional<Readings>& readings, double tool_length);

Q_SIGNALS:
    /// A tool mount is to be seen fitted, by its place; nothing: as the operation has it.
    void fit_wanted(const std::optional<std::uint32_t>& mount);
    void turn_wanted(std::size_t joint, double reading);

protected:
    void hideEvent(QHideEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    void renew();
    void renew_scales();
    void renew_users();
    void draw();
    [[nodiscard]] std::optional<std::uint32_t> chosen() const;

    Workspace& workspace_;
    Selection& selection_;
    const Machine* machine_ = nullptr;
    std::optional<Readings> position_;
    QComboBox* heads_;
    QLabel* state_;
    QWidget* scales_;
    std::vector<std::pair<JointIndex, QLabel*>> scale_rows_;
    QString scales_of_; ///< mount and joints whose rows there are
    QLineEdit* length_;
    HeadDrawing* drawing_;
    QLabel* figures_;
    QListWidget* users_;
};

} // namespace wexilum::app
