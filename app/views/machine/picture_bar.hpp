// How the machine's picture is looked at: colours of the path, fixed views, what keeps still, a section.
#pragma once

#include "app/views/machine/machine_picture.hpp"

#include <QComboBox>
#include <QSlider>
#include <QWidget>

namespace wexilum::app {

class PictureBar final : public QWidget {
    Q_OBJECT
public:
    /// The picture must outlive the bar.
    explicit PictureBar(MachinePicture& picture, QWidget* parent = nullptr);
    /// Where the section is; it belongs beside the bar, and is there while a section is.
    [[nodiscard]] QSlider* section_place() const { return section_place_; }
    /// Cuts the machine across its middle: 0 X, 1 Y, 2 Z; anything else for no section.
    void show_section_across(int axis) { section_->setCurrentIndex(axis >= 0 && axis < 3 ? axis + 1 : 0); }
    void show_section(); ///< of the machine that is drawn now

private:
    MachinePicture& picture_;
    QComboBox* section_ = nullptr;
    QSlider* section_place_ = nullptr;
};

} // namespace wexilum::app
