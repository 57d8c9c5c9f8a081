#include "app/views/machine/link_step_form.hpp"

#include "app/models/stations.hpp"
#include "app/theme/theme.hpp"
#include "app/views/frame/parts.hpp"
#include "core/base/units.hpp"

#include <QGridLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr std::array<LinkTarget, 6> targets{LinkTarget::home,  LinkTarget::leave, LinkTarget::ride,
                                            LinkTarget::clear, LinkTarget::start, LinkTarget::readings};

} // namespace

LinkStepForm::LinkStepForm(QWidget* parent) : QWidget(parent)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    to_ = new QComboBox;
    to_->setObjectName(QStringLiteral("link-to"));
    to_->setAccessibleName(tr("where the partial move leads"));
    to_->addItems({tr("home"), tr("out along the tool until it is clear"), tr("along the clearance surface"),
                   tr("to the start of the approach"), tr("to the place"), tr("to readings of the machine")});
    to_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    column->addLayout(labelled_row(tr("Goes"), *to_));
    joints_ = new QWidget;
    joints_grid_ = new QGridLayout(joints_);
    joints_grid_->setContentsMargins(0, 0, 0, 0);
    joints_grid_->setHorizontalSpacing(10);
    joints_grid_->setVerticalSpacing(2);
    column->addWidget(joints_);
    connect(to_, &QComboBox::activated, this, [this](int index) { lead_to(targets[std::size_t(index)]); });
}

void LinkStepForm::lead_to(LinkTarget target)
{
    if (!shown_ || shown_->to == target) {
        return;
    }
    LinkStep next{target, {}, {}};
    if (next.to == LinkTarget::home) {
        next.joints = !shown_->joints.empty() ? shown_->joints
                      : machine_->retract     ? std::vector<JointIndex>{*machine_->retract}
                                              : std::vector<JointIndex>{chain_.front()};
    } else if (next.to == LinkTarget::readings) {
        const JointIndex joint = machine_->retract.value_or(chain_.front());
        next.readings.push_back({joint, machine_->joints[joint.value].home});
    } else if (next.to == LinkTarget::clear || next.to == LinkTarget::start) {
        next.joints = shown_->joints;
    }
    Q_EMIT changed(next);
}

void LinkStepForm::show_step(const LinkStep* step, const Machine* machine, const std::vector<JointIndex>& chain)
{
    setVisible(step != nullptr);
    shown_ = step != nullptr ? std::optional(*step) : std::nullopt;
    machine_ = machine;
    if (step == nullptr) {
        return;
    }
    to_->setCurrentIndex(int(std::find(targets.begin(), targets.end(), step->to) - targets.begin()));
    if (chain != chain_ || rows_.empty()) {
        chain_ = chain;
        build_rows();
    }
    const bool readings = step->to == LinkTarget::readings;
    joints_->setVisible(step->to != LinkTarget::leave && step->to != LinkTarget::ride);
    for (std::size_t i = 0; i < chain_.size(); ++i) {
        const auto& [check, field] = rows_[i];
        const QSignalBlocker quiet(check);
        const auto held =
            std::find_if(step->readings.begin(), step->readings.end(), [&](const HeldJoint& h) { return h.joint == chain_[i]; });
        const bool stated = held != step->readings.end();
        const bool named = std::find(step->joints.begin(), step->joints.end(), chain_[i]) != step->joints.end();
        check->setChecked(readings ? stated : named);
        field->setVisible(readings);
        field->setEnabled(check->isChecked());
        field->setText(readings && stated ? reading_text(machine->joints[chain_[i].value], held->reading, false) : QString());
    }
}

void LinkStepForm::build_rows()
{
    for (const auto& [check, field] : rows_) {
        delete check;
        delete field;
    }
    rows_.clear();
    for (std::size_t i = 0; i < chain_.size(); ++i) {
        const QString id = QString::fromStdString(machine_->joints[chain_[i].value].id);
        auto* check = new QCheckBox(id);
        check->setObjectName(QStringLiteral("link-joint-") + id);
        check->setAccessibleName(tr("%1 moves").arg(id));
        auto* field = new QLineEdit;
        field->setObjectName(QStringLiteral("link-reading-") + id);
        field->setAccessibleName(tr("reading of %1").arg(id));
        field->setFont(code_font());
        field->setMinimumWidth(50);
        joints_grid_->addWidget(check, int(i) / 3, int(i) % 3 * 2);
        joints_grid_->addWidget(field, int(i) / 3, int(i) % 3 * 2 + 1);
        rows_.emplace_back(check, field);
        connect(check, &QCheckBox::clicked, this, &LinkStepForm::take_rows);
        connect(field, &QLineEdit::editingFinished, this, [this, field] {
            if (field->isModified()) {
                field->setModified(false);
                take_rows();
            }
        });
    }
}

/// The partial move as the rows have it now.
void LinkStepForm::take_rows()
{
    if (!shown_) {
        return;
    }
    LinkStep next{shown_->to, {}, {}};
    for (std::size_t k = 0; k < chain_.size(); ++k) {
        const Joint& joint = machine_->joints[chain_[k].value];
        if (!rows_[k].first->isChecked()) {
            continue;
        }
        if (next.to != LinkTarget::readings) {
            next.joints.push_back(chain_[k]);
            continue;
        }
        bool number = false;
        const double typed = rows_[k].second->text().toDouble(&number);
        const double reading = joint.kind == JointKind::rotary ? to_rad(typed) : typed;
        next.readings.push_back({chain_[k], number ? reading : joint.home});
    }
    Q_EMIT changed(next);
}

} // namespace wexilum::app
