// What the shop sets before the run: part position, offsets, tools.
#pragma once

#include "core/base/file_units.hpp"
#include "core/geometry/pose.hpp"
#include "core/machine/machine.hpp"

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

struct Tool {
    std::uint32_t number = 0;
    std::string name;
    std::string shape;
    double diameter = 0;               ///< mm
    double width = 0;                  ///< mm: of a blade
    double holder_diameter = 0;        ///< mm: what holds it, from the gauge point
    double holder_length = 0;          ///< mm: towards the tip; 0: nobody has said
    std::optional<double> length;      ///< gauge length in mm, from the tool mount to the tip; missing is an error where it is used
    std::uint32_t length_register = 0; ///< the controller's register that holds the length
    Place place;
};

/// How the linear offsets of a register were found: a point of the machine was brought to a point of the part.
struct ZeroTaken {
    enum class Point { tip, gauge_point, pivot };
    Point point = Point::tip;
    std::uint32_t tool = 0;                          ///< tip
    std::string attachment;                          ///< tip: a tool mount or attachment; empty: the machine's first
    std::string joint;                               ///< pivot: whose axis
    std::vector<std::pair<std::string, double>> set; ///< joint id -> reading meanwhile, rad; others stand at the register's zero, or 0
    Vec3 touches = Vec3::Zero();                     ///< part's frame, mm
    Place place;
};

/// Who does a thing during the run.
enum class Actor { program, hand, none };

/// A part that is held.
struct Work {
    std::string id;                 ///< empty: the only one of its setup, which needs no name
    std::string holder;             ///< id of the work mount
    Frame part = Frame::Identity(); ///< the part's frame seen from the holder
    std::vector<Body> stock;        ///< what the part is cut from, in the part's frame
    std::vector<Body> kept;         ///< what no cutter may touch, in the part's frame
    std::string work_offset;        ///< the register of its zero; empty: the job's
    Place place;
};

struct Setup {
    std::string name;
    std::vector<Work> works{1}; ///< one at least
    /// Register name -> joint id -> machine reading (mm or rad) at which the controller's word for that joint is zero.
    std::map<std::string, std::map<std::string, double>> offsets;
    std::map<std::string, ReadingForms> offset_forms; ///< by register
    std::map<std::string, ZeroTaken> zeros;           ///< by register
    /// Joint id -> a point on its axis as measured with this setup, base frame, reference posture, mm.
    std::map<std::string, std::pair<Vec3, Place>> rotation_centres;
    std::vector<Tool> tools;
    Actor spindle = Actor::program;
    Actor coolant = Actor::program;
    Actor tool_change = Actor::program;
    std::string file;

    /// From a part's frame to the frame of its holding(): the same for all works.
    [[nodiscard]] const Frame& part() const { return works.front().part; }
    [[nodiscard]] std::optional<std::uint32_t> find_work(const std::string& id) const;
    /// nullptr where the table has no such tool. The pointer lives as long as the setup is unchanged.
    [[nodiscard]] const Tool* find_tool(std::uint32_t number) const;
    /// Value of a length register, nothing where no tool fills it.
    [[nodiscard]] std::optional<double> length_register(std::uint32_t number) const;
};

/// What a work is held by, by its place in Setup::works: its mount, laid so that the part stands in it as the first work's part stands in
/// its own. So one map, Setup::part(), leads from any part to what the kinematics of its holding count in. Nothing where the machine lacks
/// the mount.
[[nodiscard]] std::optional<Mount> holding(const Machine& machine, const Setup& setup, std::size_t work);

/// Reads a "setup/1" document. An offset is a length, or {"angle": value} for a rotary joint.
Result<Setup> read_setup(const json::Document& document);

} // namespace wexilum
