// Runs programs that are tables of positions: from row to row all joints go in proportion, in the time that the table says.
#pragma once

#include "core/control/control_log.hpp"
#include "core/control/front_end.hpp"
#include "core/controller/table.hpp"

#include <cstddef>
#include <string_view>
#include <vector>

namespace wexilum {

/// The joints are brought to the first row in rapid, all in proportion, unless they stand there. The control follows the rows, whatever
/// that asks of the joints: what is more than a joint can is a finding of the row.
class TableControl final : public FrontEnd {
public:
    /// Precondition: the controller has a table. All references must outlive the control.
    TableControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory, const ControlStart& start,
                 LineSource& lines, FindingList& findings);

    const Happening* step() override;
    [[nodiscard]] const Status& status() const override { return lines_.status(); }
    void finish() override;
    [[nodiscard]] ControlState state() const override;

private:
    /// Where a column's number goes.
    struct Cell {
        TableColumn::Is is;
        std::size_t joint; ///< of the machine; SIZE_MAX: the machine has none
        double unit;
    };
    void take(std::string_view text);
    [[nodiscard]] bool read_cells(std::string_view row);
    [[nodiscard]] bool are_states();
    [[nodiscard]] bool is_frame(std::string_view text);
    void check_names(const std::vector<std::string_view>& names);
    void bad(std::string message, const char* cure);
    void take_states();
    void go(const Readings& to, double seconds);
    void come_to_rest();
    void stand(double seconds);
    void set_state(ReplayMove& move) const;
    [[nodiscard]] double increment_of(const Joint& joint) const;
    void check_speed(const ReplayMove& move);
    void check_ramps(const ReplayMove& move);
    [[nodiscard]] double value(TableColumn::Is is, double otherwise) const;

    const Controller& controller_;
    const Table& table_;
    const Machine& machine_;
    Readings& now_;
    ControlMemory memory_;
    LineSource& lines_;
    ControlLog log_;
    std::uint32_t mount_;
    bool from_unknown_;
    std::vector<Cell> cells_;    ///< by column
    std::vector<double> values_; ///< of the row at hand
    BlockNumber line_;
    bool named_ = false;   ///< the row of names is behind
    bool placed_ = false;  ///< a row has been
    bool in_rows_ = false; ///< of JSON: behind "rows"
    bool ended_ = false;
    double time_ = 0;   ///< of the row before
    double stands_ = 0; ///< s that rows have stood
    std::uint32_t tool_ = 0;
    double length_ = 0;
    double rpm_ = 0;
    record::CoolantState coolant_ = record::CoolantState::off;
    std::vector<double> speed_; ///< by joint, in the row before: of rows that come by the clock
};

} // namespace wexilum
