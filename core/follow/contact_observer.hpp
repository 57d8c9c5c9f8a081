// What meets what while the code is replayed: machine, tool, holder and stock, kept apart by the machine's "apart" list.
//
// The cutter may touch the stock while it feeds with its spindle on. The stock is not cut away here: in rapid the cutter may be inside
// it only where tools, as wide as they are, have cut as deep before, with about the same axis. Holder and stock never touch.
#pragma once

#include "core/base/watch.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/contact_report.hpp"
#include "core/setup/contact_set.hpp"
#include "core/toolpath/code_file.hpp"

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <unordered_map>
#include <utility>
#include <vector>

namespace wexilum {

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

/// The toolpath behind a program; lent.
struct ContactSources {
    const std::vector<Source>* of_lines = nullptr; ///< the record behind each line; null: findings have no place in the toolpath
    const std::vector<std::string>* files = nullptr;
};

class ContactObserver final : public MotionListener {
public:
    /// Machine, setup and the list must outlive the observer. An Error of kind value where the machine's list names what the
    /// machine does not have.
    static Result<ContactObserver> make(const Machine& machine, const Setup& setup, FindingList& findings);

    /// The program that the following motions come from.
    void begin_file(const std::string& name, const ContactSources& sources);
    /// What was met so far; takes the places.
    void report(ContactReport& out);

    void moved(const Followed& motion) override;

    [[nodiscard]] ContactWatch& watch() { return set_->watch(); }

private:
    ContactObserver(const Machine& machine, const Setup& setup, FindingList& findings)
        : machine_(machine), setup_(setup), findings_(findings)
    {}
    void report(const ReplayMove& move, const Meeting& meeting);
    /// Of the tool that cuts; 0 for a blade.
    [[nodiscard]] double radius_of(const ReplayMove& move) const;
    void report_rapid_in_stock(const Followed& motion);
    /// At a fraction of a motion, seen from a work.
    [[nodiscard]] static Pose pose_from(const Followed& motion, std::uint32_t work, double u);
    void note_cut(const Followed& motion);
    void add(Finding finding, const std::string& subject, BlockNumber block);
    /// Follows joints in proportion and notes where each meeting is.
    void follow(const Readings& from, const Readings& to, double slack);
    void note(const ReplayMove& move, const Meeting& meeting, const Readings& at);

    const Machine& machine_;
    const Setup& setup_;
    FindingList& findings_;
    std::optional<ContactSet> set_;
    std::string file_;
    ContactSources sources_;
    /// Where works have been cut that the same joint carries, all seen from the first of them.
    struct CutTogether {
        std::uint32_t work = 0;
        CutPlaces places;
    };
    std::vector<CutTogether> cut_;
    std::vector<std::size_t> cut_of_; ///< by work: its place there
    std::vector<Meeting> meetings_;
    std::vector<Readings> stands_; ///< of the meetings
    std::vector<ContactPlace> places_;
    std::map<std::array<std::size_t, 3>, std::size_t> open_; ///< by solids, and whether they touch
    std::uint64_t moves_ = 0;
};

/// Runs programs from power-on and watches what meets what, each with a control fresh from its start. `sources` may be empty, or has one
/// for each program. An Error where a source fails, the machine lacks a mount, its "apart" list does not fit, or the watch stops it.
Result<ContactReport> check_contacts(const CodeContext& context, const std::vector<CodeStream>& code, RunWatch* watch = nullptr,
                                     const std::vector<ContactSources>& sources = {});

} // namespace wexilum
