// The form of one partial move: where it leads, and with which joints or to which readings.
#pragma once

#include "core/machine/machine.hpp"
#include "core/task/links.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QWidget>

#include <optional>
#include <vector>

class QGridLayout;

namespace wexilum::app {

class LinkStepForm final : public QWidget {
    Q_OBJECT
public:
    explicit LinkStepForm(QWidget* parent = nullptr);

    /// Shows a partial move of an operation whose tool these joints move; the machine must outlive what is shown. None: nothing is shown.
    void show_step(const LinkStep* step, const Machine* machine, const std::vector<JointIndex>& chain);

Q_SIGNALS:
    void changed(const LinkStep& step); ///< by the user, to this one

private:
    void build_rows();
    void lead_to(LinkTarget target);
    void take_rows();

    const Machine* machine_ = nullptr;
    std::optional<LinkStep> shown_;
    std::vector<JointIndex> chain_;
    QComboBox* to_ = nullptr;
    QWidget* joints_ = nullptr;
    QGridLayout* joints_grid_ = nullptr;
    std::vector<std::pair<QCheckBox*, QLineEdit*>> rows_; ///< by joint of the chain
};

} // namespace wexilum::app
