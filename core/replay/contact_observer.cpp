#include "core/replay/contact_observer.hpp"

#include "core/base/units.hpp"
#include "core/replay/replay_run.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double cell_size = 2;        // mm
constexpr double about_parallel = 0.9; // cosine
constexpr double small_turn = 0.02;    // rad, of a way that the joints do not go in proportion
constexpr double small_sagitta = 0.02; // mm
constexpr double beside = 0.05;        // mm: how far joints may be beside their chords then
constexpr double stock_step = 1;       // mm, in rapid inside the stock

Body cylinder(const char* id, double diameter, double length)
{
    Body body;
    body.id = id;
    body.shape = Shape::cylinder;
    body.bottom = body.top = diameter;
    body.length = length;
    return body;
}

} // namespace

// --- where tips have cut ----------------------------------------------------------------------------------------------

CutPlaces::Cell CutPlaces::cell_of(const Vec3& tip)
{
    return {std::int32_t(std::floor(tip.x() / cell_size)), std::int32_t(std::floor(tip.y() / cell_size)),
            std::int32_t(std::floor(tip.z() / cell_size))};
}

void CutPlaces::cut(const Pose& from, const Pose& to)
{
    const double way = (to.tip - from.tip).norm();
    const int parts = std::clamp(int(std::ceil(way / (cell_size / 2))), 1, 100000);
    for (int i = 0; i <= parts; ++i) {
        const double u = double(i) / parts;
        axes_.insert_or_assign(cell_of(from.tip + (to.tip - from.tip) * u), great_circle(from.axis, to.axis, u));
    }
}

bool CutPlaces::reached(const Pose& pose) const
{
    for (double beyond = 0; beyond <= most_beyond; beyond += cell_size / 2) {
        const Cell middle = cell_of(pose.tip - pose.axis * beyond);
        for (std::int32_t x = -1; x <= 1; ++x) {
            for (std::int32_t y = -1; y <= 1; ++y) {
                for (std::int32_t z = -1; z <= 1; ++z) {
                    const auto found = axes_.find({middle[0] + x, middle[1] + y, middle[2] + z});
                    if (found != axes_.end() && found->second.dot(pose.axis) > about_parallel) {
                        return true;
                    }
                }
            }
        }
    }
    return false;
}

// --- set-up ---------------------------------------------------------------------------------------------------------------

Result<ContactObserver> ContactObserver::make(const Assembly& assembly, FindingList& findings)
{
    ContactObserver out(assembly, findings);
    if (Status status = out.set_up(); !status) {
        return status.error();
    }
    return out;
}

/// Solids of a joint and of all that it carries, fitted tools and stock included.
std::vector<std::size_t> ContactObserver::below(int joint) const
{
    const auto& joints = assembly_.machine.joints;
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < solids_.size(); ++i) {
        int at = solids_[i].body().parent;
        while (at >= 0 && at != joint) {
            at = joints[std::size_t(at)].parent;
        }
        if (at == joint) {
            out.push_back(i);
        }
    }
    return out;
}

Result<std::vector<std::size_t>> ContactObserver::named(const std::string& name) const
{
    std::vector<std::size_t> out;
    if (name == "cutter" || name == "holder" || name == "tool") {
        out = name == "cutter" ? std::vector{cutter_} : name == "holder" ? std::vector{holder_} : std::vector{cutter_, holder_};
        return out;
    }
    if (name == "stock") {
        for (std::size_t i = stock_; i < solids_.size(); ++i) {
            out.push_back(i);
        }
        return out;
    }
    if (name == "base") {
        for (std::size_t i = 0; i < solids_.size(); ++i) {
            if (solids_[i].body().parent < 0) {
                out.push_back(i);
            }
        }
        return out;
    }
    if (const auto joint = assembly_.machine.find_joint(name)) {
        return below(int(joint->value));
    }
    return Error{ErrorKind::value,
                 fmt::format("\"{}\" is no joint of the machine", name.substr(0, 40)),
                 {},
                 "name a joint, or base, tool, cutter, holder or stock"};
}

void ContactObserver::add_pair(std::vector<KeptApart>& pairs, const std::string& first, const std::vector<std::size_t>& a,
                               const std::string& second, const std::vector<std::size_t>& b, double clearance)
{
    const auto is_stock = [&](std::size_t solid) { return solid >= stock_; };
    KeptApart rest{first, second, a, b, clearance};
    for (const bool turned : {false, true}) {
        auto& with_cutter = turned ? rest.second_solids : rest.first_solids;
        auto& with_stock = turned ? rest.first_solids : rest.second_solids;
        const auto cutter = std::find(with_cutter.begin(), with_cutter.end(), cutter_);
        if (cutter == with_cutter.end() || std::none_of(with_stock.begin(), with_stock.end(), is_stock)) {
            continue;
        }
        // The cutter by itself: against the stock it is allowed to touch, against all else not.
        std::vector<std::size_t> stock;
        std::vector<std::size_t> other;
        for (const std::size_t solid : with_stock) {
            (is_stock(solid) ? stock : other).push_back(solid);
        }
        stock_pairs_.push_back(pairs.size());
        pairs.push_back({"cutter", "stock", {cutter_}, stock, 0});
        pairs.push_back({first, second, {cutter_}, other, clearance});
        with_cutter.erase(cutter);
        break;
    }
    pairs.push_back(std::move(rest));
}

Status ContactObserver::set_up()
{
    const Machine& machine = assembly_.machine;
    for (const Body& body : machine.bodies) {
        solids_.emplace_back(body);
    }
    cutter_ = solids_.size();
    holder_ = cutter_ + 1;
    const Mount& spindle = machine.mounts[machine.at_rest().mount];
    for (const char* id : {"cutter", "holder"}) {
        Body body = cylinder(id, 1e-3, 1e-3); // until a tool is fitted
        body.parent = spindle.parent;
        body.frame = spindle.frame;
        solids_.emplace_back(body);
    }
    stock_ = solids_.size();
    const Mount& work = *machine.first_mount(MountKind::work);
    for (Body body : assembly_.setup.stock) {
        body.id = body.id.empty() ? "stock" : body.id;
        body.parent = work.parent;
        body.frame = work.frame * assembly_.setup.part * body.frame;
        solids_.emplace_back(std::move(body));
    }
    std::vector<KeptApart> pairs;
    for (const Apart& apart : machine.apart) {
        const auto first = named(apart.first);
        const auto second = first ? named(apart.second) : first;
        if (!second) {
            Error error = second.error();
            error.place = apart.place;
            return error;
        }
        std::vector<std::size_t> others; // nothing is kept apart from itself
        std::set_difference(second->begin(), second->end(), first->begin(), first->end(), std::back_inserter(others));
        add_pair(pairs, apart.first, *first, apart.second, others, apart.clearance);
    }
    if (machine.apart.empty()) {
        // What carries the tool against what carries the work.
        const auto outermost = [&](int joint) {
            while (joint >= 0 && machine.joints[std::size_t(joint)].parent >= 0) {
                joint = machine.joints[std::size_t(joint)].parent;
            }
            return joint;
        };
        std::vector<std::size_t> carries_tool = spindle.parent >= 0 ? below(spindle.parent) : std::vector{cutter_, holder_};
        std::vector<std::size_t> carries_work;
        if (outermost(work.parent) >= 0 && outermost(work.parent) != outermost(spindle.parent)) {
            carries_work = below(outermost(work.parent));
        } else {
            carries_work = *named("stock");
        }
        add_pair(pairs, "what carries the tool", carries_tool, "what carries the work", carries_work, usual_clearance);
    }
    watch_.emplace(machine, std::move(solids_), std::move(pairs));
    solids_.clear();
    return {};
}

void ContactObserver::begin_file(const std::string& name, const std::vector<Source>* sources, const std::vector<std::string>* source_files)
{
    file_ = name;
    sources_ = sources;
    source_files_ = source_files;
}

/// The tool in the spindle, in the frame of the mount that has it: z from the tip to the holder, zero at the gauge point.
void ContactObserver::fit(const ReplayMove& move)
{
    const std::pair now{move.mount, move.tool};
    if (fitted_ == now) {
        return;
    }
    fitted_ = now;
    const Mount& mount = assembly_.machine.mounts[move.mount];
    const Tool* tool = assembly_.setup.find_tool(move.tool);
    const auto placed = [&](Body body, double bottom) {
        body.parent = mount.parent;
        body.frame = mount.frame * Eigen::Translation3d(0, 0, bottom);
        return Solid(std::move(body));
    };
    const double length = tool != nullptr ? tool->length.value_or(0) : 0;
    const double held = tool != nullptr ? std::min(tool->holder_length, 0.95 * length) : 0;
    const double diameter = tool != nullptr && tool->diameter > 0 ? tool->diameter : 1e-3;
    watch_->exchange(cutter_, placed(cylinder("cutter", diameter, std::max(1e-3, length - held)), -length));
    watch_->exchange(holder_, placed(cylinder("holder", held > 0 ? tool->holder_diameter : 1e-3, std::max(1e-3, held)), -held));
}

// --- motion ---------------------------------------------------------------------------------------------------------------

void ContactObserver::moved(const ReplayMove& move, const Pose& from, const Pose& to, const std::function<Pose(double)>& between)
{
    ++moves_;
    fit(move);
    const bool cuts = move.feed && (move.spindle != record::SpindleState::off || assembly_.setup.spindle != Actor::program);
    for (const std::size_t pair : stock_pairs_) {
        watch_->watch(pair, !cuts);
    }
    meetings_.clear();
    const auto curved = [&](int parts) {
        Readings begin = move.from;
        for (int i = 1; i <= parts; ++i) {
            const Readings end = i == parts ? move.to : move.at(double(i) / parts);
            watch_->along(begin, end, beside, meetings_);
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
    } else if (!move.feed && !assembly_.controller.rapid_straight) {
        // Each joint at its own speed: one after the other comes to its end.
        const auto& joints = assembly_.machine.joints;
        std::vector<double> ends;
        for (std::size_t i = 0; i < joints.size(); ++i) {
            ends.push_back(std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) / joints[i].speed);
        }
        std::vector<double> times = ends;
        std::sort(times.begin(), times.end());
        Readings begin = move.from;
        for (const double time : times) {
            Readings end = move.to;
            for (std::size_t i = 0; i < joints.size(); ++i) {
                const auto at = Eigen::Index(i);
                end[at] = ends[i] > time ? move.from[at] + (move.to[at] - move.from[at]) * (time / ends[i]) : move.to[at];
            }
            if (end != begin) {
                watch_->along(begin, end, 0, meetings_);
            }
            begin = end;
        }
    } else {
        watch_->along(move.from, move.to, 0, meetings_);
    }
    bool in_stock = false;
    for (const Meeting& meeting : meetings_) {
        if (std::find(stock_pairs_.begin(), stock_pairs_.end(), meeting.pair) != stock_pairs_.end()) {
            in_stock = in_stock || meeting.distance <= 0;
        } else {
            tell(move, meeting);
        }
    }
    if (in_stock) {
        tell_rapid_in_stock(move, between);
    }
    if (cuts) {
        Pose begin = from;
        const int parts = move.arc ? std::max(2, int(std::ceil(move.arc->length()))) : 1;
        for (int i = 1; i <= parts; ++i) {
            const Pose end = i == parts ? to : between(double(i) / parts);
            cut_.cut(begin, end);
            begin = end;
        }
    }
}

void ContactObserver::add(Finding finding, const std::string& subject, BlockNumber block)
{
    finding.code = {file_, block.value, 0};
    if (sources_ != nullptr && source_files_ != nullptr && block.value >= 1 && block.value <= sources_->size()) {
        finding.source = place_of(*source_files_, (*sources_)[block.value - 1]);
    }
    findings_.add(std::move(finding), subject, block.value);
}

void ContactObserver::tell(const ReplayMove& move, const Meeting& meeting)
{
    const std::string a = watch_->solids()[meeting.a].body().id;
    const std::string b = watch_->solids()[meeting.b].body().id;
    const double clearance = watch_->pair(meeting.pair).clearance;
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
void ContactObserver::tell_rapid_in_stock(const ReplayMove& move, const std::function<Pose(double)>& between)
{
    if (move.feed) { // with the spindle standing: wherever that is
        add(Finding::make(Severity::error, "contact", "the cutter feeds into the stock while its spindle stands",
                          "start the spindle before", 1),
            "standing", move.block);
        return;
    }
    const double way = (between(1).tip - between(0).tip).norm();
    const int parts = std::clamp(int(std::ceil(way / stock_step)), 1, 2000);
    int inside = 0;
    for (int i = 0; i <= parts; ++i) {
        const double u = double(i) / parts;
        const Pose pose = between(u);
        if (cut_.reached(pose)) {
            continue;
        }
        const Readings at = move.at(u);
        bool touches = false;
        for (std::size_t s = stock_; s < watch_->solids().size() && !touches; ++s) {
            touches = watch_->apart(cutter_, s, at) <= 0;
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

Result<ContactReport> check_contacts(const Assembly& assembly, const std::vector<CodeFile>& code, RunWatch* watch)
{
    ContactReport out;
    auto observer = ContactObserver::make(assembly, out.findings);
    if (!observer) {
        return observer.error();
    }
    for (const CodeFile& file : code) {
        observer->begin_file(file.name, &file.sources, &assembly.toolpath.files);
        MemoryRecords records(assembly.toolpath);
        TextSource text(file.text);
        const auto replayed = replay(assembly, records, {}, {{file.name, &text}}, false, watch, &*observer);
        if (!replayed) {
            return replayed.error();
        }
    }
    out.moves = observer->moves();
    out.measured = observer->watch().measured();
    return out;
}

} // namespace wexilum
