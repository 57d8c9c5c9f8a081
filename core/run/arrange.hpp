// How a job lays an operation's toolpath out: wound round a cylinder, and moved, turned or mirrored to where a copy of it is cut.
#pragma once

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"
#include "core/toolpath/record_source.hpp"

#include <deque>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// A flat toolpath wound round a cylinder of the part: one of its directions becomes the turn, the other runs along the cylinder, its Z
/// stands on the surface. Lengths along the turn are those at the cylinder's radius.
struct Wrap {
    double radius = 0;    ///< mm
    double start = 0;     ///< rad, of the flat path's zero
    bool turns_y = false; ///< the flat Y becomes the turn; otherwise X
    /// The cylinder in the part's frame: Z along it, X towards the angle 0, angles right-handed about Z.
    Frame cylinder = Frame::Identity();

    /// Where a place of the flat path comes to lie.
    [[nodiscard]] Pose wound(const Pose& flat) const;
    /// rad along the turn for a place of the flat path.
    [[nodiscard]] double angle(const Vec3& flat) const { return start + (turns_y ? flat.y() : flat.x()) / radius; }
};

/// A motion of space that keeps lengths: moved, turned or mirrored.
struct Placement {
    Mat3 turn = Mat3::Identity(); ///< orthogonal; its determinant is -1 under a mirror
    Vec3 move = Vec3::Zero();     ///< mm, after the turn

    [[nodiscard]] bool mirrors() const { return turn.determinant() < 0; }
    [[nodiscard]] Vec3 point(const Vec3& p) const { return turn * p + move; }
    [[nodiscard]] Pose pose(const Pose& p) const { return {point(p.tip), turn * p.axis}; }
    /// This one after another.
    [[nodiscard]] Placement after(const Placement& first) const { return {turn * first.turn, turn * first.move + move}; }
};

struct Arrangement {
    std::optional<Wrap> wrap;
    std::optional<Placement> placement; ///< after the wrap
    [[nodiscard]] bool any() const { return wrap || placement; }
};

/// Lays the records of one operation out, one after the other. Lines and arcs that are wound become lines within the tolerance; all
/// records keep their source.
class Arranger {
public:
    /// `tolerance`: mm.
    Arranger(const Arrangement& arrangement, double tolerance) : arrangement_(arrangement), tolerance_(tolerance) {}
    /// Adds what a record becomes to `out`.
    void arrange(Record record, std::deque<Record>& out);

private:
    void wind_line(const Pose& to, const Source& source, std::deque<Record>& out);
    void wind_arc(const record::Circular& arc, const Source& source, std::deque<Record>& out);
    void add(Record record, std::deque<Record>& out) const;

    const Arrangement& arrangement_;
    double tolerance_;
    std::optional<Pose> here_; ///< of the toolpath as it is read
};

/// One copy of an operation: where it lies, and the keys of the operation that it states anew.
struct CopyWish {
    Placement placement;
    const json::Node* node = nullptr; ///< of the file
};

/// Reads "wrap" of an operation.
std::optional<Wrap> read_wrap(json::Fields& operation, const FileUnits& units);
/// Reads "copies" of an operation: the placements beside the operation itself, patterns taken apart.
std::vector<CopyWish> read_copies(json::Fields& operation, const FileUnits& units);

} // namespace wexilum
