// Which branch and turn the rotary joints take along a whole path.
//
// A *sheet* is one branch of the closed form with one number of whole turns for each rotary joint; followed along a cut its
// readings never jump. The path falls into *stretches* at whose beginnings the sheet may change: at a link (a move in rapid), at
// a pole that the cut goes through, and, where the job allows it, where the tool is retracted to reorient. Inside a stretch all
// sheets of a branch move alike and differ by whole turns only, so a stretch is described by the smallest and largest readings and the
// time of each branch; which sheets stay inside travel follows. The choice over the stretches is the cheapest chain: the sum over
// all moves, those between stretches included, of the time the slowest joint needs. Ties (to 1e-9 s): less turning of the
// rotary joints (to 1e-9 rad), then at the last stretch where they differ the first branch and the lowest turn.
//
// Memory does not grow with the path: a stretch's sheets go to a spool, each with the sheet it is best entered from, and the
// chain is read off from the end.
#pragma once

#include "core/base/world.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/solve/inverse.hpp"

#include <functional>
#include <optional>
#include <tuple>
#include <vector>

namespace wexilum {

struct PathTarget {
    Pose pose;                        ///< in the frame of the work mount
    double tool_length = 0;           ///< mm
    double seconds = 0;               ///< what the feed asks for the cut to here; 0: as fast as the joints can. A ladder counts with it
    bool link = false;                ///< reached in rapid: the sheet may change here
    bool may_reorient = false;        ///< the tool may be retracted before this target and come back on another sheet
    const PathPiece* curve = nullptr; ///< the way to the target where it is not a line; read during add() only
};

enum class ChoiceProblem {
    none,
    unreachable,   ///< no readings bring the tool axis there; `missed_by` rad
    beyond_travel, ///< no sheet stays inside travel from the stretch's beginning to here
    broken,        ///< inside travel, but no cut leads from the target before to here without a jump of the joints
};

/// Nearer to a pole than this a target counts as standing in it (CL data with six decimals is off by 0.9e-6 rad).
inline constexpr double at_pole = pole_free; // rad

/// Chords that a target is off a pole which a cut to it can't pass.
inline constexpr double clear_of_poles = 1.1;

struct Choice {
    Readings readings; ///< where there is a problem: the nearest that could be had, or none
    Outcome outcome = Outcome::solved;
    double residual = 0; ///< rad
    double pole = 10;    ///< rad from the nearest pole
    ChoiceProblem problem = ChoiceProblem::none;
    JointIndex joint; ///< for beyond_travel
    double missed_by = 0;
    Vec3 nearest_axis = Vec3::UnitZ(); ///< for unreachable, in the work's frame
};

class PathChooser {
public:
    /// `steps` and `decisions` take what the reader below needs; both must be empty and outlive the chooser, as must the rest.
    PathChooser(const InverseSolver& solver, const Machine& machine, const Readings& start, Spool& steps, Spool& decisions);

    struct Seen {
        ChoiceProblem problem = ChoiceProblem::none;
        double missed_by = 0;              ///< rad, where unreachable
        Vec3 nearest_axis = Vec3::UnitZ(); ///< likewise, in the work mount's frame
        double residual = 0;               ///< rad between the asked and the reached axis
        double pole = 10;                  ///< rad to the nearest pole
    };
    Seen add(const PathTarget& target);
    /// Adds the cuts of a run (work mount's frame) as add() would one by one. `common`: what holds for all of them; where it is a link,
    /// the first one is. `look` is called for those that needed a closer look; about all others nothing is to be said but that they may
    /// be beyond travel.
    void add_run(const LinearRun& run, const PathTarget& common, const std::function<void(std::size_t, const Seen&)>& look);
    /// From here on the targets are for another solver of the same machine, which must outlive the chooser as well; the next one has to be
    /// a link. `standing`: where joints are that have not moved so far.
    void change_solver(const InverseSolver& solver, const Readings& standing);
    /// What has been chosen elsewhere for all that is reached with the solver at hand, nothing of which has been added: whole readings, as
    /// Choice says. It begins where standing() is.
    void add_whole(const std::vector<PathTarget>& targets, const std::vector<Choice>& choices);
    /// Where the cheapest way so far leaves the machine; other joints as in `others`. What waited for the way on is settled.
    [[nodiscard]] Readings standing(const Readings& others);
    /// Settles the choice. Nothing may be added afterwards.
    Status finish();

private:
    static constexpr std::size_t most_chain = 5;
    static constexpr std::size_t first_linear = 2;
    using Chain = std::array<double, most_chain>; ///< two rotary joints (0 where there is none), then the three linear ones
    /// Readings of both branches along cuts, by joint of the chain.
    using Ways = std::array<std::array<const double*, most_chain>, 2>;
    /// A branch in the stretch at hand: where it began and is, its smallest and largest readings, and what its moves cost.
    struct Track {
        Chain first{};
        Chain last{};
        Chain low{};
        Chain high{};
        double seconds = 0;
        double turned = 0;
        double room = 0; ///< least inside travel so far, as the readings stand
        bool alive = false;
    };
    using Stretch = std::array<Track, 2>;
    struct Sheet {
        int branch = 0;
        std::array<std::int32_t, 2> turns{};
        std::array<bool, 2> any_turn{}; ///< the turn is the one nearest to where the machine comes from
    };
    struct Survivor {
        Chain end{};
        std::int64_t cost = 0;    ///< ns
        std::int64_t turned = 0;  ///< 1e-9 rad
        std::int64_t against = 0; ///< 1e-9 rad turned in links against the joints' preferred sense
        [[nodiscard]] auto key() const { return std::tuple(cost, turned, against); }
    };
    using Lifts = std::array<Turns, 2>;

    [[nodiscard]] std::array<Chain, 2> chains_at(const Lifts& lifts, const Vec3& tip, double tool_length, const Branches* found) const;
    [[nodiscard]] double room(const Chain& low, const Chain& high) const;
    [[nodiscard]] bool fits(const Chain& low, const Chain& high) const;
    [[nodiscard]] std::pair<std::int32_t, std::int32_t> turn_range(std::size_t rotary, double low, double high) const;
    [[nodiscard]] double slowest(const Chain& a, const Chain& b) const;
    [[nodiscard]] std::vector<Sheet> sheets() const;
    [[nodiscard]] Lifts lifts_near(const Branches& found) const;
    [[nodiscard]] double turn_to(const Branches& found) const;
    [[nodiscard]] Lifts at_the_pole(bool opposite) const;
    void begin(const Lifts& lifts, const Vec3& tip, double tool_length);
    bool advance(const Ways& ways, std::size_t count, bool anyway);
    bool advance_to(const Lifts& lifts, const Vec3& tip, double tool_length, bool anyway, const Branches* found = nullptr);
    void move_to(const Lifts& lifts, const Vec3& tip, const PathTarget& target, std::uint8_t& entry, Lifts& depart,
                 const Branches* found = nullptr);
    Seen add_found(const PathTarget& target, const Branches& found);
    std::size_t add_along(const LinearRun& run, std::size_t first, std::size_t end);
    void cut(const PathTarget& target, const Branches& found);
    void close();
    void settle_pending(const Branches* next);
    void free_joint_inside(const std::vector<PathTarget>& waiting);
    void write_step(std::uint8_t entry, const Lifts& lifts, bool opposite = false);
    [[nodiscard]] std::size_t cheapest() const;
    Status trace_back();

    void take_joints();

    const InverseSolver* solver_;
    const Machine& machine_;
    SpoolWriter steps_;
    SpoolWriter decisions_;
    Spool& decision_spool_;
    std::size_t rotary_ = 0;
    int branch_count_ = 1;
    std::array<std::optional<JointIndex>, most_chain> joints_; ///< of the chain
    Chain per_speed_{};
    std::array<int, 2> sense_{}; ///< preferred by the rotary joints: -1, 0 or 1
    Chain travel_low_{};
    Chain travel_high_{};
    Stretch stretch_;
    BranchRun run_;                                ///< of the run at hand
    std::array<std::array<Column, 2>, 2> along_{}; ///< its turns, by branch and joint, on the sheets of lifts_
    std::vector<Survivor> survivors_;
    std::vector<Sheet> frozen_; ///< the sheets that came furthest, once none is left
    bool open_ = false;
    bool beyond_ = false;
    Lifts lifts_{}; ///< at the last target
    Pose here_;
    double here_pole_ = 10;
    std::vector<PathTarget> pending_; ///< targets at a pole at the beginning of a cut: how it goes on decides the free joint's reading;
                                      ///< where it goes on in the pole, their travel does
};

/// What was decided for one target.
struct Planned {
    enum class Entry : std::uint8_t {
        cut,      ///< on the sheet of the target before
        link,     ///< in rapid
        reorient, ///< after a retract at the target before, where the rotary joints go to `depart`
        pole,     ///< through the pole at fraction `s` of the way: there from `arrive` to `depart`
        lost,     ///< unreachable: no readings
    };
    Entry entry = Entry::cut;
    int branch = 0;
    /// At the target. Joints that follow from these and the tip's place, as the linear ones of a mill, read here what means nothing
    /// (InverseSolver::set_linear() settles them, for the exact readings or for rounded ones).
    Readings readings;
    bool beyond = false; ///< no sheet of the stretch stays inside travel
    double s = 0;
    bool opposite = false; ///< which pole
    int branch_before = 0;
    Readings arrive;
    Readings depart;
};

namespace plan {

/// What stands before a step.
struct StepHead {
    std::uint8_t entry;
    std::uint8_t opposite;
};

} // namespace plan

/// Reads the decisions back, one for each target, in order.
class PlanReader {
public:
    /// `solver`: that of the first target. It must outlive the reader.
    PlanReader(Spool& steps, Spool& decisions, const InverseSolver& solver);
    /// What follows has been added for another solver, which must outlive the reader as well.
    void change_solver(const InverseSolver& solver) { solver_ = &solver; }
    /// Precondition: fewer calls than targets were added. The reference holds until the next call.
    const Planned& next();
    /// What up to `most` cuts that come next read in the settled joints, all of which are on the sheet of the target before, put into the
    /// columns from `at` on; how many. None where something else comes. branch() and beyond() hold for them.
    std::size_t next_run(std::size_t at, std::size_t most, std::array<Column, 2>& turns);
    /// next() was on, or next_run() is on, a stretch that no sheet stays inside travel of.
    [[nodiscard]] bool beyond() const { return chosen_.beyond; }
    [[nodiscard]] int branch() const { return chosen_.branch; }
    [[nodiscard]] Status status() const { return steps_.status().ok() ? decisions_.status() : steps_.status(); }

private:
    struct Chosen {
        int branch = 0;
        std::array<std::int32_t, 2> turns{};
        bool beyond = false;
    };
    [[nodiscard]] Turns turns_on(const std::array<Turns, 2>& lifts, const Chosen& chosen) const;
    [[nodiscard]] Readings readings_on(const std::array<Turns, 2>& lifts, const Chosen& chosen) const;
    void next_stretch();
    const Planned& next_other(const std::array<Turns, 2>& lifts, Planned::Entry entry, bool opposite);
    const Planned& next_whole(bool begins);
    bool read_run();
    void stay(const Turns& turns);

    SpoolReader steps_;
    SpoolReader decisions_;
    const InverseSolver* solver_;
    Chosen chosen_;
    Planned out_;
    std::optional<plan::StepHead> head_; ///< of the step that comes next, where it has been read
    std::array<Column, 2> run_{};        ///< turns of the cuts at hand
    std::size_t run_at_ = 0;
    std::size_t run_end_ = 0;
};

/// Chooses whole readings for all targets of a path at once. Deterministic.
class WholeChooser {
public:
    virtual ~WholeChooser() = default;
    /// One choice for each target, in order, starting from `start`; poses in the work mount's frame.
    [[nodiscard]] virtual std::vector<Choice> choose(const std::vector<PathTarget>& targets, const Readings& start) const = 0;
};

/// The above, kept in memory.
[[nodiscard]] std::vector<Choice> choose_path(const InverseSolver& solver, const Machine& machine, const std::vector<PathTarget>& targets,
                                              const Readings& start);

/// The choice over sheets. Both must outlive the chooser.
class SheetChooser final : public WholeChooser {
public:
    SheetChooser(const InverseSolver& solver, const Machine& machine) : solver_(solver), machine_(machine) {}
    [[nodiscard]] std::vector<Choice> choose(const std::vector<PathTarget>& targets, const Readings& start) const override
    {
        return choose_path(solver_, machine_, targets, start);
    }

private:
    const InverseSolver& solver_;
    const Machine& machine_;
};

} // namespace wexilum
