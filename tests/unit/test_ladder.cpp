// The choice over a ladder: against brute force on small ones, against the chooser over sheets where nothing is free, and what a third
// rotary joint that is free brings a mill.
#include "core/base/units.hpp"
#include "core/solve/ladder.hpp"
#include "core/solve/mill_solver.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <functional>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_ladder {

namespace {

constexpr double length = 120; // mm, of the tool

/// The table-table machine with a joint A in its head that tilts the tool about X, 60 mm above the gauge point.
Machine with_tilting_head(double a_degrees = 60, double a_speed = 100)
{
    Machine machine = machine_from(table_table_json());
    const Mount& tool = *machine.first_mount(MountKind::tool);
    Joint a;
    a.id = "A";
    a.kind = JointKind::rotary;
    a.parent = tool.parent;
    a.direction = Vec3::UnitX();
    a.point = tool.frame.translation() + Vec3(0, 0, 60);
    a.travel = Travel{-to_rad(a_degrees), to_rad(a_degrees)};
    a.speed = to_rad(a_speed);
    machine.joints.push_back(a);
    for (Mount& mount : machine.mounts) {
        if (mount.kind == MountKind::tool) {
            mount.parent = int(machine.joints.size()) - 1;
        }
    }
    for (const char* id : {"X", "Y", "Z"}) {
        machine.joints[machine.find_joint(id)->value].travel = Travel{-2000, 2000};
    }
    return machine;
}

PathTarget target(double tilt, double azimuth, const Vec3& tip, bool link = false)
{
    PathTarget out;
    out.pose = leaning(tilt, azimuth, tip);
    out.tool_length = length;
    out.link = link;
    return out;
}

std::vector<Choice> chosen_by(const PathSolver& solver, const std::vector<PathTarget>& targets, const Readings& start,
                              const LadderOptions& options = {})
{
    return LadderChooser(solver, options).choose(targets, start);
}

double cost_of(const Machine& machine, const Readings& start, const std::vector<Choice>& chosen)
{
    double sum = 0;
    Readings before = start;
    for (const Choice& choice : chosen) {
        sum += slowest(machine, before, choice.readings);
        before = choice.readings;
    }
    return sum;
}

/// Whether readings can be carried along a cut to others in small steps, each to the nearest solution, the free joint in proportion.
bool carried(const Machine& machine, std::size_t free, const Pose& from, Readings readings, const Pose& to, const Readings& goal)
{
    constexpr int steps = 400;
    const double first = readings[Eigen::Index(free)];
    for (int i = 1; i <= steps; ++i) {
        const double u = double(i) / steps;
        const double a = first + (goal[Eigen::Index(free)] - first) * u;
        const auto solver =
            InverseSolver::make(Kinematics::make(machine, {machine.at_rest().mount, {{JointIndex(free), a}}, 0}).value()).value();
        const Pose pose{from.tip + (to.tip - from.tip) * u, great_circle(from.axis, to.axis, u)};
        std::optional<Readings> best;
        double least = 0.5; // rad: further is another sheet
        for (const Candidate& c : solver.solve(pose, length, readings).list) {
            double turn = 0;
            for (const JointIndex j : solver.rotary()) {
                turn = std::max(turn, std::abs(c.readings[Eigen::Index(j.value)] - readings[Eigen::Index(j.value)]));
            }
            if (turn < least) {
                least = turn;
                best = c.readings;
            }
        }
        if (!best || !inside_travel(machine, *best, 1e-6)) {
            return false;
        }
        readings = *best;
        readings[Eigen::Index(free)] = a;
    }
    return (readings - goal).cwiseAbs().maxCoeff() < 1e-6;
}

} // namespace

class TestLadder : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void poses_are_reached() // forwards, through the whole chain with all its joints
    {
        const Machine machine = with_tilting_head();
        const auto solver = MillSolver::make(machine, machine.at_rest(), machine.find_joint("A")).value();
        std::vector<PathTarget> targets;
        for (int i = 0; i <= 40; ++i) {
            targets.push_back(target(20 + i, 5.0 * i, {40.0 + i, 10, 5}, i == 0));
        }
        const auto chosen = chosen_by(solver, targets, machine.home());
        const Kinematics chain = Kinematics::make(machine).value();
        bool moves = false;
        for (std::size_t i = 0; i < targets.size(); ++i) {
            QVERIFY(chosen[i].problem == ChoiceProblem::none);
            const Readings& readings = chosen[i].readings;
            const Pose pose = chain.pose(readings, length);
            QVERIFY((pose.tip - targets[i].pose.tip).norm() < 1e-9);
            QVERIFY(angle_between(pose.axis, targets[i].pose.axis) < 1e-12);
            QVERIFY(inside_travel(machine, readings, 1e-9));
            moves = moves || std::abs(readings[5]) > 1e-3;
            QVERIFY(travel_left(machine.joints, readings) >= -1e-9);
        }
        QVERIFY(moves); // the free joint is made use of
    }

    void as_brute_force_has_it() // every chain of all candidates, its cuts carried over in small steps
    {
        const std::uint32_t seed = 8112;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> share(0, 1);
        const Machine machine = with_tilting_head(40, 60);
        const std::size_t free = machine.find_joint("A")->value;
        const auto solver = MillSolver::make(machine, machine.at_rest(), JointIndex(free)).value();
        int refused = 0;
        for (int turn = 0; turn < 40 / WEXILUM_EVERY + 1; ++turn) {
            std::vector<PathTarget> targets;
            double tilt = 50 * share(random);
            double azimuth = 360 * share(random);
            for (int i = 0; i < 4; ++i) {
                targets.push_back(target(tilt, azimuth, Vec3(100 * share(random), 100 * share(random), 50 * share(random)),
                                         i == 0 || share(random) < 0.2));
                tilt = std::clamp(tilt + 30 * (share(random) - 0.5), 0.5, 70.0);
                azimuth += 120 * (share(random) - 0.5);
            }
            LadderOptions options;
            options.step = to_rad(40);
            options.refinements = 0;
            const auto chosen = chosen_by(solver, targets, machine.home(), options);
            // By hand: A at -40, 0 and 40 degrees.
            std::vector<std::vector<Readings>> rungs;
            for (const PathTarget& at : targets) {
                auto& rung = rungs.emplace_back();
                for (const double a : {-40.0, 0.0, 40.0}) {
                    const Posture posture{machine.at_rest().mount, {{JointIndex(free), to_rad(a)}}, 0};
                    Readings near = machine.home();
                    near[Eigen::Index(free)] = to_rad(a);
                    for (const Candidate& c :
                         InverseSolver::make(Kinematics::make(machine, posture).value()).value().within_travel(at.pose, length, near)) {
                        rung.push_back(c.readings);
                    }
                }
            }
            double best = 1e300;
            std::vector<std::map<std::pair<std::size_t, std::size_t>, bool>> known(targets.size());
            const std::function<void(std::size_t, std::size_t, const Readings&, double)> go = [&](std::size_t i, std::size_t from,
                                                                                                  const Readings& before, double sum) {
                if (i == targets.size()) {
                    best = std::min(best, sum);
                    return;
                }
                for (std::size_t to = 0; to < rungs[i].size(); ++to) {
                    const double here = sum + slowest(machine, before, rungs[i][to]);
                    if (here > best) {
                        continue;
                    }
                    if (!targets[i].link) {
                        const auto [found, is_new] = known[i].try_emplace({from, to}, false);
                        if (is_new) {
                            found->second = carried(machine, free, targets[i - 1].pose, before, targets[i].pose, rungs[i][to]);
                            refused += found->second ? 0 : 1;
                        }
                        if (!found->second) {
                            continue;
                        }
                    }
                    go(i + 1, to, rungs[i][to], here);
                }
            };
            go(0, 0, machine.home(), 0);
            const bool whole = std::all_of(chosen.begin(), chosen.end(), [](const Choice& c) { return c.problem == ChoiceProblem::none; });
            QCOMPARE(whole, best < 1e300);
            if (whole) {
                const double ours = cost_of(machine, machine.home(), chosen);
                QVERIFY2(std::abs(ours - best) < 1e-8, qPrintable(QString("%1: %2 of %3").arg(turn).arg(ours).arg(best)));
            }
        }
        QVERIFY(refused > 20); // jumps have been among the cheapest chains
    }

    void as_the_choice_over_sheets_has_it() // nothing free: the same time for the whole path
    {
        const std::uint32_t seed = 5231;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> share(0, 1);
        Machine machine = machine_from(table_table_json());
        machine.joints[machine.find_joint("C")->value].travel = Travel{to_rad(-400), to_rad(400)};
        for (const char* id : {"X", "Y", "Z"}) {
            machine.joints[machine.find_joint(id)->value].travel = Travel{-2000, 2000};
        }
        const auto ladder = MillSolver::make(machine, machine.at_rest(), std::nullopt).value();
        const auto sheets = InverseSolver::make(Kinematics::make(machine).value()).value();
        int turns_back = 0;
        for (int turn = 0; turn < 60 / WEXILUM_EVERY + 1; ++turn) {
            std::vector<PathTarget> targets;
            double azimuth = 360 * share(random);
            for (int i = 0; i < 30; ++i) {
                azimuth += 25 * share(random) * (turn % 2 == 0 ? 1 : -1);
                targets.push_back(target(15 + 40 * share(random), azimuth, Vec3(80 * share(random), 60, 20), i % 10 == 0));
            }
            const auto chosen = chosen_by(ladder, targets, machine.home());
            const auto other = choose_path(sheets, machine, targets, machine.home());
            double sum = 0;
            Readings before = machine.home();
            bool fine = true;
            for (const Choice& choice : other) {
                fine = fine && choice.problem == ChoiceProblem::none;
                sum += slowest(machine, before, choice.readings);
                turns_back += std::abs(choice.readings[4] - before[4]) > pi ? 1 : 0;
                before = choice.readings;
            }
            QVERIFY(fine);
            const double ours = cost_of(machine, machine.home(), chosen);
            QVERIFY2(std::abs(ours - sum) < 1e-6, qPrintable(QString("%1: %2 s, over sheets %3 s").arg(turn).arg(ours).arg(sum)));
        }
        QVERIFY(turns_back > 0); // some of these paths don't fit into one way round
    }

    void a_free_joint_is_never_worse_than_a_held_one() // held at any of its samples
    {
        Machine machine = with_tilting_head();
        machine.joints[machine.find_joint("C")->value].speed = to_rad(10);
        const auto solver = MillSolver::make(machine, machine.at_rest(), machine.find_joint("A")).value();
        std::vector<PathTarget> targets; // a lean of 20 degrees that turns by 60
        for (int i = 0; i <= 30; ++i) {
            targets.push_back(target(20, 30 + 2 * i, {0, 2.0 * i, 10}, i == 0));
        }
        const auto from_first = [&](const std::vector<Choice>& chosen) { return cost_of(machine, chosen.front().readings, chosen); };
        const auto free = chosen_by(solver, targets, machine.home());
        double held = 1e300;
        double held_from_first = 1e300;
        for (int a = -60; a <= 60; a += 5) {
            const Posture posture{machine.at_rest().mount, {{*machine.find_joint("A"), to_rad(a)}}, 0};
            auto chosen = chosen_by(MillSolver::make(machine, posture, std::nullopt).value(), targets, machine.home());
            const bool whole = std::all_of(chosen.begin(), chosen.end(), [](const Choice& c) { return c.problem == ChoiceProblem::none; });
            if (whole) {
                for (Choice& choice : chosen) {
                    choice.readings[5] = to_rad(a);
                }
                held = std::min(held, cost_of(machine, machine.home(), chosen));
                held_from_first = std::min(held_from_first, from_first(chosen));
            }
        }
        QVERIFY(cost_of(machine, machine.home(), free) <= held + 1e-8);
        // While A is held, C has to turn by some of the 60 degrees at 10 deg/s. Free, A and B do it, at 100 and 150 deg/s.
        QVERIFY2(held_from_first > 1 && from_first(free) < 0.5 * held_from_first,
                 qPrintable(QString("%1 s, held %2 s").arg(from_first(free)).arg(held_from_first)));
    }

    void what_is_out_of_reach_and_what_is_broken()
    {
        Machine machine = with_tilting_head(20);
        machine.joints[machine.find_joint("B")->value].travel = Travel{to_rad(-30), to_rad(30)};
        const auto solver = MillSolver::make(machine, machine.at_rest(), machine.find_joint("A")).value();
        const std::vector<PathTarget> targets{target(10, 0, {0, 0, 0}, true), target(80, 0, {10, 0, 0}), target(20, 0, {20, 0, 0})};
        const auto chosen = chosen_by(solver, targets, machine.home());
        QVERIFY(chosen[0].problem == ChoiceProblem::none);
        QVERIFY(chosen[1].problem == ChoiceProblem::beyond_travel);
        QCOMPARE(machine.joints[chosen[1].joint.value].id, std::string("B"));
        // With A at an end of its travel, 20 degrees across, B has to lean so far that cos 80 = cos 20 cos B.
        QVERIFY2(std::abs(to_deg(chosen[1].missed_by) - (to_deg(std::acos(std::cos(to_rad(80)) / std::cos(to_rad(20)))) - 30)) < 1e-6,
                 qPrintable(QString::number(to_deg(chosen[1].missed_by))));
        QVERIFY(chosen[2].problem == ChoiceProblem::none); // as after a link
        // C may go from -30 to 30 degrees, A not at all: a lean that turns by 180 degrees in one cut has no course for the joints.
        machine.joints[machine.find_joint("C")->value].travel = Travel{to_rad(-30), to_rad(30)};
        machine.joints[machine.find_joint("A")->value].travel = Travel{0, 0};
        const auto stiff = MillSolver::make(machine, machine.at_rest(), machine.find_joint("A")).value();
        const auto broken =
            chosen_by(stiff, {target(20, 20, {0, 0, 0}, true), target(20, 110, {30, 0, 0}), target(20, 200, {60, 0, 0})}, machine.home());
        QVERIFY(broken[0].problem == ChoiceProblem::none);
        QVERIFY(broken[1].problem == ChoiceProblem::beyond_travel);
        QVERIFY(broken[2].problem == ChoiceProblem::none);
        const auto jump = chosen_by(stiff, {target(20, 20, {0, 0, 0}, true), target(20, 161, {60, 0, 0})}, machine.home());
        QVERIFY(jump[1].problem == ChoiceProblem::broken);
    }

    void a_joint_without_end_goes_on_from_turn_to_turn()
    {
        Machine machine = with_tilting_head(0.001);
        machine.joints[machine.find_joint("C")->value].travel.reset();
        const auto solver = MillSolver::make(machine, machine.at_rest(), machine.find_joint("A")).value();
        std::vector<PathTarget> targets;
        for (int i = 0; i <= 90; ++i) { // two and a half times round
            targets.push_back(target(30, 10.0 * i, {50, 0, 0}, i == 0));
        }
        const auto chosen = chosen_by(solver, targets, machine.home());
        const double round = chosen.back().readings[4] - chosen.front().readings[4];
        QVERIFY2(std::abs(std::abs(to_deg(round)) - 900) < 0.01, qPrintable(QString::number(to_deg(round))));
        for (std::size_t i = 1; i < chosen.size(); ++i) {
            QVERIFY(std::abs(chosen[i].readings[4] - chosen[i - 1].readings[4]) < to_rad(11));
        }
    }

    void joints_that_cannot_be_free()
    {
        const Machine machine = with_tilting_head();
        const auto linear = MillSolver::make(machine, machine.at_rest(), machine.find_joint("X"));
        QVERIFY(!linear);
        QCOMPARE(linear.error().message, std::string("X is not a rotary joint of its own between tool and work"));
        const auto none = MillSolver::make(machine, machine.at_rest(), std::nullopt);
        QVERIFY(!none);
        QCOMPARE(none.error().kind, ErrorKind::unsupported);
    }
};

WEXILUM_TEST(TestLadder)

} // namespace test_ladder
#include "test_ladder.moc"
