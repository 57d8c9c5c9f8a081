// Lays toolpaths out as a job has them arranged.
#pragma once

#include "core/base/json_names.hpp"
#include "core/task/arrangement.hpp"
#include "core/toolpath/record.hpp"

#include <deque>
#include <optional>
#include <vector>

namespace wexilum {

struct FileUnits;

/// Lays the records of one operation out, one after the other. Lines and arcs that are wound stay what they are on the cylinder where
/// the tool stands straight on it; otherwise they become chords within the tolerance. All records keep their source.
class Arranger {
public:
    /// `tolerance`: mm.
    Arranger(const Arrangement& arrangement, double tolerance) : arrangement_(arrangement), tolerance_(tolerance) {}
    /// Adds what a record becomes to `out`.
    void arrange(Record record, std::deque<Record>& out);
    /// After the operation's last record: adds what still waited for the way on.
    void finish(std::deque<Record>& out)
    {
        end_cut(out);
        release(heading_.value_or(Vec3::UnitX()), out);
    }

private:
    void change(RecordData& data) const;
    void follow(Record record, std::deque<Record>& out);
    void release(const Vec3& heading, std::deque<Record>& out);
    void end_cut(std::deque<Record>& out);
    void turn_to(const Vec3& heading, const Vec3& up, const Source& source, std::deque<Record>& out);
    void wind(const Pose& to, const std::optional<Arc>& flat_arc, const Source& source, std::deque<Record>& out);
    void wind_line(const Pose& to, const Source& source, std::deque<Record>& out);
    void wind_arc(const record::Circular& arc, const Source& source, std::deque<Record>& out);
    void in_chords(const record::Ruled& ruled, const Source& source, std::deque<Record>& out);
    void add(Record record, std::deque<Record>& out) const;
    /// Whether a tool stands straight on the surface.
    [[nodiscard]] bool stands(const Pose& flat) const { return !arrangement_.wrap->in_chords && flat.axis.z() > 1 - 1e-12; }

    const Arrangement& arrangement_;
    double tolerance_;
    std::optional<Pose> here_; ///< of the toolpath as it is read
    // Of a blade:
    std::optional<Record> cut_;        ///< the last one: the next one may decide how it ends
    double cut_length_ = 0;            ///< mm
    std::optional<Vec3> heading_;      ///< the way it cuts
    std::optional<Vec3> waiting_from_; ///< where the tip was before them
    std::deque<Record> waiting_;       ///< links and plunges whose heading the next cut sets
    std::optional<record::Feed> feed_; ///< in force
    bool lifted_ = false;              ///< something waits that has gone sideways
};

/// One copy of an operation: where it lies, and the keys of the operation that it states anew.
struct CopyWish {
    std::optional<Placement> placement; ///< none: as the operation itself, at another work
    const json::Node* node = nullptr;   ///< of the file
};

/// Reads "wrap" of an operation.
std::optional<Wrap> read_wrap(json::Fields& operation, const FileUnits& units);
/// Reads "follow" of an operation.
std::optional<Follow> read_follow(json::Fields& operation, const FileUnits& units);
/// Reads "data" of an operation or a copy.
OtherData read_other_data(json::Fields& fields);
/// Reads "copies" of an operation: the placements beside the operation itself, patterns taken apart.
std::vector<CopyWish> read_copies(json::Fields& operation, const FileUnits& units);

} // namespace wexilum
