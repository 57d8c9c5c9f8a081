#include "core/toolpath/record.hpp"

namespace wexilum {

Place place_of(const std::vector<std::string>& files, const Source& source)
{
    return {source.file < files.size() ? files[source.file] : std::string(), source.line.value, 0};
}

const Pose* end_pose(const RecordData& data)
{
    if (const auto* from = std::get_if<record::From>(&data)) {
        return &from->at;
    }
    if (const auto* rapid = std::get_if<record::Rapid>(&data)) {
        return &rapid->to;
    }
    if (const auto* linear = std::get_if<record::Linear>(&data)) {
        return &linear->to;
    }
    if (const auto* circular = std::get_if<record::Circular>(&data)) {
        return &circular->to;
    }
    if (const auto* point = std::get_if<record::CyclePoint>(&data)) {
        return &point->at;
    }
    return nullptr;
}

} // namespace wexilum
