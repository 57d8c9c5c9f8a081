// Words of toolpath lines that both reader and writer know.
#pragma once

#include <algorithm>
#include <array>
#include <string_view>

namespace wexilum::wtp {

inline constexpr const char* format = "toolpath/1";

/// A straight cut as the writer puts it, up to its numbers: the reader knows it without a closer look.
inline constexpr std::string_view linear_begin = R"({"record": "linear", "tip": [)";
inline constexpr std::string_view axis_begin = R"(, "axis": [)";
inline constexpr std::string_view surface_begin = R"(, "surface": [)";

/// Lengths are within this of zero, mm.
inline constexpr double longest_length = 1e12;

/// A text is one line without control characters.
[[nodiscard]] inline bool is_one_line(std::string_view text)
{
    return std::none_of(text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < ' ' || c == '\x7f'; });
}

/// A parameter of a cycle that has a unit; others are numbers of an open kind.
struct CycleParameter {
    const char* name;
    bool length;
    bool a_minute;
};
inline constexpr std::array<CycleParameter, 7> cycle_parameters{{{"depth", true, false},
                                                                 {"clearance", true, false},
                                                                 {"step", true, false},
                                                                 {"retreat", true, false},
                                                                 {"dwell", false, false},
                                                                 {"feed", true, true},
                                                                 {"feed_per_rev", true, false}}};

/// Null: the name is none of them.
[[nodiscard]] inline const CycleParameter* cycle_parameter(std::string_view name)
{
    const auto* const found =
        std::find_if(cycle_parameters.begin(), cycle_parameters.end(), [&](const CycleParameter& p) { return name == p.name; });
    return found == cycle_parameters.end() ? nullptr : found;
}

} // namespace wexilum::wtp
