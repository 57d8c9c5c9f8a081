// The functions a word of a program can have, shared as a vocabulary by the controller's and the dialect's definition.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace wexilum {

enum class Function : std::uint8_t {
    rapid,
    linear,
    arc_clockwise,
    arc_counter_clockwise,
    cycle,
    cycle_off,
    plane_xy,
    plane_zx,
    plane_yz,
    absolute,
    incremental,
    millimetres,
    inches,
    feed_per_minute,
    feed_per_revolution,
    feed_inverse_time,
    work_offset,
    length_on,
    length_off,
    compensation_off,
    return_initial,
    return_clearance,
    machine_coordinates,
    dwell,
    stop,
    optional_stop,
    program_end,
    spindle_clockwise,
    spindle_counter_clockwise,
    spindle_off,
    tool_change,
    coolant_flood,
    coolant_mist,
    coolant_through,
    coolant_air,
    coolant_off,
    loop_begin, ///< what follows up to loop_end is done as many times as its count says
    loop_end,
    brake_lock, ///< of one joint
    brake_release,
    joint_coordinates, ///< the words X, Y and Z mean what FrameKind says
    tool_centre_point,
    tilted_plane,
    world_coordinates,
    cylinder_surface, ///< a length word gives the way round a cylinder, which a rotary joint turns
    tool_mount,       ///< another tool mount carries the tool: a second cutter, or a head that the control fits by itself
    subprogram_call,
    subprogram_return,
    coordinate_shift,    ///< moves the program's zero, counted from that of the work offset
    coordinate_rotation, ///< turns the program's coordinates about a place of the plane in force
    coordinate_rotation_off,
    wait, ///< for the other channels, until they have come to the same mark
};
inline constexpr std::size_t function_count = 52;

/// Words of one group replace each other; a word of group none acts once.
enum class Group : std::uint8_t {
    motion,
    plane,
    distance,
    units,
    feed_mode,
    offset,
    length,
    compensation,
    cycle_return,
    spindle,
    coolant,
    frame,
    rotation,
    none
};
inline constexpr std::size_t group_count = 14;

/// The letter of the axis across a plane.
[[nodiscard]] constexpr char across(Function plane) { return plane == Function::plane_zx ? 'Y' : plane == Function::plane_yz ? 'X' : 'Z'; }

[[nodiscard]] std::string_view name_of(Function function);
[[nodiscard]] std::optional<Function> function_named(std::string_view name);
[[nodiscard]] Group group_of(Function function);
[[nodiscard]] std::string_view name_of(Group group);

} // namespace wexilum
