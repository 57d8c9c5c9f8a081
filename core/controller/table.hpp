// Programs that are tables: a row for each position, a column for each joint, and how long the control takes from row to row.
#pragma once

#include "core/base/file_units.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct Controller;

struct TableColumn {
    enum class Is {
        joint,   ///< a reading as the machine shows it, without offsets
        seconds, ///< from the row before to this one
        time,    ///< since the first row, s
        cutting, ///< 1: the way to this row is a cut; 0: it is positioned
        tool,    ///< number of the tool in the spindle
        spindle, ///< rpm; below zero counter-clockwise
        coolant  ///< 0 off, 1 flood, 2 mist, 3 through, 4 air
    };
    std::string name; ///< in the table's first row
    Is is = Is::joint;
    std::string joint; ///< its id
    bool angle = false;
};

/// How the control reads a table.
struct Table {
    bool json = false; ///< {"columns": [names], "rows": [ with each row on a line of its own, ]}; otherwise text with separators
    char separator = ',';
    std::string remark = "#"; ///< a line that begins so says nothing to the control
    std::vector<TableColumn> columns;
    double interval = 0; ///< s from row to row, where no column says it; otherwise 0
    FileUnits units;     ///< of readings

    [[nodiscard]] const TableColumn* column(TableColumn::Is is) const;
    /// The column of a joint.
    [[nodiscard]] const TableColumn* column_of(const std::string& joint) const;
    /// The line before the rows, and the one behind them (JSON; otherwise empty).
    [[nodiscard]] std::string head() const;
    [[nodiscard]] std::string foot() const { return json ? "]}" : ""; }
    /// What one of a column's numbers is in mm, rad, s, or as it is.
    [[nodiscard]] double unit_of(const TableColumn& column) const;
};

/// Reads a "controller/1" document without a "table". With one (read_controller()) the controller gets, beside it, the words of the
/// neutral language, in which its programs are planned before they become rows, and the letter of each joint there.
Result<Controller> read_word_controller(const json::Document& document);

/// The neutral language as a "dialect/1" document; the joints' letters are those of the controller.
[[nodiscard]] const std::string& neutral_dialect_text();
/// The work offset register of the neutral language, whose zeros are the machine's.
inline constexpr const char* neutral_register = "machine";

} // namespace wexilum
