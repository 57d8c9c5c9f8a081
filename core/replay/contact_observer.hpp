// What meets what while the code is replayed: machine, tool, holder and stock, kept apart by the machine's "apart" list.
//
// The cutter may touch the stock while it feeds with its spindle on. The stock is not cut away here: in rapid the cutter may be inside
// it only where tools, as wide as they are, have cut as deep before, with about the same axis. Holder and stock never touch.
#pragma once

#include "core/base/watch.hpp"
#include "core/compare/report.hpp"
#include "core/path/excursion.hpp"
#include "core/replay/contact_report.hpp"
#include "core/setup/contact_set.hpp"
#include "core/task/code_file.hpp"
#include "core/toolpath/record_source.hpp"

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <unordered_map>
#include <utility>
#include <vector>

namespace wexilum {

struct Task;

/// Where tools have cut, in cells at the height of their tips, and with which axis. Part's frame.
class CutPlaces {
public:
    /// `radius`: of the tool (mm); 0 for a blade, whose tip alone counts.
    void cut(const Pose& from, const Pose& to, double radius);
    /// Whether on the way of a tool against `out` to this tip, or up to `most_beyond` mm further, a tip has cut with an axis not far from
    /// it, or tools have swept all that is under its middle and its rim. `out`: the way out of the work.
    [[nodiscard]] bool reached(const Pose& pose, const Vec3& out, double radius) const;

    static constexpr double most_beyond = 150; ///< mm

private:
    using Cell = std::array<std::int32_t, 3>;
    struct CellHash {
        std::size_t operator()(const Cell& cell) const
        {
            return (std::size_t(std::uint32_t(cell[0])) * 73856093U) ^ (std::size_t(std::uint32_t(cell[1])) * 19349663U) ^
                   (std::size_t(std::uint32_t(cell[2])) * 83492791U);
        }
    };
    [[nodiscard]] static Cell cell_of(const Vec3& tip);
    using Cells = std::unordered_map<Cell, Vec3, CellHash>; ///< axis of the cut that came last
    [[nodiscard]] static bool cut_at(const Cells& cells, const Vec3& place, const Vec3& axis);
    Cells tips_;
    Cells discs_;                ///< what a tool sweeps round its tip
    Cell last_{INT32_MIN, 0, 0}; ///< the middle of the disc that was noted last
    Vec3 last_axis_ = Vec3::Zero();
};

/// A program in memory.
struct ContactInput {
    std::string name;
    std::string_view text;
    const std::vector<Source>* sources = nullptr; ///< the record behind each line; null: findings have no place in the toolpath
    const std::vector<std::string>* source_files = nullptr;
    const std::vector<Excursion>* excursions = nullptr; ///< those of the run; null: none
};

class ContactObserver final : public ReplayObserver {
public:
    /// The task must be linked; it and the list must outlive the observer. An Error of kind value where the machine's list names what
    /// the machine does not have.
    static Result<ContactObserver> make(const Task& task, FindingList& findings);

    /// Replays a program from power-on and watches it. An Error where a source fails, or the watch stops it.
    Status watch_replay(RecordSource& records, const ContactInput& code, RunWatch* watch);
    /// What was met so far; takes the places.
    void report(ContactReport& out);

    void moved(const ReplayMove& move, const Pose& from, const Pose& to, const std::function<Pose(double)>& between) override;
    void measured(BlockNumber, const Deviation&, const Budget&) override {}

    [[nodiscard]] ContactWatch& watch() { return set_->watch(); }

private:
    ContactObserver(const Task& task, FindingList& findings) : task_(task), findings_(findings) {}
    Status set_up();
    void tell(const ReplayMove& move, const Meeting& meeting);
    /// Of the tool that cuts; 0 for a blade.
    [[nodiscard]] double radius_of(const ReplayMove& move) const;
    void tell_rapid_in_stock(const ReplayMove& move, const std::function<Pose(double)>& between);
    void add(Finding finding, const std::string& subject, BlockNumber block);
    /// Follows joints in proportion and notes where each meeting is.
    void follow(const Readings& from, const Readings& to, double slack);
    void note(const ReplayMove& move, const Meeting& meeting, const Readings& at);

    const Task& task_;
    FindingList& findings_;
    std::optional<ContactSet> set_;
    std::string file_;
    const std::vector<Source>* sources_ = nullptr;
    const std::vector<std::string>* source_files_ = nullptr;
    CutPlaces cut_;
    std::vector<Meeting> meetings_;
    std::vector<Readings> stands_; ///< of the meetings
    std::vector<ContactPlace> places_;
    std::map<std::array<std::size_t, 3>, std::size_t> open_; ///< by solids, and whether they touch
    std::uint64_t moves_ = 0;
};

/// Replays code from power-on and watches what meets what. The task must be linked and hold its toolpath; `sources` of the code tell
/// the records. An Error where the machine's "apart" list does not fit.
Result<ContactReport> check_contacts(const Task& task, const std::vector<CodeFile>& code, RunWatch* watch = nullptr);

/// The same of one program, with a stream of the job's records.
Result<ContactReport> check_contacts(const Task& task, RecordSource& records, const ContactInput& code, RunWatch* watch = nullptr);

} // namespace wexilum
