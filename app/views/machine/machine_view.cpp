#include "app/views/machine/machine_view.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "core/project/job_run.hpp"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QSignalBlocker>
#include <QSplitter>
#include <QVBoxLayout>

#include <cmath>

namespace wexilum::app {
namespace {

constexpr int way_tick_ms = 40;

} // namespace

MachineView::MachineView(Workspace& workspace, Selection& selection, MachineEditor& editor, QWidget* parent)
    : SightView(parent), workspace_(workspace), selection_(selection), editor_(editor), picture_(new MachinePicture),
      view_bar_(new PictureBar(*picture_)), play_bar_(new PlayBar(workspace, selection)), pane_(new DefinePane(editor)),
      jog_(new JogPane(workspace, selection)), links_(new LinksPane(workspace, selection)), contact_(new ContactPane(workspace, selection)),
      reach_(new ReachPane(workspace, selection)), witnesses_(new WitnessPane(editor)), heads_(new HeadsPane(workspace, selection)),
      charts_(new AxisCharts(workspace, selection)), beside_(new QStackedWidget),
      chart_(named_button(tr("Charts"), QStringLiteral("charts"),
                          tr("Position and speed of each axis over the job, in place of the sliders (Ctrl+E)"))),
      band_(new ErrorBand), axes_box_(new QWidget), axes_grid_(new QGridLayout(axes_box_)),
      back_(named_button(tr("Back to the block"), QStringLiteral("jog-back"), {}))
{
    setObjectName(QStringLiteral("machine-view"));
    auto* whole = new QVBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0);
    whole->setSpacing(0);
    whole->addWidget(build_bar());
    whole->addWidget(band_);
    auto* shown = new QWidget;
    auto* column = new QVBoxLayout(shown);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    across_ = new QSplitter(Qt::Horizontal);
    QSplitter* across = across_;
    across->setChildrenCollapsible(false);
    across->addWidget(beside_);
    across->addWidget(shown);
    across->setStretchFactor(1, 1);
    across->setSizes({360, 600});
    for (QWidget* pane : std::initializer_list<QWidget*>{pane_, jog_, links_, contact_, reach_, witnesses_, heads_}) {
        beside_->addWidget(pane);
    }
    beside_->setMinimumWidth(300);
    beside_->setVisible(false);
    picture_->setMinimumWidth(240);
    whole->addWidget(across, 1);
    auto* down = new QSplitter(Qt::Vertical);
    down->setChildrenCollapsible(false);
    down->addWidget(picture_);
    down->addWidget(charts_);
    down->setStretchFactor(0, 1);
    down->setSizes({190, 320});
    picture_->setMinimumHeight(120);
    charts_->setVisible(false);
    column->addWidget(down, 1);
    play_bar_->add(back_);
    column->addWidget(play_bar_);
    set_surface(*axes_box_, "paper");
    axes_grid_->setContentsMargins(14, 8, 14, 8);
    axes_grid_->setHorizontalSpacing(26);
    axes_grid_->setVerticalSpacing(3);
    column->addWidget(axes_box_);
    connect_parts();
    renew();
}

void MachineView::connect_parts()
{
    connect(play_bar_, &PlayBar::reported, this, &MachineView::reported);
    connect(back_, &QPushButton::clicked, this, &MachineView::follow);
    connect(picture_, &MachinePicture::picked, this, [this](std::size_t motion) {
        const auto& results = workspace_.results();
        if (results && results->replayed) {
            selection_.select_line(results->replayed->track.motions()[motion].block - 1);
        }
    });
    connect(band_, &ErrorBand::open_wanted, this, &MachineView::open_wanted);
    connect(pane_, &DefinePane::text_shown, this, &MachineView::give_room);
    connect(pane_, &DefinePane::reported, this, &MachineView::reported);
    connect(witnesses_, &WitnessPane::reported, this, &MachineView::reported);
    connect(witnesses_, &WitnessPane::witness_chosen, this, &MachineView::stand_by_hand);
    connect(heads_, &HeadsPane::fit_wanted, this, [this](const std::optional<std::uint32_t>& mount) {
        fitted_ = mount;
        show_position();
    });
    connect(heads_, &HeadsPane::turn_wanted, this, [this](std::size_t joint, double reading) {
        if (machine_position_ && joint < std::size_t(machine_position_->size())) {
            Readings next = *machine_position_;
            next[Eigen::Index(joint)] = reading;
            stand_by_hand(next);
        }
    });
    connect(jog_, &JogPane::jogged, this, &MachineView::stand_by_hand);
    connect(contact_, &ContactPane::place_chosen, this, &MachineView::show_contact);
    connect(links_, &LinksPane::surface_shown, this,
            [this](const std::vector<std::vector<Vec3>>& lines) { picture_->show([&](MachineScene& scene) { scene.lines = lines; }); });
    connect(links_, &LinksPane::reported, this, &MachineView::reported);
    connect(links_, &LinksPane::play_wanted, this, &MachineView::play_blocks);
    way_timer_.setInterval(way_tick_ms);
    connect(&way_timer_, &QTimer::timeout, this, &MachineView::tick_blocks);
    connect(chart_, &QPushButton::toggled, this, [this](bool on) {
        charts_->setVisible(on);
        axes_box_->setVisible(!on);
    });
    connect(&editor_, &MachineEditor::changed, this, [this] {
        if (is_defining()) {
            show_draft();
        }
    });
    connect(&selection_, &Selection::line_changed, this, &MachineView::follow);
    for (const auto signal : {&Workspace::code_changed, &Workspace::replay_changed, &Workspace::job_changed, &Workspace::failed}) {
        connect(&workspace_, signal, this, &MachineView::renew_in_sight);
    }
}

QWidget* MachineView::build_bar()
{
    auto* bar = new QWidget;
    set_surface(*bar, "bar");
    auto* both = new QVBoxLayout(bar);
    both->setContentsMargins(10, 5, 10, 5);
    both->setSpacing(5);
    auto* panes = new QHBoxLayout;
    panes->setSpacing(6);
    both->addLayout(panes);
    both->addWidget(view_bar_);
    for (const auto& [side, text, name, tip] :
         {std::tuple(Side::define, tr("Define"), "define", tr("The machine's parts and values (Ctrl+M)")),
          std::tuple(Side::jog, tr("Jog"), "show-jog", tr("Move the machine by hand: the tip along and about axes, or held (Ctrl+H)")),
          std::tuple(Side::links, tr("Links"), "show-links", tr("How the tool approaches, retreats and moves between places (Ctrl+L)")),
          std::tuple(Side::contact, tr("Contact"), "show-contact", tr("Clearances between parts, and contact along the job (Ctrl+R)")),
          std::tuple(Side::reach, tr("Reach"), "show-reach", tr("Where the tool can point, and what is left of the travel (Ctrl+I)")),
          std::tuple(Side::witnesses, tr("Witnesses"), "show-witnesses",
                     tr("Measured positions, what explains a deviation, and a fit (Ctrl+Shift+W)")),
          std::tuple(Side::heads, tr("Heads"), "show-heads",
                     tr("Attachments: fitted, turned by their scales, with their gauge lengths (Ctrl+Shift+A)"))}) {
        auto* one = named_button(text, QLatin1String(name), tip);
        one->setCheckable(true);
        panes->addWidget(one);
        side_buttons_.emplace_back(side, one);
        const Side which = side;
        connect(one, &QPushButton::clicked, this, [this, which](bool on) { show_side(on ? which : Side::none); });
    }
    chart_->setCheckable(true);
    panes->addStretch(1);
    panes->addWidget(view_bar_->section_place());
    panes->addWidget(chart_);
    return bar;
}

std::optional<MachineView::Side> MachineView::side_named(const QString& name)
{
    const QStringList names{QStringLiteral("none"),      QStringLiteral("define"),  QStringLiteral("jog"),
                            QStringLiteral("links"),     QStringLiteral("contact"), QStringLiteral("reach"),
                            QStringLiteral("witnesses"), QStringLiteral("heads")}; // in the order of the sides
    const auto at = names.indexOf(name);
    return at < 0 ? std::nullopt : std::optional(static_cast<Side>(at));
}

/// A table has more columns than a form, and a text beside it needs as much again.
void MachineView::give_room()
{
    const bool text = side_now_ == Side::define && pane_->has_text();
    const int wide = side_now_ == Side::witnesses ? 560 : text ? 680 : side_now_ == Side::links ? 420 : 360;
    across_->setSizes({wide, std::max(240, across_->width() - wide)});
}

void MachineView::show_side(Side side)
{
    side_now_ = side;
    for (const auto& [which, one] : side_buttons_) {
        one->setChecked(which == side);
    }
    beside_->setVisible(side != Side::none);
    const bool narrow = side != Side::none && window()->width() < 1500; // both are in reach by keys
    play_bar_->set_narrow(narrow);
    if (side != Side::none) {
        beside_->setCurrentIndex(int(side) - 1);
        QTimer::singleShot(0, this, &MachineView::give_room); // once there is the room that other panes leave
    }
    show_draft();
    if (side == Side::define) {
        pane_->tree().setFocus();
    } else if (side == Side::links) {
        links_->tree().setFocus();
    } else if (side == Side::witnesses) {
        witnesses_->table().setFocus();
    }
    Q_EMIT side_changed();
}

void MachineView::hideEvent(QHideEvent* event)
{
    play_bar_->play(false);
    QWidget::hideEvent(event);
}

void MachineView::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    arrange_axes();
}

void MachineView::renew()
{
    const auto& results = workspace_.results();
    std::optional<Error> error;
    if (workspace_.error() && station_of_file(workspace_.error()->place.file) == Station::machine) {
        error = workspace_.error();
    }
    band_->show_error(error, results ? tr("The picture shows the last good machine.") : QString());
    picture_->set_results(results);
    view_bar_->show_section();
    if (charts_->isVisible()) {
        charts_->renew();
    }
    shown_ = results;
    for (const auto& [side, button] : side_buttons_) { // the others are of a job, and of what is edited
        button->setVisible(!workspace_.reading() || side == Side::contact);
    }
    if (workspace_.reading() && side_now_ != Side::none && side_now_ != Side::contact) {
        show_side(Side::none);
    }
    play_bar_->renew();
    show_draft();
}

const Machine* MachineView::machine() const
{
    if (is_defining() && editor_.machine()) {
        return &*editor_.machine();
    }
    return shown_ ? &shown_->assembly().machine : nullptr;
}

/// The machine that is being defined, or the job's own.
void MachineView::show_draft()
{
    const bool draft = is_defining() && editor_.machine();
    picture_->set_draft(draft ? editor_.machine() : std::nullopt, draft && !editor_.is_of_job());
    const std::size_t count = machine() != nullptr ? machine()->joints.size() : 0;
    while (axes_.size() > count) {
        delete axes_.back();
        axes_.pop_back();
    }
    while (axes_.size() < count) {
        const std::size_t joint = axes_.size();
        axes_.push_back(new AxisRow(axes_box_));
        connect(axes_.back(), &AxisRow::jogged, this, [this, joint](double reading) { jog(joint, reading); });
    }
    arrange_axes();
    const std::optional<Readings> jogged = jogged_ && is_defining() ? machine_position_ : std::nullopt;
    follow();
    if (jogged && std::size_t(jogged->size()) == count) { // jogged readings stay while values change
        jogged_ = true;
        machine_position_ = jogged;
        show_position();
    }
}

/// In as many columns as fit.
void MachineView::arrange_axes()
{
    const int columns = axes_box_->width() > 900 ? 2 : 1;
    for (std::size_t i = 0; i < axes_.size(); ++i) {
        const int rows = (int(axes_.size()) + columns - 1) / columns;
        axes_grid_->addWidget(axes_[i], int(i) % rows, int(i) / rows);
        axes_[i]->setVisible(true);
    }
}

void MachineView::follow()
{
    const auto& results = workspace_.results();
    if (results != shown_) {
        return; // another machine perhaps; renew() comes
    }
    jogged_ = false;
    picture_->show([](MachineScene& scene) { scene.meet.reset(); }); // of another place
    if (machine() == nullptr) {
        machine_position_.reset();
        show_position();
        return;
    }
    const bool strange = is_defining() && !editor_.is_of_job();
    const auto motion = results && !strange ? selection_.motion() : std::nullopt;
    if (motion && results->replayed->track.joints() == machine()->joints.size()) {
        const ReplayTrack& track = results->replayed->track;
        machine_position_ = track.readings(*motion);
        tool_ = track.motions()[*motion].tool;
        tool_length_ = track.tool_length(*motion);
    } else {
        machine_position_ = machine()->home();
        tool_ = 0;
        tool_length_ = 0;
    }
    picture_->show([&](MachineScene& scene) { scene.motion = motion; });
    if (charts_->isVisible()) {
        charts_->follow();
    }
    play_bar_->follow();
    show_position();
}

void MachineView::show_position()
{
    const auto& results = workspace_.results();
    back_->setVisible(jogged_);
    if (machine() == nullptr || !machine_position_ || std::size_t(machine_position_->size()) != machine()->joints.size()) {
        heads_->set_position(nullptr, std::nullopt, 0);
        jog_->set_position(std::nullopt, 0, 0);
        picture_->set_caption({});
        return;
    }
    const Machine& machine = *this->machine();
    const bool of_job = is_of_job();
    for (std::size_t i = 0; i < axes_.size(); ++i) {
        AxisShow show{(*machine_position_)[Eigen::Index(i)], machine.joints[i].travel, std::nullopt};
        if (of_job) {
            show.used = Travel{results->replayed->track.lowest(i), results->replayed->track.highest(i)};
        }
        const Relation* follows = machine.relation_of(JointIndex(std::uint32_t(i)));
        axes_[i]->set_axis(machine.joints[i], show, follows != nullptr ? QString::fromStdString(text_of(machine, *follows)) : QString());
    }
    const std::uint32_t mount = of_job ? results->assembly().posture_of(selection_.operation()).mount : UINT32_MAX;
    picture_->set_position(*machine_position_, tool_, tool_length_, fitted_.value_or(mount));
    heads_->set_position(&machine, machine_position_, tool_length_);
    jog_->set_position(of_job ? machine_position_ : std::nullopt, tool_, tool_length_);
    if (!of_job) {
        picture_->set_caption(is_defining() ? tr("%1, as it is being defined").arg(QString::fromStdString(machine.name)) : QString());
        return;
    }
    QString caption = selection_.record() == Selection::none
                          ? (results->reading ? tr("no motion") : tr("no record"))
                          : (results->reading ? tr("motion %1 of %2") : tr("record %1 of %2"))
                                .arg(grouped(selection_.record() + 1), grouped(results->posted->records.size()));
    if (selection_.line() != Selection::none) {
        caption += tr(" · line %1").arg(grouped(selection_.line() + 1));
    }
    if (tool_ != 0) {
        const Tool* tool = results->assembly().setup.find_tool(tool_);
        caption += tr(" · tool %1 %2").arg(tool_).arg(tool != nullptr ? QString::fromStdString(tool->name) : QString());
    }
    picture_->set_caption(jogged_ ? tr("moved by hand, from %1").arg(caption) : caption);
}

void MachineView::jog(std::size_t joint, double reading)
{
    if (!machine_position_ || joint >= std::size_t(machine_position_->size())) {
        return;
    }
    Readings next = *machine_position_;
    next[Eigen::Index(joint)] = reading;
    stand_by_hand(is_of_job() && side_now_ == Side::jog ? jog_->slide(JointIndex(std::uint32_t(joint)), reading).value_or(next) : next);
}

void MachineView::stand_by_hand(const Readings& readings)
{
    if (machine() == nullptr || std::size_t(readings.size()) != machine()->joints.size()) {
        return; // of another machine than the one drawn, or there is none: a button held down goes on when the job is gone
    }
    way_timer_.stop();
    play_bar_->play(false);
    jogged_ = true;
    machine_position_ = readings;
    bring_followers(*machine(), *machine_position_);
    show_position();
}

bool MachineView::is_of_job() const
{
    const auto& results = workspace_.results();
    return results && machine() != nullptr && !(is_defining() && !editor_.is_of_job()) && results->replayed &&
           results->replayed->track.joints() == machine()->joints.size();
}

// --- a way played by itself -----------------------------------------------------------------------------------------

void MachineView::play_blocks(std::uint32_t first, std::uint32_t end, const QString& caption)
{
    const auto& results = workspace_.results();
    if (!results || !results->replayed) {
        return;
    }
    const ReplayTrack& track = results->replayed->track;
    way_.clear();
    for (std::size_t i = 0; i < track.motions().size(); ++i) {
        const std::uint32_t block = track.motions()[i].block;
        if (block <= first || block > end) {
            continue;
        }
        if (way_.empty()) {
            way_.push_back(i > 0 ? track.readings(i - 1) : track.home());
        }
        way_.push_back(track.readings(i));
    }
    if (way_.empty()) {
        Q_EMIT reported(tr("These blocks move nothing."));
        return;
    }
    play_bar_->play(false);
    selection_.select_line(end - 1);
    way_at_ = 0;
    way_caption_ = caption;
    way_timer_.start();
}

/// The machine stands where two solids are nearest, with both drawn round.
void MachineView::show_contact(const ContactPlace* place)
{
    if (place == nullptr) {
        picture_->show([](MachineScene& scene) { scene.meet.reset(); });
        return;
    }
    stand_by_hand(place->readings);
    const QString names = QStringLiteral("%1 – %2").arg(QString::fromStdString(place->first), QString::fromStdString(place->second));
    Meet meet{place->first, place->second, place->points,
              place->touches ? tr("%1: contact").arg(names) : tr("%1: %2 mm").arg(names).arg(place->distance, 0, 'f', 2),
              place->touches ? State::contact : State::close};
    picture_->show([&](MachineScene& scene) { scene.meet = std::move(meet); });
}

/// A second for each position, or ten for a long way.
void MachineView::tick_blocks()
{
    way_at_ += std::max(1.0, double(way_.size()) / 10) * way_tick_ms / 1000.0;
    const bool done = way_at_ >= double(way_.size() - 1);
    if (done || !machine_position_ || way_.front().size() != machine_position_->size()) {
        way_timer_.stop();
        follow();
        return;
    }
    const auto at = std::size_t(way_at_);
    const double part = way_at_ - double(at);
    machine_position_ = way_[at] + (way_[at + 1] - way_[at]) * part;
    show_position();
    picture_->set_caption(tr("%1: move %2 of %3").arg(way_caption_).arg(at + 1).arg(way_.size() - 1));
}

} // namespace wexilum::app
