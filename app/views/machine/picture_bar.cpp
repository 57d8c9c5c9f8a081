#include "app/views/machine/picture_bar.hpp"

#include "app/views/frame/parts.hpp"

#include <QHBoxLayout>
#include <QPushButton>

namespace wexilum::app {

PictureBar::PictureBar(MachinePicture& picture, QWidget* parent) : QWidget(parent), picture_(picture)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    auto* colouring =
        bar_choice(tr("what the path's colour shows"), {tr("Path by state"), tr("Path by operation"), tr("Path by deviation")},
                   tr("What the colour of the path shows"));
    colouring->setObjectName(QStringLiteral("colouring"));
    auto* view = bar_choice(
        tr("fixed view"),
        {tr("From the corner"), tr("From the front"), tr("From behind"), tr("From the right"), tr("From the left"), tr("From above")},
        tr("Fixed views; drag in the picture to turn it, with Shift or the right button to move it"));
    view->setObjectName(QStringLiteral("fixed-view"));
    auto* riding = bar_choice(tr("camera"), {tr("Machine fixed"), tr("Part fixed")}, tr("What keeps still while axes move"));
    riding->setObjectName(QStringLiteral("riding"));
    section_ = bar_choice(tr("section"), {tr("No section"), tr("Cut across X"), tr("Cut across Y"), tr("Cut across Z")},
                          tr("Hides what lies in front of a plane across an axis of the machine; the tool and the path stay"));
    section_->setObjectName(QStringLiteral("section"));
    section_place_ = new QSlider(Qt::Horizontal);
    section_place_->setObjectName(QStringLiteral("section-place"));
    section_place_->setAccessibleName(tr("place of the section"));
    section_place_->setToolTip(tr("Position of the section, from end to end of the machine"));
    section_place_->setRange(0, 1000);
    section_place_->setValue(500);
    section_place_->setFixedWidth(110);
    section_place_->setVisible(false);
    auto* whole = named_button(tr("Fit machine"), QStringLiteral("fit-machine"), tr("Zoom to the machine"));
    auto* path = named_button(tr("Fit path"), QStringLiteral("fit-path"), tr("Zoom to the cuts of the path"));
    row->addWidget(colouring);
    row->addWidget(view);
    row->addWidget(riding);
    row->addWidget(section_);
    row->addStretch(1);
    row->addWidget(whole);
    row->addWidget(path);
    connect(colouring, &QComboBox::currentIndexChanged, this,
            [this](int index) { picture_.set_colouring(static_cast<PathColouring>(index)); });
    connect(view, &QComboBox::activated, this, [this](int index) { picture_.look(static_cast<Camera::View>(index)); });
    connect(riding, &QComboBox::currentIndexChanged, this,
            [this](int index) { picture_.show([&](MachineScene& scene) { scene.riding = static_cast<Riding>(index); }); });
    connect(section_, &QComboBox::currentIndexChanged, this, [this](int index) {
        section_place_->setVisible(index > 0);
        show_section();
    });
    connect(section_place_, &QSlider::valueChanged, this, &PictureBar::show_section);
    connect(whole, &QPushButton::clicked, &picture, &MachinePicture::fit_machine);
    connect(path, &QPushButton::clicked, &picture, &MachinePicture::fit_path);
}

void PictureBar::show_section()
{
    const int axis = section_->currentIndex() - 1;
    if (axis < 0 || picture_.scene().machine() == nullptr) {
        picture_.show([](MachineScene& scene) { scene.section.reset(); });
        return;
    }
    const auto [low, high] = picture_.scene().extent(axis);
    const double place = low + (high - low) * section_place_->value() / section_place_->maximum();
    section_place_->setToolTip(
        tr("The section lies at %1 mm of the machine's %2").arg(place, 0, 'f', 1).arg(QStringLiteral("XYZ").mid(axis, 1)));
    picture_.show([&](MachineScene& scene) { scene.section = Cutaway{axis, place}; });
}

} // namespace wexilum::app
