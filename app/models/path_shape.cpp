#include "app/models/path_shape.hpp"

#include "core/follow/replay_track.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr std::size_t chunk_points = 1024;
constexpr std::size_t thin_step = 8;

bool is_wrong(PathState state)
{
    return state == PathState::beyond_travel || state == PathState::off_path || state == PathState::near_singular ||
           state == PathState::margin_low || state == PathState::too_close || state == PathState::contact;
}

} // namespace

PathShape path_shape_of(const ReplayTrack& track)
{
    PathShape out;
    const auto& points = track.points();
    for (std::size_t first = 0; first + 1 < points.size(); first += chunk_points) {
        PathShape::Chunk chunk;
        const std::size_t count = std::min(chunk_points + 1, points.size() - first);
        chunk.first = int(first);
        chunk.count = int(count);
        chunk.low = Vec3::Constant(1e300);
        chunk.high = Vec3::Constant(-1e300);
        chunk.thin_first = int(out.thin.size());
        for (std::size_t i = first; i < first + count; ++i) {
            const Vec3 at(points[i].at[0], points[i].at[1], points[i].at[2]);
            chunk.low = chunk.low.cwiseMin(at);
            chunk.high = chunk.high.cwiseMax(at);
            const bool end = i == first || i + 1 == first + count;
            if (end || (i - first) % thin_step == 0 || track.begins(i) || (i + 1 < points.size() && track.begins(i + 1))) {
                out.thin.push_back(static_cast<std::uint32_t>(i));
            }
        }
        chunk.thin_count = int(out.thin.size()) - chunk.thin_first;
        out.chunks.push_back(chunk);
    }
    return out;
}

PathPaint path_paint_of(const PostedJob& job, const ReplayTrack& track, const std::vector<PathState>& states, PathColouring colouring)
{
    PathPaint out;
    const auto& operations = job.run.outline.operations;
    std::size_t operation = 0;
    out.status.reserve(track.points().size());
    for (std::size_t i = 0; i < track.points().size(); ++i) {
        const std::size_t motion = track.points()[i].motion;
        if (track.begins(i) || motion >= states.size()) {
            out.status.push_back(PathPaint::gap);
            continue;
        }
        const PathState state = states[motion];
        const auto& m = track.motions()[motion];
        auto status = static_cast<std::uint8_t>(state);
        if (state != PathState::rapid && colouring == PathColouring::operation) {
            const std::uint32_t record = job.code.record_of(std::min(track.main_block(motion), job.code.lines().size()) - 1);
            while (record != CodeStore::no_record && operation + 1 < operations.size() &&
                   operations[operation + 1].first_record <= record) {
                ++operation;
            }
            status = static_cast<std::uint8_t>(1 + operation % operation_colours);
        } else if (state != PathState::rapid && colouring == PathColouring::deviation) {
            const auto ratio = double(track.measure(m.block).ratio());
            const auto step = static_cast<std::size_t>(std::clamp(ratio, 0.0, 1.0) * deviation_steps);
            status = static_cast<std::uint8_t>(1 + (ratio > 1 ? deviation_steps : std::min(step, deviation_steps - 1)));
        }
        out.status.push_back(status);
        if (colouring == PathColouring::state ? is_wrong(state) : colouring == PathColouring::deviation && status == 1 + deviation_steps) {
            out.over.push_back(static_cast<std::uint32_t>(i));
        }
    }
    return out;
}

} // namespace wexilum::app
