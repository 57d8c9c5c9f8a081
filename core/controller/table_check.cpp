#include "core/controller/table_check.hpp"

#include "core/controller/table.hpp"
#include "core/machine/machine.hpp"

#include <fmt/format.h>

namespace wexilum {

Status check_columns(const Table& table, const Machine& machine)
{
    for (const TableColumn& column : table.columns) {
        const auto joint = column.is == TableColumn::Is::joint ? machine.find_joint(column.joint) : std::nullopt;
        if (joint && (machine.joints[joint->value].kind == JointKind::rotary) != column.angle) {
            return Error{ErrorKind::value,
                         column.angle ? fmt::format("the column of {} holds angles, but that joint is linear", column.joint)
                                      : fmt::format("the column of {} holds lengths, but that joint turns", column.joint),
                         {},
                         "state or leave out its \"turns\""};
        }
    }
    return {};
}

} // namespace wexilum
