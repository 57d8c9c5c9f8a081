#include "core/toolpath/pose_table.hpp"

#include "core/toolpath/readers/motion_checks.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace wexilum {

Result<bool> PoseTableReader::next(Record& out)
{
    if (!table_) {
        auto table = read_number_table(source_, file_name_);
        if (!table) {
            return table.error();
        }
        if (table->header != std::vector<std::string>{"x", "y", "z", "i", "j", "k"}) {
            return wrong_value({file_name_, 1, 1}, "the table's header is not x,y,z,i,j,k", "name the columns x,y,z,i,j,k in this order");
        }
        table_ = std::move(*table);
    }
    if (at_ == table_->rows.size()) {
        return false;
    }
    const auto& row = table_->rows[at_];
    const Place place{file_name_, table_->lines[at_], 0};
    const Vec3 axis(row[3], row[4], row[5]);
    const double length = axis.norm();
    if (!(std::abs(length - 1) <= unit_vector_tolerance)) {
        return wrong_value(place, fmt::format("the tool axis has length {:.6f}, not 1", length),
                           "give a unit vector from the tip to the holder");
    }
    const auto& before = table_->rows[at_ > 0 ? at_ - 1 : 0];
    if (turns_right_round({before[3], before[4], before[5]}, axis)) {
        return wrong_value(place, "the tool axis turns right round between two rows, so its way is not defined", "add a row between them");
    }
    out.source = {file_index_, LineNumber(place.line)};
    out.data = record::Linear{{{row[0], row[1], row[2]}, axis * (1 / length)}};
    ++at_;
    return true;
}

Result<bool> PoseTableWriter::put(const Record& record)
{
    const MotionKind kind = motion_kind(record.data);
    if (kind == MotionKind::curve || kind == MotionKind::hole) {
        return Error{ErrorKind::value,
                     fmt::format("a table of poses has no row for this: {}", record_kinds[record.data.index()].event),
                     {},
                     "write the toolpath as .wtp or .cl"};
    }
    if (kind != MotionKind::rapid && kind != MotionKind::straight) {
        return false;
    }
    const Pose& pose = *end_pose(record.data);
    return write(fmt::format("{},{},{},{},{},{}\n", pose.tip[0], pose.tip[1], pose.tip[2], pose.axis[0], pose.axis[1], pose.axis[2]));
}

} // namespace wexilum
