// Straight cuts that follow one another, column by column: nearly all of a long toolpath is such runs, and what has to be done for
// each of them is done for all at once.
#pragma once

#include "core/base/column.hpp"
#include "core/toolpath/record.hpp"

#include <algorithm>
#include <array>

namespace wexilum {

/// Records that are record::Linear, in order. What columns hold from `count` on means nothing, but is finite.
struct LinearRun {
    std::size_t count = 0;
    std::uint32_t file = 0; ///< of all sources
    std::array<std::uint32_t, longest_run> line{};
    std::array<Column, 3> tip{};  ///< x, y, z of the tips, mm
    std::array<Column, 3> axis{}; ///< and of the unit vectors from tip to holder
    bool surfaces = false;        ///< each has a normal of its surface; otherwise none has
    std::array<Column, 3> surface{};

    [[nodiscard]] Source source(std::size_t at) const { return {file, LineNumber(line[at])}; }
    [[nodiscard]] Pose pose(std::size_t at) const
    {
        return {{tip[0][at], tip[1][at], tip[2][at]}, {axis[0][at], axis[1][at], axis[2][at]}};
    }
    /// As record::Linear::surface.
    [[nodiscard]] Vec3 surface_at(std::size_t at) const
    {
        return surfaces ? Vec3(surface[0][at], surface[1][at], surface[2][at]) : Vec3(Vec3::Zero());
    }
    void clear()
    {
        count = 0;
        surfaces = false;
    }
    /// Whether a record goes on with the run. An empty one takes any.
    [[nodiscard]] bool goes_on(const Vec3& normal) const { return count == 0 || surfaces == !normal.isZero(); }
    void set_pose(std::size_t at, const Pose& pose)
    {
        for (std::size_t k = 0; k < 3; ++k) {
            tip[k][at] = pose.tip[Eigen::Index(k)];
            axis[k][at] = pose.axis[Eigen::Index(k)];
        }
    }
    void get(std::size_t at, Record& out) const
    {
        if (auto* linear = std::get_if<record::Linear>(&out.data)) { // its memory is used again
            linear->to = pose(at);
            linear->surface = surface_at(at);
        } else {
            out.data = record::Linear{pose(at), surface_at(at)};
        }
        out.source = source(at);
    }
    /// Becomes a copy of another run, up to its count: cheaper than copying whole columns.
    void take(const LinearRun& other)
    {
        count = other.count;
        file = other.file;
        surfaces = other.surfaces;
        std::copy_n(other.line.begin(), count, line.begin());
        for (std::size_t k = 0; k < 3; ++k) {
            std::copy_n(other.tip[k].begin(), count, tip[k].begin());
            std::copy_n(other.axis[k].begin(), count, axis[k].begin());
            if (surfaces) {
                std::copy_n(other.surface[k].begin(), count, surface[k].begin());
            }
        }
    }
    /// Adds a record. Precondition: there is room, goes_on(normal), and the file is the run's or the run is empty.
    void add(const Pose& pose, const Source& source, const Vec3& normal = Vec3::Zero())
    {
        file = source.file;
        line[count] = source.line.value;
        surfaces = !normal.isZero();
        for (std::size_t k = 0; surfaces && k < 3; ++k) {
            surface[k][count] = normal[Eigen::Index(k)];
        }
        set_pose(count++, pose);
    }
};

/// `run` itself where the frame moves nothing, otherwise `room`, filled with the run's poses in that frame.
inline const LinearRun& mapped(const PoseMap& frame, const LinearRun& run, LinearRun& room)
{
    if (frame.still()) {
        return run;
    }
    room.clear();
    room.count = run.count;
    room.file = run.file;
    std::copy_n(run.line.begin(), run.count, room.line.begin());
    for (std::size_t i = 0; i < run.count; ++i) {
        room.set_pose(i, frame(run.pose(i)));
    }
    return room;
}

} // namespace wexilum
