#include "core/follow/contact_observer.hpp"

#include "core/base/guarded.hpp"
#include "core/base/units.hpp"
#include "core/motion/rapid_way.hpp"
#include "core/solve/inverse.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double cell_size = 2; // mm
constexpr double half_cell = cell_size / 2;
constexpr double about_parallel = 0.9; // cosine
constexpr double small_turn = 0.02;    // rad, of a way that the joints do not go in proportion
constexpr double small_sagitta = 0.02; // mm
constexpr double beside = 0.05;        // mm: how far joints may be beside their chords then
constexpr double widest_disc = 40;     // mm: what a tool that is wider sweeps further out does not count as gone
constexpr int rim_places = 12;         // of a tool, that are looked at
constexpr double stock_step = 1;       // mm, in rapid inside the stock

} // namespace

// --- where tips have cut ----------------------------------------------------------------------------------------------

CutPlaces::Cell CutPlaces::cell_of(const Vec3& tip)
{
    return {std::int32_t(std::floor(tip.x() / cell_size)), std::int32_t(std::floor(tip.y() / cell_size)),
            std::int32_t(std::floor(tip.z() / cell_size))};
}

void CutPlaces::cut(const Pose& from, const Pose& to, double radius)
{
    const double way = (to.tip - from.tip).norm();
    const int parts = std::clamp(int(std::ceil(way / half_cell)), 1, 100000);
    for (int i = 0; i <= parts; ++i) {
        const double u = double(i) / parts;
        const Vec3 tip = from.tip + (to.tip - from.tip) * u;
        const Vec3 axis = great_circle(from.axis, to.axis, u);
        const Cell middle = cell_of(tip);
        if (middle == last_ && axis.dot(last_axis_) > about_parallel) {
            continue;
        }
        last_ = middle;
        last_axis_ = axis;
        tips_.insert_or_assign(middle, axis);
        discs_.insert_or_assign(middle, axis);
        // The disc across the axis, ring by ring.
        const Vec3 across = any_across(axis);
        const Vec3 beside_it = axis.cross(across);
        for (int ring = 1; ring * half_cell <= std::min(radius, widest_disc); ++ring) {
            const double r = ring * half_cell;
            const int places = int(std::ceil(whole_turn * r / half_cell));
            for (int k = 0; k < places; ++k) {
                const double angle = whole_turn * k / places;
                discs_.insert_or_assign(cell_of(tip + r * (std::cos(angle) * across + std::sin(angle) * beside_it)), axis);
            }
        }
    }
}

/// Whether a tool has cut in a place or beside it.
bool CutPlaces::cut_at(const Cells& cells, const Vec3& place, const Vec3& axis)
{
    const Cell middle = cell_of(place);
    for (std::int32_t x = -1; x <= 1; ++x) {
        for (std::int32_t y = -1; y <= 1; ++y) {
            for (std::int32_t z = -1; z <= 1; ++z) {
                const auto found = cells.find({middle[0] + x, middle[1] + y, middle[2] + z});
                if (found != cells.end() && found->second.dot(axis) > about_parallel) {
                    return true;
                }
            }
        }
    }
    return false;
}

bool CutPlaces::reached(const Pose& pose, const Vec3& out, double radius) const
{
    const auto below = [&](const Cells& cells, const Vec3& place) {
        for (int steps = 0; steps * half_cell <= most_beyond; ++steps) {
            if (cut_at(cells, place - out * (steps * half_cell), pose.axis)) {
                return true;
            }
        }
        return false;
    };
    if (below(tips_, pose.tip)) {
        return true;
    }
    if (radius <= 0 || !below(discs_, pose.tip)) {
        return false;
    }
    const double rim = std::min(radius, widest_disc) - half_cell;
    const Vec3 across = any_across(pose.axis);
    const Vec3 beside_it = pose.axis.cross(across);
    for (int k = 0; rim > 0 && k < rim_places; ++k) {
        const double angle = whole_turn * k / rim_places;
        if (!below(discs_, pose.tip + rim * (std::cos(angle) * across + std::sin(angle) * beside_it))) {
            return false;
        }
    }
    return true;
}

// --- set-up ---------------------------------------------------------------------------------------------------------------

Result<ContactObserver> ContactObserver::make(const Machine& machine, const Setup& setup, FindingList& findings)
{
    ContactObserver out(machine, setup, findings);
    auto set = ContactSet::make(machine, setup);
    if (!set) {
        return set.error();
    }
    out.set_.emplace(std::move(*set));
    std::vector<int> carriers;
    for (std::uint32_t work = 0; work < setup.works.size(); ++work) {
        const auto held = machine.find_work_mount(setup.works[work].holder);
        const int carrier = held ? machine.mounts[*held].parent : -1;
        const auto found = std::find(carriers.begin(), carriers.end(), carrier);
        out.cut_of_.push_back(std::size_t(found - carriers.begin()));
        if (found == carriers.end()) {
            carriers.push_back(carrier);
            out.cut_.push_back({work, {}});
        }
    }
    return out;
}

void ContactObserver::begin_file(const std::string& name, const ContactSources& sources)
{
    file_ = name;
    sources_ = sources;
}

void ContactObserver::report(ContactReport& out)
{
    out.moves = moves_;
    out.measured = watch().measured();
    out.places = std::move(places_);
}

// --- motion ---------------------------------------------------------------------------------------------------------------

void ContactObserver::moved(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    ++moves_;
    set_->fit(move.mount, setup_.find_tool(move.tool));
    const bool feeds = move.feed && !motion.stands_for_rapid();
    const bool cuts = feeds && (move.spindle != record::SpindleState::off || setup_.spindle != Actor::program);
    for (const std::size_t pair : set_->stock_pairs()) {
        watch().watch(pair, !cuts);
    }
    meetings_.clear();
    stands_.clear();
    const auto curved = [&](int parts) {
        Readings begin = move.from;
        for (int i = 1; i <= parts; ++i) {
            const Readings end = i == parts ? move.to : move.at(double(i) / parts);
            follow(begin, end, beside);
            begin = end;
        }
    };
    if (move.arc) {
        const double radius = std::max(move.arc->start_radius(), small_sagitta);
        curved(std::max(1, int(std::ceil(move.arc->sweep / (2 * std::acos(1 - small_sagitta / radius))))));
    } else if (move.tip_solver != nullptr) {
        double turn = 0;
        for (const JointIndex joint : move.tip_solver->rotary()) {
            turn += std::abs(move.to[Eigen::Index(joint.value)] - move.from[Eigen::Index(joint.value)]);
        }
        curved(std::max(1, int(std::ceil(turn / small_turn))));
    } else {
        const std::vector<Readings> stretches = rapid_stretches(machine_, move.from, move.to, move.together());
        for (std::size_t i = 1; i < stretches.size(); ++i) {
            follow(stretches[i - 1], stretches[i], 0);
        }
    }
    bool in_stock = false;
    for (std::size_t i = 0; i < meetings_.size(); ++i) {
        const Meeting& meeting = meetings_[i];
        if (std::find(set_->stock_pairs().begin(), set_->stock_pairs().end(), meeting.pair) != set_->stock_pairs().end()) {
            in_stock = in_stock || meeting.distance <= 0;
        } else {
            report(move, meeting);
            note(move, meeting, stands_[i]);
        }
    }
    if (in_stock) {
        report_rapid_in_stock(motion);
    }
    if (cuts) {
        note_cut(motion);
    }
}

Pose ContactObserver::pose_from(const Followed& motion, std::uint32_t work, double u)
{
    const ReplayMove& move = motion.move;
    return work == motion.by.work() ? motion.at(u) : motion.by.pose_at_work(work, move.mount, move.at(u), move.tool_length);
}

void ContactObserver::note_cut(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    const int parts = move.arc ? std::max(2, int(std::ceil(move.arc->length()))) : 1;
    for (CutTogether& together : cut_) {
        const bool here = together.work == motion.by.work();
        Pose begin = here ? motion.from : pose_from(motion, together.work, 0);
        for (int i = 1; i <= parts; ++i) {
            const Pose end = i == parts && here ? motion.to : pose_from(motion, together.work, double(i) / parts);
            together.places.cut(begin, end, radius_of(move));
            begin = end;
        }
    }
}

double ContactObserver::radius_of(const ReplayMove& move) const
{
    const Tool* tool = machine_.mounts[move.mount].blade ? nullptr : setup_.find_tool(move.tool);
    return tool != nullptr ? tool->diameter / 2 : 0;
}

void ContactObserver::follow(const Readings& from, const Readings& to, double slack)
{
    std::vector<double> before;
    std::transform(meetings_.begin(), meetings_.end(), std::back_inserter(before), [](const Meeting& m) { return m.distance; });
    watch().along(from, to, slack, meetings_);
    stands_.resize(meetings_.size());
    for (std::size_t i = 0; i < meetings_.size(); ++i) {
        if (i >= before.size() || meetings_[i].distance != before[i]) { // new, or nearer than on the stretch before
            stands_[i] = from + (to - from) * meetings_[i].fraction;
        }
    }
}

void ContactObserver::note(const ReplayMove& move, const Meeting& meeting, const Readings& at)
{
    const bool touches = meeting.distance <= 0;
    const std::array<std::size_t, 3> key{meeting.a, meeting.b, std::size_t(touches)};
    const auto found = open_.find(key);
    const std::uint32_t block = move.block.value;
    const bool goes_on =
        found != open_.end() && places_[found->second].last_block <= block && block - places_[found->second].last_block <= 1;
    if (!goes_on && places_.size() >= most_contact_places) {
        return;
    }
    if (!goes_on) {
        open_[key] = places_.size();
        places_.push_back({watch().solids()[meeting.a].body().id, watch().solids()[meeting.b].body().id, touches, 1e300,
                           watch().pair(meeting.pair).clearance, block, block, block, at, move.tool, std::nullopt});
    }
    ContactPlace& place = places_[open_[key]];
    place.last_block = block;
    if (meeting.distance < place.distance) {
        place.distance = meeting.distance;
        place.block = block;
        place.readings = at;
        place.tool = move.tool;
        place.points = touches ? std::nullopt : watch().nearest(meeting.a, meeting.b, at);
    }
}

void ContactObserver::add(Finding finding, const std::string& subject, BlockNumber block)
{
    finding.code = {file_, block.value, 0};
    if (sources_.of_lines != nullptr && sources_.files != nullptr && block.value >= 1 && block.value <= sources_.of_lines->size()) {
        finding.source = place_of(*sources_.files, (*sources_.of_lines)[block.value - 1]);
    }
    findings_.add(std::move(finding), subject, block.value);
}

void ContactObserver::report(const ReplayMove& move, const Meeting& meeting)
{
    const std::string a = watch().solids()[meeting.a].body().id;
    const std::string b = watch().solids()[meeting.b].body().id;
    const double clearance = watch().pair(meeting.pair).clearance;
    const std::string subject = a + " " + b;
    if (meeting.distance <= 0) {
        add(Finding::make(Severity::error, "contact", fmt::format("the {} touches the {}", a, b),
                          "go round it, clamp the part elsewhere, or take a longer tool", clearance),
            subject, move.block);
        return;
    }
    add(Finding::make(Severity::warning, "too-close",
                      fmt::format("the {} comes within {:.3f} mm of the {}; {:g} mm are asked", a, meeting.distance, b, clearance),
                      "go round it, or allow less in the machine's \"apart\"", clearance - meeting.distance),
        subject, move.block);
}

/// A tool may be inside the stock in rapid where it has cut before.
void ContactObserver::report_rapid_in_stock(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    if (move.feed && !motion.stands_for_rapid()) { // with the spindle standing: wherever that is
        add(Finding::make(Severity::error, "contact", "the cutter feeds into the stock while its spindle is stopped",
                          "start the spindle before", 1),
            "standing", move.block);
        return;
    }
    const double radius = radius_of(move);
    const double way = (motion.at(1).tip - motion.at(0).tip).norm();
    const int parts = std::clamp(int(std::ceil(way / stock_step)), 1, 2000);
    int inside = 0;
    for (int i = 0; i <= parts; ++i) {
        const double u = double(i) / parts;
        const Readings at = move.at(u);
        std::vector<bool> gone;
        for (const CutTogether& together : cut_) {
            const Pose pose = pose_from(motion, together.work, u);
            gone.push_back(together.places.reached(pose, motion.by.out_of_work(together.work, move.mount, at, pose), radius));
        }
        bool touches = false;
        for (std::size_t s = set_->stock(); s < watch().solids().size() && !touches; ++s) {
            if (gone[cut_of_[set_->work_of_stock(s)]]) {
                continue;
            }
            touches = watch().apart(set_->cutter(), s, at) <= 0;
            if (touches && inside == 0) {
                note(move, {set_->stock_pairs().front(), set_->cutter(), s, u, 0}, at);
            }
        }
        inside += touches ? 1 : 0;
    }
    if (inside > 0) {
        const double deep = way * inside / (parts + 1);
        add(Finding::make(Severity::error, "contact", fmt::format("the cutter goes {:.2f} mm through the stock in rapid", deep),
                          "go there at feed, or go round", deep),
            "rapid", move.block);
    }
}

Result<ContactReport> check_contacts(const CodeContext& context, const std::vector<CodeStream>& code, RunWatch* watch,
                                     const std::vector<ContactSources>& sources)
{
    return guarded([&]() -> Result<ContactReport> {
        ContactReport out;
        static const Setup nothing;
        const Setup& setup = context.setup != nullptr ? *context.setup : nothing;
        auto observer = ContactObserver::make(context.machine, setup, out.findings);
        if (!observer) {
            return observer.error();
        }
        auto follower = Follower::make(context.machine, setup);
        if (!follower) {
            return follower.error();
        }
        follower->add(*observer);
        FindingList other; // what else the control finds is not of contact
        std::uint64_t lines = 0;
        for (std::size_t i = 0; i < code.size(); ++i) {
            observer->begin_file(code[i].name, i < sources.size() ? sources[i] : ContactSources());
            const auto read = run_code(context, code[i], {false, 1, watch, lines}, *follower, other);
            if (!read) {
                return read.error();
            }
            lines = *read;
        }
        observer->report(out);
        return out;
    });
}

} // namespace wexilum
