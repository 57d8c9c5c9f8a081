#include "core/toolpath/record.hpp"

#include <array>

namespace wexilum {

const char* name_of(record::CoolantState state) { return record::coolant_names[static_cast<std::size_t>(state)]; }

Place place_of(const std::vector<std::string>& files, const Source& source)
{
    return {source.file < files.size() ? files[source.file] : std::string(), source.line.value, 0};
}

const Pose* end_pose(const RecordData& data)
{
    return std::visit(
        [](const auto& record) -> const Pose* {
            if constexpr (requires { record.to.tip; }) {
                return &record.to;
            } else if constexpr (requires { record.at.tip; }) {
                return &record.at;
            } else {
                return nullptr;
            }
        },
        data);
}

void set_end_pose(RecordData& data, const Pose& pose)
{
    std::visit(
        [&](auto& record) {
            if constexpr (requires { record.to; }) {
                record.to = pose;
            } else if constexpr (requires { record.at; }) {
                record.at = pose;
            }
        },
        data);
}

} // namespace wexilum
