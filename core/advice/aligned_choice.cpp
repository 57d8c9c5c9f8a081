#include "core/advice/aligned_choice.hpp"

#include "core/base/units.hpp"
#include "core/setup/contact_set.hpp"
#include "core/task/postures.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/cycle.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {
/// The work that an operation asks for; the first where that is not one, which is told later.
std::uint32_t work_of(const Assembly& a, const JobOperation& operation) { return a.setup.find_work(operation.work).value_or(0); }

constexpr double travel_slack = 1e-6;    // mm or rad
constexpr double equal_overhang = 0.5;   // mm
constexpr double equal_margin = 0.5;     // mm
constexpr double same_turn = 1e-7;       // rad
constexpr std::size_t most_stops = 3000; // of one operation; of longer ones the corners of what they reach are looked at
constexpr std::size_t most_directions = 64;
constexpr std::size_t most_candidates = 20'000;
constexpr std::size_t most_solved = 2'000'000; // stops of all sets of parked positions, which takes a second
constexpr std::size_t most_followed = 400;     // sets that are looked at for contact
constexpr int arc_parts = 16;

/// A place of the tip on an operation's way, in the work mount's frame.
struct Stop {
    Pose pose;
    const Tool* tool = nullptr;
};

/// Follows a job's records for the places of the operations that leave something open.
class StopCollector {
public:
    explicit StopCollector(const Assembly& a) : a_(a), stops_(a.job.operations.size()) {}

    void add(const Record& record)
    {
        if (std::holds_alternative<record::Operation>(record.data)) {
            ++begun_;
            here_.reset();
            return;
        }
        if (const auto* change = std::get_if<record::ToolChange>(&record.data)) {
            tool_ = a_.setup.find_tool(change->number);
        } else if (const auto* cycle = std::get_if<record::CycleStart>(&record.data)) {
            const auto plan = plan_cycle(*cycle);
            plan_ = plan ? plan.value() : CyclePlan();
        } else if (const Pose* pose = end_pose(record.data); pose != nullptr && !std::holds_alternative<record::From>(record.data)) {
            motion(record.data, *pose);
        }
    }
    [[nodiscard]] std::vector<Stop> take(std::size_t operation) const
    {
        const std::vector<Stop>& all = stops_[operation];
        return all.size() <= most_stops ? all : corners(all);
    }

private:
    void motion(const RecordData& data, const Pose& pose)
    {
        if (const auto piece = here_ ? curved_piece(Frame::Identity(), *here_, data) : std::nullopt) {
            const int parts = arc_parts * (piece->arc ? 1 + int(piece->arc->sweep / whole_turn) : 1);
            for (int k = 1; k < parts; ++k) {
                stop(piece->at(double(k) / parts));
            }
        }
        if (std::holds_alternative<record::CyclePoint>(data)) {
            stop({pose.tip + pose.axis * plan_.retreat, pose.axis});
            stop({pose.tip + pose.axis * plan_.bottom, pose.axis});
            stop({pose.tip + pose.axis * plan_.retreat, pose.axis});
        } else {
            stop(pose);
        }
        here_ = pose;
    }
    void stop(const Pose& pose)
    {
        if (begun_ > 0 && begun_ <= stops_.size()) {
            stops_[begun_ - 1].push_back({transformed(a_.setup.part(), pose), tool_});
        }
    }
    /// The corners of what is reached with each tool in each direction, along the direction and across it.
    [[nodiscard]] static std::vector<Stop> corners(const std::vector<Stop>& all)
    {
        struct Reach {
            Stop first;
            Frame frame;
            Eigen::AlignedBox3d box;
        };
        std::vector<Reach> reaches;
        for (const Stop& stop : all) {
            auto found = std::find_if(reaches.begin(), reaches.end(), [&](const Reach& r) {
                return r.first.tool == stop.tool && (r.first.pose.axis - stop.pose.axis).squaredNorm() < 1e-12;
            });
            if (found == reaches.end()) {
                if (reaches.size() == most_directions) {
                    continue;
                }
                reaches.push_back({stop, frame_from(Vec3::Zero(), any_across(stop.pose.axis), stop.pose.axis), {}});
                found = reaches.end() - 1;
            }
            found->box.extend(Vec3(found->frame.inverse() * stop.pose.tip));
        }
        std::vector<Stop> out;
        for (const Reach& reach : reaches) {
            for (const int corner : {4, 0, 1, 5, 7, 3, 2, 6}) { // each beside the one before; the first ones outside
                const Vec3 at = reach.box.corner(Eigen::AlignedBox3d::CornerType(corner));
                out.push_back({{reach.frame * at, reach.first.pose.axis}, reach.first.tool});
            }
        }
        return out;
    }

    const Assembly& a_;
    std::vector<std::vector<Stop>> stops_;
    std::size_t begun_ = 0;
    const Tool* tool_ = nullptr;
    CyclePlan plan_;
    std::optional<Pose> here_;
};

/// One set of parked positions.
struct ParkedChoice {
    JointIndex works;
    std::vector<HeldJoint> parked;
    double overhang = 0;
};

class Chooser {
public:
    /// `aligned`: those of `open` and the ones parked that point the same way, from the base to the tool.
    Chooser(const Assembly& a, std::size_t operation, std::vector<JointIndex> aligned, std::vector<JointIndex> open,
            std::vector<Stop> stops, const RunWatch* watch)
        : a_(a), operation_(operation), aligned_(std::move(aligned)), open_(std::move(open)), stops_(std::move(stops)), watch_(watch)
    {}

    /// Nothing where the setup is unfit for a choice.
    Result<std::optional<AlignedChoice>> choose(std::vector<std::pair<std::string, double>>& parked)
    {
        const std::optional<AlignedChoice> none;
        const auto unfit = [](const Stop& s) { return s.tool == nullptr || !s.tool->length; };
        if (stops_.empty() || std::any_of(stops_.begin(), stops_.end(), unfit)) {
            return none;
        }
        auto set = ContactSet::make(a_.machine, a_.setup);
        if (!set) {
            return set.error();
        }
        set_.emplace(std::move(*set));
        watch_stock(false);
        const std::vector<ParkedChoice> all = candidates();
        if (all.empty()) {
            return none;
        }
        std::optional<ParkedChoice> best;
        double best_margin = 0;
        std::string less; // why not with less
        for (const ParkedChoice& candidate : all) {
            if (best && candidate.overhang > best->overhang + equal_overhang) {
                break;
            }
            if (watch_ != nullptr && watch_->stopped()) {
                return cancelled();
            }
            if (all_tried() || hopeless_) {
                break;
            }
            ++tried_;
            std::string trouble;
            const double margin = tried(candidate, trouble);
            if (!trouble.empty()) {
                less = best ? less : trouble;
            } else if (!best || margin > best_margin + equal_margin) {
                best = candidate;
                best_margin = margin;
            }
        }
        const JobOperation& operation = a_.job.operations[operation_];
        if (!best) {
            return Error{ErrorKind::value,
                         fmt::format("in the operation {} the joints {} point the same way, and no posture is free{}: {}", operation.id,
                                     names(), all_tried() ? fmt::format(" of the {} that were tried, least overhang first", tried_) : "",
                                     less),
                         operation.place, "move the part, take a longer tool, or park all but one of them in the operation's \"posture\""};
        }
        std::string stands;
        for (const HeldJoint& held : best->parked) {
            const std::string& id = a_.machine.joints[held.joint.value].id;
            stands += fmt::format(", {} stands at {:g}", id, held.reading);
            parked.emplace_back(id, held.reading);
        }
        AlignedChoice out{operation_, {}, best->overhang};
        out.text = fmt::format("in the operation {} {} works{}: an overhang of {:g} mm", operation.id,
                               a_.machine.joints[best->works.value].id, stands, std::round(best->overhang * 1e3) / 1e3);
        out.text += less.empty() ? std::string() : fmt::format("; with less, {}", less);
        return std::optional(out);
    }

private:
    [[nodiscard]] bool all_tried() const { return followed_ >= most_followed || solved_ >= most_solved; }

    [[nodiscard]] std::string names() const
    {
        std::string out;
        for (const JointIndex j : open_) {
            out += (out.empty() ? "" : ", ") + a_.machine.joints[j.value].id;
        }
        return out;
    }

    [[nodiscard]] Posture posture_of(const ParkedChoice& candidate) const
    {
        const JobOperation& operation = a_.job.operations[operation_];
        Posture out = a_.machine.at_rest();
        out.work = work_of(a_, operation);
        out.mount = a_.machine.find_tool_mount(operation.posture.attachment).value_or(out.mount);
        for (const auto& [id, reading] : operation.posture.parked) {
            if (const auto joint = a_.machine.find_joint(id)) {
                out.held.push_back({*joint, reading});
            }
        }
        out.held.insert(out.held.end(), candidate.parked.begin(), candidate.parked.end());
        return out;
    }

    /// How far out of its home a joint can stand, in steps, the way with more room.
    [[nodiscard]] std::vector<double> places(JointIndex j) const
    {
        const Joint& joint = a_.machine.joints[j.value];
        std::vector<double> out{joint.home};
        if (joint.travel) {
            const double high = joint.travel->high - joint.home;
            const double low = joint.home - joint.travel->low;
            const double way = std::max(high, low);
            const int steps = int(std::min(std::ceil(way / overhang_step), 1e4));
            for (int step = 1; step <= steps; ++step) {
                out.push_back(joint.home + (high >= low ? 1 : -1) * std::min(step * overhang_step, way));
            }
        }
        return out;
    }

    /// The readings of a joint over the operation where the others stand so: the least and the largest.
    [[nodiscard]] std::optional<std::pair<double, double>> range(JointIndex works, const ParkedChoice& candidate) const
    {
        const auto solver = solver_of(a_, posture_of(candidate));
        if (!solver) {
            return std::nullopt;
        }
        std::pair<double, double> out{1e300, -1e300};
        Readings at = standing(candidate);
        for (const Stop& stop : stops_) {
            if (!bring(*solver, stop, at)) {
                return std::nullopt;
            }
            out.first = std::min(out.first, at[Eigen::Index(works.value)]);
            out.second = std::max(out.second, at[Eigen::Index(works.value)]);
        }
        return out;
    }

    [[nodiscard]] Readings standing(const ParkedChoice& candidate) const
    {
        Readings out = a_.machine.home();
        for (const HeldJoint& held : posture_of(candidate).held) {
            out[Eigen::Index(held.joint.value)] = held.reading;
        }
        return out;
    }

    static bool bring(const InverseSolver& solver, const Stop& stop, Readings& at)
    {
        const Candidates found = solver.solve(stop.pose, stop.tool->length.value_or(0), at);
        if (found.list.empty()) {
            return false; // the run reports it
        }
        at = found.list.front().readings;
        return true;
    }

    /// By rising overhang.
    [[nodiscard]] std::vector<ParkedChoice> candidates() const
    {
        std::vector<ParkedChoice> out;
        for (const JointIndex works : open_) {
            add_with(works, out);
        }
        std::stable_sort(out.begin(), out.end(), [](const ParkedChoice& a, const ParkedChoice& b) { return a.overhang < b.overhang; });
        return out;
    }

    void add_with(JointIndex works, std::vector<ParkedChoice>& out) const
    {
        const Joint& joint = a_.machine.joints[works.value];
        const JointIndex base = aligned_.front();
        const bool base_open = std::find(open_.begin(), open_.end(), base) != open_.end();
        std::vector<ParkedChoice> parked{{works, {}, 0}};
        for (const JointIndex j : open_) {
            if (j == works || j == base) {
                continue;
            }
            std::vector<ParkedChoice> more;
            std::vector<double> stands = places(j);
            stands.resize(std::min(stands.size(), std::max<std::size_t>(1, most_candidates / parked.size()))); // the nearest to its home
            for (const ParkedChoice& candidate : parked) {
                for (const double place : stands) {
                    more.push_back(candidate);
                    more.back().parked.push_back({j, place});
                    more.back().overhang += std::abs(place - a_.machine.joints[j.value].home);
                }
            }
            parked = std::move(more);
        }
        if (works == base) {
            out.insert(out.end(), parked.begin(), parked.end());
            return;
        }
        ParkedChoice probe = parked.front(); // all others at their homes
        if (base_open) {
            probe.parked.insert(probe.parked.begin(), {base, a_.machine.joints[base.value].home});
        }
        const auto at_home = range(works, probe);
        if (!at_home) {
            return;
        }
        for (const ParkedChoice& candidate : parked) {
            if (out.size() >= 2 * most_candidates) {
                break;
            }
            double others = 0; // what the parked ones do in its place
            for (const HeldJoint& held : candidate.parked) {
                others += along(held.joint, works) * (held.reading - a_.machine.joints[held.joint.value].home);
            }
            const double least = at_home->first - others;
            const double most = at_home->second - others;
            if (!base_open) {
                out.push_back(candidate);
                out.back().overhang += std::max(std::abs(least - joint.home), std::abs(most - joint.home));
                continue;
            }
            // The outermost stands so that the working one begins at its home, or further out by steps.
            const double nearest = places(works).back() < joint.home ? most : least;
            for (const double place : places(works)) {
                ParkedChoice made = candidate;
                made.overhang += std::abs(place - joint.home) + most - least;
                const double stands = a_.machine.joints[base.value].home + along(works, base) * (nearest - place);
                if (!outside_travel(a_.machine.joints[base.value], stands)) {
                    made.parked.insert(made.parked.begin(), {base, std::round(stands * 10) / 10});
                    out.push_back(std::move(made));
                }
            }
        }
    }

    /// 1 where two aligned joints move the tool against the work the same way, otherwise -1.
    [[nodiscard]] double along(JointIndex a, JointIndex b) const
    {
        const Mount work = holder_of(a_, work_of(a_, a_.job.operations[operation_]));
        const Kinematics chain = Kinematics::make(a_.machine, a_.machine.at_rest(), work);
        const auto signed_joint = [&](JointIndex j) {
            const Vec3 way = chain.way_of(j);
            return way == Vec3::Zero() ? a_.machine.joints[j.value].direction : way;
        };
        return signed_joint(a).dot(signed_joint(b)) < 0 ? -1 : 1;
    }

    /// The operation as its safe links and straight ways lead through it; the room left in travel, mm or rad.
    double tried(const ParkedChoice& candidate, std::string& trouble)
    {
        const Posture posture = posture_of(candidate);
        const auto solver = solver_of(a_, posture);
        double margin = 1e300;
        double worst = 0;
        if (!solver) {
            trouble = solver.error().message;
            return margin;
        }
        const auto works = Eigen::Index(candidate.works.value);
        const double home = a_.machine.joints[candidate.works.value].home;
        std::vector<Readings> stands;
        Readings at = standing(candidate);
        solved_ += stops_.size();
        for (const Stop& stop : stops_) {
            if (!bring(*solver, stop, at)) {
                trouble = "a direction can't be reached";
                return margin;
            }
            for (const Overtravel& over : overtravels(a_.machine, at, travel_slack)) {
                // Where the others stand changes nothing for a joint that points another way.
                hopeless_ = hopeless_ || std::find(aligned_.begin(), aligned_.end(), over.joint) == aligned_.end();
                if (over.beyond > worst) {
                    worst = over.beyond;
                    trouble = text_of(a_.machine, over);
                }
            }
            margin = std::min(margin, room(at, candidate.works));
            stands.push_back(at);
        }
        if (worst > 0) {
            return margin;
        }
        // Contact on the links and the ways between.
        ++followed_;
        Readings before = standing(candidate);
        meetings_.clear();
        for (std::size_t i = 0; i < stands.size() && meetings_.empty(); ++i) {
            set_->fit(posture.mount, stops_[i].tool);
            const Turns from = solver->turns_of(before);
            const Turns to = solver->turns_of(stands[i]);
            const bool link = i == 0 || stops_[i].tool != stops_[i - 1].tool || std::abs(to[0] - from[0]) > same_turn ||
                              std::abs(to[1] - from[1]) > same_turn;
            if (link) {
                Readings away = before;
                away[works] = home;
                go(before, away);
                Readings turned = away;
                solver->set_turns(turned, to);
                watch_stock(true);
                go(away, turned);
                watch_stock(false);
                Readings over = stands[i];
                over[works] = home;
                go(turned, over);
                before = over;
            }
            go(before, stands[i]);
            before = stands[i];
        }
        if (meetings_.empty() && !stands.empty()) {
            Readings away = before;
            away[works] = home;
            go(before, away);
        }
        if (!meetings_.empty()) {
            const Meeting& meeting = meetings_.front();
            const auto& solids = set_->watch().solids();
            trouble = fmt::format("{} and {} {}", solids[meeting.a].body().id, solids[meeting.b].body().id,
                                  meeting.distance > 0 ? fmt::format("come within {:.1f} mm", meeting.distance) : "meet");
        }
        return margin;
    }

    void watch_stock(bool watched)
    {
        for (const std::size_t pair : set_->stock_pairs()) {
            set_->watch().watch(pair, watched);
        }
    }

    void go(const Readings& from, const Readings& to)
    {
        if (meetings_.empty() && from != to) {
            set_->watch().along(from, to, 0, meetings_);
        }
    }

    /// Of the joint that works, to the ends of its travel.
    [[nodiscard]] double room(const Readings& at, JointIndex works) const
    {
        const auto& travel = a_.machine.joints[works.value].travel;
        const double reading = at[Eigen::Index(works.value)];
        return travel ? std::min(reading - travel->low, travel->high - reading) : 1e300;
    }

    const Assembly& a_;
    std::size_t operation_;
    std::vector<JointIndex> aligned_;
    std::vector<JointIndex> open_;
    std::vector<Stop> stops_;
    const RunWatch* watch_;
    std::optional<ContactSet> set_;
    std::vector<Meeting> meetings_;
    std::size_t tried_ = 0;    ///< sets of parked positions
    std::size_t solved_ = 0;   ///< stops
    std::size_t followed_ = 0; ///< ways looked at for contact
    bool hopeless_ = false;    ///< a joint leaves its travel wherever the aligned ones stand
};

/// The largest group of linear joints of an operation that point the same way, from the base to the tool; `parked`: with those that the
/// operation parks.
std::vector<JointIndex> aligned_in(const Assembly& a, std::size_t operation, bool parked)
{
    const PostureWish& wish = a.job.operations[operation].posture;
    Posture posture = a.machine.at_rest();
    posture.mount = a.machine.find_tool_mount(wish.attachment).value_or(posture.mount);
    const Kinematics chain = Kinematics::make(a.machine, posture, holder_of(a, work_of(a, a.job.operations[operation])));
    std::vector<JointIndex> free;
    for (const JointIndex drives : chain.driving()) {
        const Joint& joint = a.machine.joints[drives.value];
        const bool stands = std::any_of(wish.parked.begin(), wish.parked.end(), [&](const auto& p) { return p.first == joint.id; });
        if (joint.kind == JointKind::linear && !joint.by_hand && (parked || !stands)) {
            free.push_back(drives);
        }
    }
    std::vector<JointIndex> out;
    for (const JointIndex j : free) {
        std::vector<JointIndex> group;
        std::copy_if(free.begin(), free.end(), std::back_inserter(group), [&](JointIndex other) {
            return a.machine.joints[other.value].direction.cross(a.machine.joints[j.value].direction).norm() < 1e-9;
        });
        if (group.size() > std::max<std::size_t>(1, out.size())) {
            out = std::move(group);
        }
    }
    return out;
}

} // namespace

std::vector<JointIndex> left_open(const Assembly& a, std::size_t operation) { return aligned_in(a, operation, false); }

Status choose_aligned(Assembly& a, RecordSource& records, const RunWatch* watch)
{
    StopCollector collector(a);
    if (Status status = each_record(records, [&](const Record& record) { collector.add(record); }); !status) {
        return status;
    }
    for (std::size_t i = 0; i < a.job.operations.size(); ++i) {
        const std::vector<JointIndex> open = left_open(a, i);
        if (open.empty()) {
            continue;
        }
        std::vector<std::pair<std::string, double>> parked;
        auto choice = Chooser(a, i, aligned_in(a, i, true), open, collector.take(i), watch).choose(parked);
        if (!choice) {
            return choice.error();
        }
        if (*choice) {
            auto& list = a.job.operations[i].posture.parked;
            list.insert(list.end(), parked.begin(), parked.end());
            a.choices.push_back(std::move(**choice));
        }
    }
    return {};
}

} // namespace wexilum
