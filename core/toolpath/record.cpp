#include "core/toolpath/record.hpp"

#include <array>

namespace wexilum {

const char* event_name(std::size_t kind)
{
    static constexpr std::array<const char*, std::variant_size_v<RecordData>> names{
        "start position", "rapid motion",  "linear motion", "circular motion", "start of a cycle",  "cycle point",  "end of a cycle",
        "tool change",    "feed",          "spindle",       "coolant",         "program name",      "operation",    "comment",
        "stop",           "optional stop", "dwell",         "inserted text",   "end of a toolpath", "unknown word", "change of posture",
        "wound motion"};
    return names[kind];
}

const char* name_of(record::CoolantState state)
{
    static constexpr std::array<const char*, 5> names{"off", "flood", "mist", "through", "air"};
    return names[static_cast<std::size_t>(state)];
}

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
    if (const auto* wound = std::get_if<record::Wound>(&data)) {
        return &wound->to;
    }
    if (const auto* point = std::get_if<record::CyclePoint>(&data)) {
        return &point->at;
    }
    return nullptr;
}

} // namespace wexilum
