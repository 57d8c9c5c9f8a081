// The choice over the whole path: against brute force, against a chooser that takes the nearest, and where travel ends.
#include "core/base/units.hpp"
#include "core/solve/path_choice.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_path_choice {

namespace {

constexpr double length = 120; // mm, of the tool

struct Solved {
    Machine machine;
    InverseSolver solver;
};

/// The table-table machine with other travel; `c_speed` in deg/s.
Solved with_travel(double b_degrees, double c_low, double c_high, double c_speed = 300)
{
    Machine machine = machine_from(table_table_json());
    machine.joints[machine.find_joint("C")->value].speed = to_rad(c_speed);
    machine.joints[machine.find_joint("B")->value].travel = Travel{to_rad(-b_degrees), to_rad(b_degrees)};
    machine.joints[machine.find_joint("C")->value].travel = Travel{to_rad(c_low), to_rad(c_high)};
    for (const char* id : {"X", "Y", "Z"}) {
        machine.joints[machine.find_joint(id)->value].travel = Travel{-2000, 2000};
    }
    InverseSolver solver = InverseSolver::make(Kinematics::make(machine).value()).value();
    return {std::move(machine), std::move(solver)};
}

PathTarget leaning(double tilt, double azimuth, const Vec3& tip, bool link)
{
    PathTarget target;
    target.pose = test::leaning(tilt, azimuth, tip);
    target.tool_length = length;
    target.link = link;
    return target;
}

double cost_of(const Machine& machine, const Readings& start, const std::vector<Readings>& chain)
{
    double sum = 0;
    Readings before = start;
    for (const Readings& readings : chain) {
        sum += slowest(machine, before, readings);
        before = readings;
    }
    return sum;
}

/// Carries readings along a cut in small steps, always to the nearest solution.
std::optional<Readings> carried(const InverseSolver& solver, const Pose& from, Readings readings, const Pose& to)
{
    constexpr int steps = 400;
    for (int i = 1; i <= steps; ++i) {
        const Vec3 axis = great_circle(from.axis, to.axis, double(i) / steps);
        const Pose pose{from.tip + (to.tip - from.tip) * i / steps, axis};
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
        if (!best) {
            return std::nullopt;
        }
        readings = *best;
    }
    return readings;
}

/// Every chain of candidates inside travel; the least cost, or nothing.
void brute_force(const Solved& s, const std::vector<PathTarget>& targets, std::size_t at, std::vector<Readings>& chain,
                 std::optional<double>& best)
{
    if (at == targets.size()) {
        const double cost = cost_of(s.machine, s.machine.home(), chain);
        best = std::min(best.value_or(cost), cost);
        return;
    }
    const Readings near = chain.empty() ? s.machine.home() : chain.back();
    if (at == 0 || targets[at].link) {
        for (const Candidate& c : s.solver.within_travel(targets[at].pose, length, near)) {
            chain.push_back(c.readings);
            brute_force(s, targets, at + 1, chain, best);
            chain.pop_back();
        }
        return;
    }
    const auto next = carried(s.solver, targets[at - 1].pose, near, targets[at].pose);
    if (next && overtravels(s.machine, *next, 1e-7).empty()) {
        chain.push_back(*next);
        brute_force(s, targets, at + 1, chain, best);
        chain.pop_back();
    }
}

/// What a simple chooser does: start at the solution nearest to where the machine stands, then always the nearest.
/// The record at which it leaves travel, nothing where it gets through.
std::optional<std::size_t> nearest_first_fails_at(const Solved& s, const std::vector<PathTarget>& targets)
{
    Readings standing = s.machine.home();
    for (std::size_t i = 0; i < targets.size(); ++i) {
        std::optional<Readings> best;
        double least = 0;
        for (const Candidate& c : s.solver.solve(targets[i].pose, length, standing).list) {
            const double turn = slowest(s.machine, standing, c.readings);
            if (!best || turn < least) {
                best = c.readings;
                least = turn;
            }
        }
        if (!best || !overtravels(s.machine, *best, 1e-7).empty()) {
            return i;
        }
        standing = *best;
    }
    return std::nullopt;
}

bool all_fine(const std::vector<Choice>& choices)
{
    return std::all_of(choices.begin(), choices.end(), [](const Choice& c) { return c.problem == ChoiceProblem::none; });
}

std::vector<Readings> readings_of(const std::vector<Choice>& choices)
{
    std::vector<Readings> out;
    out.reserve(choices.size());
    for (const Choice& choice : choices) {
        out.push_back(choice.readings);
    }
    return out;
}

} // namespace

class TestPathChoice : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void never_costlier_than_brute_force()
    {
        constexpr unsigned seed = 20261125;
        std::mt19937 random(seed);
        const auto uniform = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
        int found = 0;
        int none = 0;
        for (int path = 0; path < 200; ++path) {
            const Solved s = with_travel(uniform(25, 80), uniform(-400, -60), uniform(60, 400));
            std::vector<PathTarget> targets;
            double tilt = uniform(5, 60);
            double azimuth = uniform(-180, 180);
            for (int i = 0; i < 10; ++i) {
                targets.push_back(leaning(tilt, azimuth, Vec3(uniform(-80, 80), uniform(-80, 80), uniform(0, 60)), i % 4 == 0));
                tilt = std::clamp(tilt + uniform(-12, 12), 4.0, 65.0);
                azimuth += uniform(-50, 70);
            }
            std::vector<Readings> chain;
            std::optional<double> best;
            brute_force(s, targets, 0, chain, best);
            const auto choices = choose_path(s.solver, s.machine, targets, s.machine.home());
            const QString where = QString("seed %1, path %2").arg(seed).arg(path);
            QVERIFY2(all_fine(choices) == best.has_value(), qPrintable(where + (best ? ": a chain exists" : ": no chain exists")));
            if (!best) {
                ++none;
                continue;
            }
            ++found;
            const double cost = cost_of(s.machine, s.machine.home(), readings_of(choices));
            QVERIFY2(cost <= *best + 1e-7, qPrintable(where + QString(": %1 s against %2 s").arg(cost).arg(*best)));
            for (std::size_t i = 0; i < targets.size(); ++i) {
                const Pose pose = s.solver.kinematics().pose(choices[i].readings, length);
                QVERIFY((pose.tip - targets[i].pose.tip).norm() < 1e-9 && angle_between(pose.axis, targets[i].pose.axis) < 1e-9);
            }
        }
        QVERIFY2(found > 40 && none > 20, qPrintable(QString("%1 found, %2 none: the travel does not test both").arg(found).arg(none)));
    }

    void the_branch_nearest_to_home_ends_at_record_2000()
    {
        // Tool leant 20 deg; its azimuth starts at 10 deg and turns by 0.1 deg a record. Reading C as the tool moves over the work, the
        // near branch (B +20) starts at C 10 and comes to 210 at record 2,000, where travel ends; the far one (B -20) starts at
        // -170 (10 - 180) and ends at 70.
        const Solved s = with_travel(110, -300, 209.95);
        std::vector<PathTarget> targets;
        for (int i = 0; i <= 2400; ++i) {
            targets.push_back(leaning(20, 10 + 0.1 * i, Vec3(20, 10, 5), i == 0));
        }
        const auto fails = nearest_first_fails_at(s, targets);
        QVERIFY(fails.has_value());
        QCOMPARE(int(*fails), 2000);
        const auto choices = choose_path(s.solver, s.machine, targets, s.machine.home());
        QVERIFY(all_fine(choices));
        const auto c = Eigen::Index(s.machine.find_joint("C")->value);
        const auto b = Eigen::Index(s.machine.find_joint("B")->value);
        QVERIFY(std::abs(to_deg(choices.front().readings[b]) + 20) < 1e-9);
        QVERIFY(std::abs(to_deg(choices.front().readings[c]) + 170) < 1e-9);
        QVERIFY(std::abs(to_deg(choices.back().readings[c]) - 70) < 1e-9);
    }

    void three_turns_need_a_start_a_turn_back()
    {
        // Three turns within +-720 deg: the start has to lie at or below 720 - 1080 = -360. From home the cheapest such start is the
        // nearest: azimuth 10 deg is C 10 - 720 = -710, or -170 - 360 = -530 on the other branch. C is the slowest throughout.
        const Solved s = with_travel(110, -720, 720, 10);
        std::vector<PathTarget> targets;
        for (int i = 0; i <= 3600; ++i) {
            targets.push_back(leaning(20, 10 + 0.3 * i, Vec3(20, 10, 5), i == 0));
        }
        QVERIFY(nearest_first_fails_at(s, targets).has_value());
        const auto choices = choose_path(s.solver, s.machine, targets, s.machine.home());
        QVERIFY(all_fine(choices));
        const auto c = Eigen::Index(s.machine.find_joint("C")->value);
        QVERIFY(std::abs(to_deg(choices.front().readings[c]) + 530) < 1e-9);
        QVERIFY(std::abs(to_deg(choices.back().readings[c]) - 550) < 1e-9);
    }

    void a_spiral_is_unwound_only_where_allowed()
    {
        // Five turns do not fit into +-720 deg.
        const Solved s = with_travel(110, -720, 720);
        std::vector<PathTarget> targets;
        for (int i = 0; i <= 1800; ++i) {
            targets.push_back(leaning(20, i, Vec3(20, 10, 5), i == 0));
        }
        const auto told = choose_path(s.solver, s.machine, targets, s.machine.home());
        QVERIFY(!all_fine(told));
        const auto first =
            std::find_if(told.begin(), told.end(), [](const Choice& c) { return c.problem != ChoiceProblem::none; }) - told.begin();
        // The start that comes furthest is the lowest: -720 on the near branch, good for 1,440 deg.
        QCOMPARE(int(first), 1441);
        QVERIFY(std::abs(to_deg(told[std::size_t(first)].missed_by) - 1) < 1e-9);
        for (PathTarget& target : targets) {
            target.may_reorient = true;
        }
        MemorySpool steps;
        MemorySpool decisions;
        PathChooser chooser(s.solver, s.machine, s.machine.home(), steps, decisions);
        for (const PathTarget& target : targets) {
            (void)chooser.add(target);
        }
        QVERIFY(chooser.finish().ok());
        PlanReader plan(steps, decisions, s.solver);
        int reoriented = 0;
        for (std::size_t i = 0; i < targets.size(); ++i) {
            const Planned& planned = plan.next();
            reoriented += planned.entry == Planned::Entry::reorient ? 1 : 0;
            Readings readings = s.machine.home();
            s.solver.take_rotary(readings, planned.readings);
            s.solver.set_linear(readings, targets[i].pose.tip, length);
            QVERIFY(overtravels(s.machine, readings, 1e-7).empty());
            QVERIFY(angle_between(s.solver.kinematics().pose(readings, length).axis, targets[i].pose.axis) < 1e-9);
        }
        QCOMPARE(reoriented, 1); // 1,800 deg in two parts of at most 1,440
    }

    void the_same_choice_on_every_run()
    {
        // Leaning along +-Y by turns: with so slow a C the links turn B alone, and both ways to begin cost the same; the linear joints,
        // whose ways differ, are too fast to count.
        Solved s = with_travel(110, -720, 720, 10);
        for (const char* id : {"X", "Y", "Z"}) {
            s.machine.joints[s.machine.find_joint(id)->value].speed = 1e9;
        }
        std::vector<PathTarget> targets;
        for (int i = 0; i < 40; ++i) {
            targets.push_back(leaning(30, i % 2 == 0 ? 90 : -90, Vec3(30, -20, 5), true));
        }
        const auto once = choose_path(s.solver, s.machine, targets, s.machine.home());
        const auto again = choose_path(s.solver, s.machine, targets, s.machine.home());
        for (std::size_t i = 0; i < targets.size(); ++i) {
            QVERIFY(once[i].readings == again[i].readings);
        }
        // The tie goes to the first branch at the end of the path.
        const Branches last = s.solver.branches(targets.back().pose.axis);
        const Turns chosen = s.solver.turns_of(once.back().readings);
        QVERIFY(std::abs(wrapped(chosen[0] - last.turns[0][0])) < 1e-9 && std::abs(wrapped(chosen[1] - last.turns[0][1])) < 1e-9);
    }
};

WEXILUM_TEST(TestPathChoice)

} // namespace test_path_choice
#include "test_path_choice.moc"
