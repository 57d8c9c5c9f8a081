// A mistake put into a good machine is the first explanation of the witness that it makes miss.
#include "core/base/json_document.hpp"
#include "core/machine/explain.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_explain {

namespace {

Machine good(const char* name)
{
    const std::string path = demo_folder() + "/machines/" + name + ".json";
    return read_machine(json::Document::parse(read_file(path), path).value()).value();
}

std::size_t joint(const Machine& machine, const char* id) { return machine.find_joint(id)->value; }

/// The first witness that is missed.
std::size_t missed(const Machine& machine)
{
    for (std::size_t i = 0; i < machine.witnesses.size(); ++i) {
        if (!explanations(machine, i).empty()) {
            return i;
        }
    }
    qFatal("none is missed");
}

QString told(const Machine& machine)
{
    const std::size_t at = missed(machine);
    const auto list = explanations(machine, at);
    return QString::fromStdString(list.front().text) + QStringLiteral(" (%1 of %2)").arg(list.front().holds).arg(machine.witnesses.size());
}

} // namespace

class TestExplain : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void good_machines_need_none()
    {
        for (const char* name : {"tarn-3", "tarn-5t", "tarn-5h", "fell-4", "brae-4r", "holm-s"}) {
            const Machine machine = good(name);
            QCOMPARE(holding(machine), machine.witnesses.size());
            for (std::size_t i = 0; i < machine.witnesses.size(); ++i) {
                QVERIFY(explanations(machine, i).empty());
            }
        }
    }

    void every_sign_is_found()
    {
        for (const char* name : {"tarn-3", "tarn-5t", "tarn-5h", "fell-4", "brae-4r"}) {
            const Machine machine = good(name);
            for (std::size_t j = 0; j < machine.joints.size(); ++j) {
                Machine wrong = machine;
                wrong.joints[j].direction = -wrong.joints[j].direction;
                if (holding(wrong) == machine.witnesses.size()) {
                    continue; // no witness has it away from its zero
                }
                const auto list = explanations(wrong, missed(wrong));
                // Another one may explain it as well where few witnesses were read.
                const bool there = std::any_of(list.begin(), list.end(), [&](const Explanation& e) {
                    return e.kind == Explanation::Kind::sign && e.subject == machine.joints[j].id && e.holds == machine.witnesses.size();
                });
                QVERIFY2(there && list.front().kind == Explanation::Kind::sign,
                         (std::string(name) + " " + machine.joints[j].id + ": " + list.front().text).c_str());
                QCOMPARE(list.front().holds, machine.witnesses.size());
            }
        }
    }

    void zeros_lengths_and_points()
    {
        Machine wrong = good("tarn-5t");
        const std::size_t all = wrong.witnesses.size();
        wrong.joints[joint(wrong, "B")].at += to_rad(1.5); // drawn at 0
        QCOMPARE(told(wrong), QStringLiteral("B reads 0 deg where it is drawn, not 1.5 (%1 of %1)").arg(all));
        wrong = good("tarn-5t");
        wrong.joints[joint(wrong, "B")].point += Vec3(0.3, 0, -0.2);
        const auto list = explanations(wrong, missed(wrong));
        QCOMPARE(list.front().holds, all);
        QCOMPARE(int(list.front().kind), int(Explanation::Kind::axis_point));
        QVERIFY((list.front().move - Vec3(-0.3, 0, 0.2)).norm() < 1e-3);
        wrong = good("tarn-3");
        wrong.joints[joint(wrong, "Z")].at -= 2;
        QCOMPARE(told(wrong), QStringLiteral("Z reads 0 mm where it is drawn, not -2 (6 of 6)"));
    }

    void exchanged_readings()
    {
        Machine wrong = good("tarn-3");
        for (Witness& witness : wrong.witnesses) {
            std::swap(witness.readings[Eigen::Index(joint(wrong, "X"))], witness.readings[Eigen::Index(joint(wrong, "Y"))]);
        }
        QCOMPARE(told(wrong), QStringLiteral("the readings of Y and X are exchanged (6 of 6)"));
    }

    void a_length_of_one_witness()
    {
        Machine wrong = good("tarn-3");
        wrong.witnesses[1].tool_length = 120; // 100 were meant
        QCOMPARE(missed(wrong), std::size_t(1));
        // A zero of Z would explain this one as well, but no other.
        QCOMPARE(told(wrong), QStringLiteral("the tool was 100 mm long, not 120 (6 of 6)"));
    }

    void random_zeros()
    {
        constexpr unsigned seed = 718;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        const Machine machine = good("tarn-5h");
        for (int round = 0; round < 40; ++round) {
            Machine wrong = machine;
            const std::size_t j = random() % machine.joints.size();
            const double by = std::uniform_real_distribution(0.02, 0.6)(random) * (random() % 2 == 0 ? 1 : -1);
            wrong.joints[j].at += by;
            const auto list = explanations(wrong, missed(wrong));
            const bool there = std::any_of(list.begin(), list.end(), [&](const Explanation& e) {
                return e.kind == Explanation::Kind::zero && e.subject == machine.joints[j].id && std::abs(e.by + by) < 1e-4 &&
                       e.holds == list.front().holds;
            });
            QVERIFY2(there, (machine.joints[j].id + ": " + list.front().text).c_str());
        }
    }
};

WEXILUM_TEST(TestExplain)

} // namespace test_explain
#include "test_explain.moc"
