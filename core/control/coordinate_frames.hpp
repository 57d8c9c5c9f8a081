// What X, Y and Z mean where that is not the joints' own coordinates: the tip's place (tool-centre-point control, tilted planes, the room),
// or the way round a cylinder.
#pragma once

#include "core/base/result.hpp"
#include "core/control/tool_mounts.hpp"
#include "core/control/work_zero.hpp"
#include "core/controller/frame_kind.hpp"
#include "core/solve/tip_frame.hpp"

#include <array>
#include <deque>
#include <memory>
#include <optional>

namespace wexilum {

class CoordinateFrames final : public ControlPart {
public:
    /// All must outlive the object, and it whoever keeps a motion that it has made.
    CoordinateFrames(const Controller& controller, const Machine& machine, ControlAxes& axes, ModalWords& modal, WorkZero& zero,
                     const ToolMounts& mounts, const ToolsAndLengths& tools, ControlLog& log);

    /// The word of a block that names coordinates.
    void apply(BlockWords& words);
    /// Whether X, Y and Z are coordinates of the tip.
    [[nodiscard]] bool in_frame() const { return tip_ && tip_->kind != FrameKind::joints; }
    [[nodiscard]] bool on_plane() const { return tip_ && tip_->kind == FrameKind::tilted_plane; }
    [[nodiscard]] bool on_surface() const { return surface_.has_value(); }
    /// Whether the words mean something else than joints.
    [[nodiscard]] bool any() const { return in_frame() || on_surface(); }
    /// The joint that turns the cylinder, and the one under whose letter the way round stands. Precondition: on_surface().
    [[nodiscard]] std::size_t turning() const { return surface_->turning; }
    [[nodiscard]] std::size_t flat() const { return surface_->flat; }
    /// For a block with axis words: relies on what is in force, where the control knows such coordinates.
    void use_frame();
    /// The program's own coordinates are unknown: a loop begins.
    void forget() { tip_.reset(); }
    /// Of joints that point the same way the coordinate is that of the one that the block names. Precondition: in_frame().
    void name_joints(const BlockWords& words);

    /// What an absolute word of a joint is counted from, mm or rad: 0 for a coordinate of the tip.
    [[nodiscard]] double offset(std::size_t joint);
    /// Where the machine stands, in the coordinates that the words in force mean.
    [[nodiscard]] Readings here();
    /// A motion whose ends are coordinates becomes one of the joints; `place`: where it goes, as here(). Precondition: in_frame().
    void move_in_frame(const BlockWords& words, const Readings& place, ReplayMove& move);
    /// The same round a cylinder; `move` goes to such a place. Precondition: on_surface().
    void move_on_surface(ReplayMove& move);
    /// After a motion: a joint that the coordinates take to stand may have moved. Precondition: in_frame().
    void note_motion();

    [[nodiscard]] bool leaves_cuts_plain() const override;

private:
    /// A cylinder on whose surface the words describe motion.
    struct Surface {
        std::size_t flat;    ///< the joint whose letter gives the way round, mm
        std::size_t turning; ///< the joint that turns the cylinder
        double scale;        ///< mm a rad
    };
    /// The coordinates of the tip.
    struct Tip {
        FrameKind kind = FrameKind::joints;
        bool stale = true;         ///< has to be made anew: the offset or a parked joint is another one
        std::uint32_t mounted = 0; ///< ToolMounts::changes() as it was made
        bool around_tool = false;  ///< a rotary joint that turns about the tool itself has been left out
        std::optional<Frame> plane;
        std::optional<TipFrame> frame;
        std::array<std::size_t, 3> xyz{};
    };
    Status make_frame();
    [[nodiscard]] Result<InverseSolver> solver_here();
    void begin_frame(const WordMeaning& meaning, BlockWords& words);
    Status read_plane(const PlaneForm& form, BlockWords& words);
    Status read_surface(const WordMeaning& meaning, BlockWords& words);
    void refuse(const Error& error);
    [[nodiscard]] bool is_xyz(std::size_t joint) const;
    [[nodiscard]] Readings joints_of(const BlockWords& words, const Readings& place) const;
    [[nodiscard]] Vec3 tip_of(const Readings& place) const;
    void turn_arc(ReplayMove& move) const;

    const Controller& controller_;
    const Machine& machine_;
    ControlAxes& axes_;
    ModalWords& modal_;
    WorkZero& zero_;
    const ToolMounts& mounts_;
    const ToolsAndLengths& tools_;
    std::unique_ptr<Tip> tip_;          ///< null until a word for one has come
    std::deque<InverseSolver> solvers_; ///< all that motions point to
    std::optional<Surface> surface_;
    bool knows_frames_ = false;
};

} // namespace wexilum
