// The machine moved by hand beside its picture: along and about axes, the tip held, to a record, a block, home; stopped at the clearance.
#pragma once

#include "app/models/selection.hpp"
#include "app/models/workspace.hpp"
#include "app/views/frame/parts.hpp"
#include "core/advice/jog.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>

#include <optional>

namespace wexilum::app {

class JogPane final : public QWidget {
    Q_OBJECT
public:
    JogPane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);

    /// Where the joints of the job's machine stand, with which tool; nothing where another machine is drawn, or none.
    void set_position(const std::optional<Readings>& readings, std::uint32_t tool, double tool_length);
    /// A joint is to go there: as far as that can be, with the tip held where that is asked for. Nothing where there is no such machine.
    std::optional<Readings> slide(JointIndex joint, double to);

Q_SIGNALS:
    void jogged(const Readings& readings);

private:
    QWidget* build_ways();
    QWidget* build_places();
    void make(); ///< the jogger anew, where machine, setup or operation are others
    void renew_shown();
    void step(bool turn, std::size_t axis, double sign);
    std::optional<Readings> gone(const Result<JogWay>& way);
    void show_message(const QString& text, bool stopped);

    Workspace& workspace_;
    Selection& selection_;
    std::shared_ptr<const JobResults> results_; ///< whose assembly the jogger has
    std::size_t made_for_ = 0;                  ///< operation
    std::optional<Jogger> jogger_;
    std::optional<Readings> position_;
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;

    QComboBox* frame_ = nullptr;
    QLineEdit* way_ = nullptr;
    QLineEdit* turn_ = nullptr;
    QCheckBox* held_ = nullptr;
    QCheckBox* closer_ = nullptr;
    QLabel* message_ = nullptr;
    QTableWidget* readings_ = nullptr;
    QLabel* tip_ = nullptr;
    QLabel* near_ = nullptr;
};

} // namespace wexilum::app
