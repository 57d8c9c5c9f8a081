// A third rotary joint that a job leaves free: its closed form, the plan over a ladder in a post's run, the code and its replay.
#include "core/base/units.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/run/run_passes.hpp"
#include "core/solve/path_choice.hpp"
#include "core/solve/subdivide.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/machines.hpp"
#include "tests/support/tables.hpp"
#include "tests/support/test_program.hpp"

#include <QRegularExpression>
#include <QTest>

#include <cmath>
#include <map>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_free_joint {

namespace {

constexpr double length = 90; // mm, of the tool

enum class At { work, between, tool };

/// The table-table machine with one more rotary joint: under the trunnion, between both tables, or in the head.
Machine with_third(At at, const Vec3& direction, const Vec3& point)
{
    Machine machine = machine_from(table_table_json());
    Joint third;
    third.id = "V";
    third.kind = JointKind::rotary;
    third.direction = direction.normalized();
    third.point = point;
    third.speed = 1;
    const int place = int(machine.joints.size());
    const auto b = machine.find_joint("B")->value;
    const auto c = machine.find_joint("C")->value;
    int* carried = at == At::work ? &machine.joints[b].parent : at == At::between ? &machine.joints[c].parent : nullptr;
    for (Mount& mount : machine.mounts) {
        carried = at == At::tool && mount.kind == MountKind::tool ? &mount.parent : carried;
    }
    third.parent = *carried;
    *carried = place;
    machine.joints.push_back(third);
    return machine;
}

const Edit only_undercut{
    "jobs/mirror-back-swivel.json",
    R"({"id": "10", "name": "back face", "toolpath": "toolpaths/mirror-back-face.cl", "posture": {"parked": {"D": {"angle": 0}}}},
    {"id": "20", "name": "rim bevel", "toolpath": "toolpaths/mirror-back-rim.cl", "posture": {"parked": {"D": {"angle": 0}}}},
)",
    ""};

Result<Assembly> undercut(const std::string& posture)
{
    return load_demo("mirror-back-swivel", {only_undercut, {"jobs/mirror-back-swivel.json", R"({"free": "D"})", posture}});
}

/// The words of a block, by letter.
std::map<char, double> words_of(const std::string& line)
{
    static const QRegularExpression word("([A-Z])(-?[0-9.]+)");
    std::map<char, double> out;
    const QString text = QString::fromStdString(line).remove(QRegularExpression("\\(.*\\)"));
    for (auto found = word.globalMatch(text); found.hasNext();) {
        const auto match = found.next();
        out[match.captured(1)[0].toLatin1()] = match.captured(2).toDouble();
    }
    return out;
}

} // namespace

class TestFreeJoint : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void as_the_chain_in_which_it_is_held() // wherever it stands, in any direction
    {
        const unsigned seed = 41207;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> between(-1, 1);
        int two = 0;
        int none = 0;
        for (const At at : {At::work, At::between, At::tool}) {
            for (int i = 0; i < 300 / WEXILUM_EVERY + 20; ++i) {
                const Machine machine = with_third(at, {between(random), between(random), between(random)},
                                                   100 * Vec3(between(random), between(random), between(random)));
                const JointIndex third = *machine.find_joint("V");
                const Kinematics whole = Kinematics::make(machine).value();
                const InverseSolver ours = InverseSolver::make(whole, false, third).value();
                QCOMPARE(ours.rotary().size(), std::size_t(3));
                QCOMPARE(ours.settled().size(), std::size_t(2));
                QVERIFY(!ours.has_poles() && ours.spare() == third);
                Readings near = machine.home();
                for (Eigen::Index j = 0; j < near.size(); ++j) {
                    near[j] = machine.joints[std::size_t(j)].kind == JointKind::rotary ? 3 * between(random) : 200 * between(random);
                }
                const double reading = near[Eigen::Index(third.value)];
                const Posture held{machine.at_rest().mount, {{third, reading}}, 0};
                const InverseSolver other = InverseSolver::make(Kinematics::make(machine, held).value()).value();
                // A pose that it has, and one that it may not have.
                const Pose had = whole.pose(near, length);
                const Pose any = leaning(90 + 90 * between(random), 180 * between(random), {10, 20, 30});
                for (const Pose& pose : {had, any}) {
                    const auto found = ours.solve(pose, length, near);
                    const auto expected = other.solve(pose, length, near);
                    QCOMPARE(found.list.size(), expected.list.size());
                    QVERIFY(std::abs(found.missed_by - expected.missed_by) < 1e-9);
                    QVERIFY(!found.list.empty() || angle_between(found.nearest_axis, expected.nearest_axis) < 1e-9);
                    for (std::size_t k = 0; k < found.list.size(); ++k) {
                        const double off = (found.list[k].readings - expected.list[k].readings).cwiseAbs().maxCoeff();
                        const Pose back = whole.pose(found.list[k].readings, length);
                        QVERIFY(found.list[k].pole < 1e-4 || off < 1e-7);
                        QVERIFY((back.tip - pose.tip).norm() < 1e-8 && angle_between(back.axis, pose.axis) < 1e-9);
                        QCOMPARE(found.list[k].readings[Eigen::Index(third.value)], reading);
                    }
                    two += found.list.size() == 2 ? 1 : 0;
                    none += found.list.empty() ? 1 : 0;
                }
                QVERIFY(!ours.solve(had, length, near).list.empty());
                QVERIFY(std::abs(ours.lever_bound(had.tip, length)) >= whole.levers(near, length).maxCoeff() - 1e-9 ||
                        !ours.linear_together());
            }
        }
        QVERIFY(two > 50 && none > 20);
    }

    void
    where_the_others_do_the_same() // the joint turns one of the others beside another: no direction is reached, nothing is divided by 0
    {
        // V about X between B (about Y) and C (about Z): a quarter turn lays C along B.
        const Machine machine = with_third(At::between, Vec3::UnitX(), Vec3::Zero());
        const InverseSolver solver = InverseSolver::make(Kinematics::make(machine).value(), false, *machine.find_joint("V")).value();
        for (const double quarter : {-0.5, 0.5}) {
            Readings near = machine.home();
            near[Eigen::Index(machine.find_joint("V")->value)] = quarter * pi;
            const Candidates found = solver.solve(leaning(20, 30, {0, 0, 0}), length, near);
            QVERIFY(found.list.empty());
            QVERIFY(found.missed_by > 0 && std::isfinite(found.nearest_axis.norm()));
        }
    }

    void between_two_places_the_joint_goes_in_proportion()
    {
        const Machine machine = with_third(At::tool, Vec3::UnitX(), Vec3(0, 0, 60));
        const auto third = Eigen::Index(machine.find_joint("V")->value);
        const InverseSolver solver = InverseSolver::make(Kinematics::make(machine).value(), false, *machine.find_joint("V")).value();
        const PathPiece piece{leaning(25, 10, {10, 0, 0}), leaning(40, 60, {60, 20, 0}), std::nullopt};
        Readings from = machine.home();
        Readings to = machine.home();
        from[third] = 0.1;
        to[third] = 0.3;
        from = solver.solve(piece.from, length, from).list.front().readings;
        to[Eigen::Index(machine.find_joint("B")->value)] = from[Eigen::Index(machine.find_joint("B")->value)];
        to = solver.solve(piece.to, length, to).list.front().readings;
        for (const double s : {0.0, 0.2, 0.5, 0.9, 1.0}) {
            for (const int branch : {0, 1}) { // which of both is named does not count: the nearer is taken
                const Readings at = readings_between(solver, piece, branch, from, to, s);
                QVERIFY(std::abs(at[third] - (0.1 + 0.2 * s)) < 1e-12);
                QVERIFY(angle_between(solver.kinematics().pose(at, length).axis, piece.at(s).axis) < 1e-9);
            }
        }
    }

    void a_plan_takes_whole_readings_between_sheets()
    {
        const Machine machine = with_third(At::tool, Vec3::UnitX(), Vec3(0, 0, 60));
        const JointIndex third = *machine.find_joint("V");
        const Posture held{machine.at_rest().mount, {{third, 0.0}}, 0};
        const InverseSolver sheets = InverseSolver::make(Kinematics::make(machine, held).value()).value();
        const InverseSolver free = InverseSolver::make(Kinematics::make(machine).value(), false, third).value();
        MemorySpool steps;
        MemorySpool decisions;
        PathChooser chooser(sheets, machine, machine.home(), steps, decisions);
        const auto target = [&](double tilt, double azimuth, bool link) {
            PathTarget out;
            out.pose = leaning(tilt, azimuth, {20, 10, 5});
            out.tool_length = length;
            out.link = link;
            return out;
        };
        (void)chooser.add(target(20, 0, true));
        (void)chooser.add(target(20, 30, false));
        chooser.change_solver(free, machine.home());
        const Readings stood = chooser.standing(machine.home());
        const std::vector<PathTarget> targets{target(20, 60, true), target(20, 90, false), target(20, 95, false)};
        std::vector<Choice> choices(3);
        for (std::size_t i : {0U, 2U}) {
            Readings near = stood;
            near[Eigen::Index(third.value)] = 0.1 + 0.1 * double(i);
            choices[i].readings = free.solve(targets[i].pose, length, near).list.front().readings;
        }
        choices[1].problem = ChoiceProblem::beyond_travel; // has none
        chooser.add_whole(targets, choices);
        chooser.change_solver(sheets, machine.home());
        (void)chooser.add(target(20, 120, true));
        QVERIFY(chooser.finish().ok());

        PlanReader plan(steps, decisions, sheets);
        QVERIFY(plan.next().entry == Planned::Entry::link);
        QVERIFY(plan.next().entry == Planned::Entry::cut);
        std::array<Column, 2> columns;
        QCOMPARE(plan.next_run(0, 10, columns), std::size_t(0)); // whole steps are none of a run
        plan.change_solver(free);
        const Planned& first = plan.next();
        QVERIFY(first.entry == Planned::Entry::link && first.readings == choices[0].readings);
        QVERIFY(plan.next().entry == Planned::Entry::lost);
        const Planned& last = plan.next();
        QVERIFY(last.entry == Planned::Entry::cut && last.readings == choices[2].readings);
        plan.change_solver(sheets);
        const Planned& after = plan.next();
        QVERIFY(after.entry == Planned::Entry::link);
        Readings there = machine.home();
        sheets.take_rotary(there, after.readings);
        QVERIFY(angle_between(sheets.kinematics().pose(there, length).axis, target(20, 120, true).pose.axis) < 1e-9);
        for (const char* id : {"B", "C"}) { // from the last of the whole readings to the nearest turn
            const auto at = Eigen::Index(machine.find_joint(id)->value);
            QVERIFY(std::abs(there[at] - choices[2].readings[at]) <= pi);
        }
    }

    void a_job_reaches_what_it_could_not() // the trunnion ends at 110 deg, the path leans by 125
    {
        const auto held = undercut(R"({"parked": {"D": {"angle": 0}}})").value();
        QVERIFY(code_of(held).empty() || replay_code(held, code_of(held)).findings.has_errors());
        const auto free = undercut(R"({"free": "D"})").value();
        const std::string code = code_of(free);
        const ReplayReport report = replay_code(free, code);
        QVERIFY2(!report.findings.has_errors(), qPrintable(shown(report.findings)));
        QVERIFY(!replay_code(free, code, true).findings.has_errors());
        double most = 0;
        std::map<char, double> at;
        for (const std::string& line : lines_of(code)) {
            const auto words = words_of(line);
            for (const auto& [letter, value] : words) {
                at[letter] = value;
            }
            QVERIFY(std::abs(at['B']) <= 110 && std::abs(at['D']) <= 45);
            most = std::max(most, at['B'] + at['D']);
        }
        QVERIFY(std::abs(most - 125) < 1e-3); // both about Y: by hand the lean of the path
    }

    void mistakes_in_its_words_are_told()
    {
        const auto a = undercut(R"({"free": "D"})").value();
        const std::string code = code_of(a);
        const auto lines = lines_of(code);
        std::vector<std::uint32_t> cuts;
        for (std::uint32_t i = 0; i < lines.size(); ++i) {
            const auto words = words_of(lines[i]);
            if (words.contains('D') && words.contains('B') && words.contains('F')) {
                cuts.push_back(i + 1);
            }
        }
        QVERIFY(cuts.size() > 200);
        for (const std::uint32_t line : {cuts[3], cuts[cuts.size() / 2], cuts[cuts.size() - 20]}) {
            const std::string& text = lines[line - 1];
            const auto words = words_of(text);
            const auto with = [&](char letter, double value) {
                const QRegularExpression word(QString("%1-?[0-9.]+").arg(letter));
                const QString word_now = QString("%1%2").arg(letter).arg(value, 0, 'f', 4);
                return with_line(code, line, QString::fromStdString(text).replace(word, word_now).toStdString());
            };
            for (const auto& [letter, by] : std::vector<std::pair<char, double>>{
                     {'D', 0.02}, {'D', -0.02}, {'B', 0.02}, {'X', 0.05}, {'Z', -0.05}, {'D', 3}, {'C', 0.02}}) {
                const double now = words.contains(letter) ? words.at(letter) : 0;
                if (!words.contains(letter)) {
                    continue;
                }
                const ReplayReport report = replay_code(a, with(letter, now + by));
                QVERIFY2(report.findings.has_errors(), qPrintable(QString("%1 by %2 at %3").arg(letter).arg(by).arg(line)));
                const bool near = std::any_of(report.findings.list().begin(), report.findings.list().end(), [&](const Finding& f) {
                    return f.severity == Severity::error && int(f.code.line) <= int(line) + 1 && int(f.last_code_line) + 1 >= int(line);
                });
                QVERIFY2(near, qPrintable(shown(report.findings)));
            }
            QVERIFY(replay_code(a, with('D', -words.at('D'))).findings.has_errors());
            auto fewer = lines; // a dozen points between are missed; one alone may be within the tolerance
            fewer.erase(fewer.begin() + line, fewer.begin() + line + 12);
            QVERIFY(replay_code(a, joined(fewer)).findings.has_errors());
        }
    }

    void what_it_can_not_be()
    {
        const auto error = [](const std::string& posture) {
            const auto loaded = undercut(posture);
            return loaded.ok() ? std::string() : loaded.error().message + " | " + loaded.error().cure;
        };
        QCOMPARE(error(R"({"free": "Q"})"), "\"Q\" is not a joint between the work and the tool of the operation 30 | name one that is");
        QCOMPARE(error(R"({"free": "X"})"),
                 "X is a linear joint: only one that turns the tool or the work can be left free | name a rotary "
                 "joint under \"free\", or leave it out");
        QCOMPARE(error(R"({"free": "D", "parked": {"D": {"angle": 0}}})"), "D is parked and left free at once | leave one of both out");
        QVERIFY(
            error(R"({})").starts_with("the operation 30 can't be posted with the joints that are left free: a pose is solved with up to "
                                       "two rotary joints, this machine has 3 | lock or leave out rotary joints"));
        QCOMPARE(
            error(R"({"free": "D"}, "pole": {"lean": 1})"),
            "the operation 30 leaves D free: a lean or lift at a pole, a retract to reorient and scales that are set by each direction "
            "are not known beside that | leave its \"pole\" and \"reorient\" out, state readings under \"set\", or park the joint");
        QCOMPARE(error(R"({"free": "B"})"), std::string()); // any of the three may be the one
        QCOMPARE(error(R"({"free": "C"})"),
                 "the operation 30 can't be posted with the joints that are left free: the two rotary joints are parallel | leave one of "
                 "them out, or park or set other joints in the operation's \"posture\"");
    }

    void what_no_reading_reaches_is_told_at_its_record()
    {
        // The head swivels by 5 degrees alone: B would have to do the rest.
        const auto a = load_demo("mirror-back-swivel", {only_undercut, {"machines/tarn-5t-swivel.json", "[-45, 45]", "[-5, 5]"}}).value();
        MemoryScratch scratch;
        Nowhere nowhere;
        MemoryRecords records(a.toolpath);
        const auto run = post(a, records, scratch, nowhere);
        QVERIFY(run.ok());
        const auto& list = run->findings.list();
        const auto found = std::find_if(list.begin(), list.end(), [](const Finding& f) { return f.kind == "beyond-travel"; });
        QVERIFY(found != list.end());
        QCOMPARE(found->message, "with no reading of D all joints stay inside their travel: B would be 10.0000 deg beyond it");
        QVERIFY(run->findings.has_errors());
    }
};

WEXILUM_TEST(TestFreeJoint)

} // namespace test_free_joint
#include "test_free_joint.moc"
