// What the machine's picture shows: bodies, tool, stock and path, and where they are.
#pragma once

#include "app/models/path_shape.hpp"
#include "app/models/solid.hpp"
#include "app/models/workspace.hpp"
#include "app/theme/tokens.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <bitset>
#include <memory>
#include <optional>
#include <vector>

namespace wexilum::app {

enum class Riding { machine, part };

/// What lies beyond a place on an axis of the machine (base frame, mm), on the viewer's side, is cut away; the tool and the path stay.
struct Cutaway {
    int axis = 0; ///< 0: X, 1: Y, 2: Z
    double place = 0;
};

/// Two solids that meet: drawn round, with the line between their nearest points (base frame) and its length.
struct Meet {
    std::string first;
    std::string second;
    std::optional<std::pair<Vec3, Vec3>> points;
    QString text;
    State state = State::contact;
};

class MachineScene {
public:
    enum class Carrier { base, joint, part, tool };
    struct Part {
        std::string id;
        Solid solid;
        Carrier carrier = Carrier::base;
        int joint = -1;
        Frame frame = Frame::Identity();
        Rgb colour = 0;
        Vec3 low = Vec3::Zero(); ///< of the solid, in its own frame
        Vec3 high = Vec3::Zero();
    };
    /// Each grows with every change of its kind.
    struct Revisions {
        std::uint64_t parts = 1;   ///< which bodies there are
        std::uint64_t places = 1;  ///< where they are
        std::uint64_t path = 1;    ///< its points
        std::uint64_t colours = 1; ///< of its points
    };

    // What has no consequences.
    Riding riding = Riding::machine;
    std::optional<Cutaway> section;
    std::optional<std::size_t> motion; ///< that is looked at
    std::optional<Meet> meet;
    std::vector<std::vector<Vec3>> lines; ///< drawn over the picture, in the part's frame

    /// Machine and path of a job; null: nothing. Whether it is another machine.
    bool set_results(std::shared_ptr<const JobResults> results);
    /// Another machine than that of the results, while it is being defined; nothing: theirs. With `strange` it is not the job's own, and
    /// path and part are left out. Whether that makes it another picture.
    bool set_draft(std::optional<Machine> machine, bool strange);
    /// Where the joints are, with which tool (0: none) in which tool mount (by its place; one that is not a tool mount: the machine's
    /// first). An attachment is there where its mount is that one. False, and nothing has changed, where there is no machine with so many
    /// joints.
    bool set_position(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount);
    void set_colouring(PathColouring colouring);

    /// Null: none, and nothing below but colours may be asked.
    [[nodiscard]] const Machine* machine() const { return draft_ ? &*draft_ : results_ ? &results_->assembly().machine : nullptr; }
    /// What belongs to the job can be shown.
    [[nodiscard]] bool has_job() const { return results_ != nullptr && !strange_; }
    [[nodiscard]] const std::shared_ptr<const JobResults>& results() const { return results_; }
    [[nodiscard]] const std::vector<Part>& parts() const { return parts_; }
    [[nodiscard]] const std::vector<Overtravel>& beyond() const { return beyond_; }
    [[nodiscard]] bool is_beyond(int joint) const;
    [[nodiscard]] const std::vector<PathShape::Chunk>& chunks() const;
    [[nodiscard]] const std::shared_ptr<const PathPaint>& paint() const { return paint_; }
    [[nodiscard]] PathColouring colouring() const { return colouring_; }
    [[nodiscard]] std::vector<Rgb> palette() const;
    /// Whether the path has points of a colour, by its number in the palette.
    [[nodiscard]] bool has_colour(std::size_t number) const { return painted_[number]; }
    [[nodiscard]] const Revisions& revisions() const { return revisions_; }

    [[nodiscard]] Frame upright() const; ///< from the base frame to one whose z leads away from the floor
    [[nodiscard]] Frame ride() const;    ///< of the base, in the world: upright, and against the work where that keeps still
    [[nodiscard]] Frame part_frame() const { return ride() * part_in_base(); } ///< the first part's, in the world as the camera sees it
    [[nodiscard]] Frame in_base(const Part& part) const;                       ///< in the machine's base frame
    [[nodiscard]] Frame in_world(const Part& part) const { return ride() * in_base(part); }
    [[nodiscard]] std::array<Vec3, 8> box_in_base(const Part& part) const; ///< corners of the box about its solid
    /// How far the machine reaches along an axis, base frame, as it is; mm.
    [[nodiscard]] std::pair<double, double> extent(int axis) const;

private:
    void place_joints(const Readings& readings);
    void build_parts();
    void collect_parts();
    void add_tool();
    void renew_paint();
    [[nodiscard]] const Mount* tool_mount() const;
    [[nodiscard]] Frame part_in_base(std::size_t work = 0) const;

    std::shared_ptr<const JobResults> results_;
    std::optional<Machine> draft_;
    bool strange_ = false;
    std::vector<Part> parts_;
    std::shared_ptr<const PathPaint> paint_;
    std::bitset<256> painted_;       ///< the colours' numbers that the path has
    std::vector<Frame> joints_;      ///< where each has brought its body
    std::vector<Overtravel> beyond_; ///< joints that are beyond travel
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;
    std::uint32_t mount_ = UINT32_MAX;
    PathColouring colouring_ = PathColouring::state;
    Revisions revisions_;
};

} // namespace wexilum::app
