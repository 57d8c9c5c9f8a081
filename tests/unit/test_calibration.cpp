// Machines put right by measured positions. The measurements come from formulas of this file, or from a machine that was changed.
#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/machine/calibration.hpp"
#include "core/machine/kinematics.hpp"
#include "core/machine/overlay.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <cmath>
#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_calibration {

namespace {

constexpr unsigned seed = 611;

Machine drawing(const std::string& file)
{
    return read_machine(json::Document::parse(read_file(demo_folder() + "/" + file), file).value()).value();
}

/// How the rotary unit of a Brae 4R really stands.
struct Truth {
    double y = -20.5;
    double z = -260;
    double mark = 0;  // deg
    double sense = 1; // of A
    Vec3 gauge = Vec3::Zero();
};

/// Where the tip is on the work by plane trigonometry: turned back about the axis.
Measurement measured(const Truth& truth, double x, double y, double z, double a, double length)
{
    const double turn = truth.sense * to_rad(a - truth.mark);
    const double u = y + truth.gauge.y() - truth.y;
    const double v = z + truth.gauge.z() - length - truth.z;
    Measurement out;
    out.readings = Readings(4);
    out.readings << x, y, z, to_rad(a);
    out.tool_length = length;
    out.tip = Vec3(x + truth.gauge.x() - 40, u * std::cos(turn) + v * std::sin(turn) + truth.y + 20.5,
                   -u * std::sin(turn) + v * std::cos(turn) + truth.z + 260);
    return out;
}

std::vector<Measurement> round_the_work(const Truth& truth, double noise = 0)
{
    std::mt19937 random(seed);
    std::normal_distribution<double> error(0, noise > 0 ? noise : 1);
    std::vector<Measurement> out;
    for (const double x : {50.0, 300.0}) {
        for (int i = 0; i < 10; ++i) {
            out.push_back(measured(truth, x, -20.5 + 7.0 * (i % 5 - 2), -80.0 + 6.0 * (i % 3), 37.0 * i, 80 + i % 2 * 30));
            for (int k = 0; k < 3 && noise > 0; ++k) {
                out.back().tip[k] += error(random);
            }
        }
    }
    return out;
}

const Joint& joint_of(const Machine& machine, const char* id) { return machine.joints[machine.find_joint(id)->value]; }

bool holds(const std::vector<std::string>& list, const char* text) { return std::find(list.begin(), list.end(), text) != list.end(); }

} // namespace

class TestCalibration : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void one_rotary_axis()
    {
        const Machine brae = drawing("machines/brae-4r.json");
        const Truth truth{-20.44, -260.07, 0.35, 1, Vec3(0.02, -0.03, 0.05)};
        const Calibration found = calibrate(brae, round_the_work(truth)).value();
        QVERIFY2(found.rms_after < 1e-8, qPrintable(QString::number(found.rms_after)));
        QVERIFY(found.rms_before > 0.1);
        const Joint& a = joint_of(found.machine, "A");
        QVERIFY2(std::abs(a.point.y() - truth.y) < 1e-6 && std::abs(a.point.z() - truth.z) < 1e-6,
                 qPrintable(QString("%1 %2").arg(a.point.y(), 0, 'f', 7).arg(a.point.z(), 0, 'f', 7)));
        QVERIFY2(std::abs(to_deg(a.at) - truth.mark) < 1e-7, qPrintable(QString::number(to_deg(a.at), 'f', 9)));
        QVERIFY(angle_between(a.direction, Vec3::UnitX()) < 1e-9);
        QVERIFY((found.machine.first_mount(MountKind::tool)->frame.translation() - truth.gauge).norm() < 1e-6);
        QVERIFY2(found.undetermined.empty(), found.undetermined.empty() ? "" : found.undetermined[0].c_str());
        QVERIFY(found.wrong_senses.empty());
    }

    void with_a_dial_that_repeats_to_2_thousandths()
    {
        qInfo("seed %u", seed);
        const Truth truth{-20.44, -260.07, 0.35, 1, Vec3::Zero()};
        const Calibration found = calibrate(drawing("machines/brae-4r.json"), round_the_work(truth, 0.002)).value();
        // 60 numbers by 8 unknowns: what is left is a little less than the noise.
        QVERIFY2(found.rms_after > 0.002 && found.rms_after < 0.002 * std::sqrt(3) * 1.2, qPrintable(QString::number(found.rms_after)));
        const Joint& a = joint_of(found.machine, "A");
        QVERIFY(std::abs(a.point.y() - truth.y) < 0.003 && std::abs(a.point.z() - truth.z) < 0.003);
        QVERIFY(std::abs(to_deg(a.at) - truth.mark) < 0.003);
    }

    void a_sense_that_is_turned_round()
    {
        const Calibration found =
            calibrate(drawing("machines/brae-4r.json"), round_the_work({-20.44, -260.07, 0.1, -1, Vec3::Zero()})).value();
        QCOMPARE(found.wrong_senses, std::vector<std::string>{"A"});
        QVERIFY(joint_of(found.machine, "A").direction == Vec3::UnitX()); // nothing is fitted to it
        QVERIFY(found.rms_after > 1);
    }

    void what_is_not_measured_stays()
    {
        // A has never been turned: its axis can't be found, and its zero is that of the part.
        std::vector<Measurement> still;
        const Truth truth{-20.44, -260.07, 0, 1, Vec3(0.1, 0, 0)};
        for (int i = 0; i < 8; ++i) {
            still.push_back(measured(truth, 40.0 * i, -20.5 + i, -80 + 5 * (i % 3), 0, 80));
        }
        const Calibration found = calibrate(drawing("machines/brae-4r.json"), still).value();
        QVERIFY(holds(found.undetermined, "the axis of A along Y"));
        QVERIFY(holds(found.undetermined, "the axis of A along Z"));
        QVERIFY((joint_of(found.machine, "A").point - Vec3(0, -20.5, -260)).norm() < 1e-9);
        QVERIFY(std::abs(found.machine.first_mount(MountKind::tool)->frame.translation().x() - 0.1) < 1e-7);
        QVERIFY(!calibrate(drawing("machines/brae-4r.json"), std::span(still).first(2)).ok());
    }

    /// Two rotary axes, both read tool-relative: whatever was wrong, the tips at other readings are right afterwards.
    void two_rotary_axes()
    {
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(-1, 1);
        const Machine tarn = drawing("machines/tarn-5t.json");
        for (int run = 0; run < 5; ++run) {
            Machine real = tarn;
            for (const char* id : {"B", "C"}) {
                Joint& joint = real.joints[real.find_joint(id)->value];
                joint.point += 0.3 * Vec3(unit(random), unit(random), unit(random));
                joint.direction = (joint.direction + 0.002 * Vec3(unit(random), unit(random), unit(random))).normalized();
                joint.at += to_rad(0.1) * unit(random);
            }
            const Kinematics truth = Kinematics::make(real).value();
            const auto somewhere = [&] {
                Readings out = tarn.home();
                out << 200 * unit(random), 200 * unit(random), -250 + 200 * unit(random), to_rad(90 * unit(random)),
                    to_rad(180 * unit(random));
                return out;
            };
            std::vector<Measurement> table;
            for (int i = 0; i < 30; ++i) {
                Measurement m;
                m.readings = somewhere();
                m.tool_length = 120 + 60 * (i % 2);
                m.tip = truth.pose(m.readings, m.tool_length).tip;
                table.push_back(m);
            }
            const Calibration found = calibrate(tarn, table).value();
            const std::string text = overlay_text(tarn, found, "machines/tarn-5t.json", "test \"one\"");
            const auto laid = with_overlay(tarn, "machines/tarn-5t.json", json::Document::parse(text, "o.json").value());
            QVERIFY2(laid.ok(), laid ? "" : laid.error().text().c_str());
            const Kinematics fitted = Kinematics::make(*laid).value();
            for (int i = 0; i < 50; ++i) {
                const Readings at = somewhere();
                const double off = (fitted.pose(at, 150).tip - truth.pose(at, 150).tip).norm();
                QVERIFY2(off < 2e-5, qPrintable(QString("%1 mm").arg(off))); // the file's digits
            }
        }
    }
};

WEXILUM_TEST(TestCalibration)

} // namespace test_calibration
#include "test_calibration.moc"
