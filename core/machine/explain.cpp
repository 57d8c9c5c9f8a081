#include "core/machine/explain.hpp"

#include "core/base/units.hpp"
#include "core/geometry/least_squares.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

namespace wexilum {
namespace {

using Miss = Eigen::Matrix<double, 6, 1>; ///< tip in mm, then the axis's difference, as long as 100 mm

constexpr double axis_weight = 100;   // mm a rad
constexpr double least_share = 1e-12; // of the largest singular value: below it a change does nothing
constexpr int most_fit_steps = 30;

Miss miss_of(const Machine& machine, const Witness& witness)
{
    Miss out = Miss::Constant(1e9);
    if (const auto pose = pose_of(machine, witness)) {
        out.head<3>() = pose->tip - witness.pose.tip;
        out.tail<3>() = axis_weight * (pose->axis - witness.pose.axis);
    }
    return out;
}

bool holds(const Machine& machine, const Witness& witness)
{
    const auto pose = pose_of(machine, witness);
    return pose && (pose->tip - witness.pose.tip).norm() <= witness_tip_tolerance &&
           angle_between(pose->axis, witness.pose.axis) <= witness_axis_tolerance;
}

/// The values with which a change of the machine and the witness lets it hold best: Gauss-Newton by differences.
using Change = std::function<void(Machine&, Witness&, const Eigen::VectorXd&)>;
std::optional<Eigen::VectorXd> solved(const Machine& machine, const Witness& witness, const Change& change, Eigen::VectorXd values)
{
    constexpr double step = 1e-6;
    const auto missed = [&](const Eigen::VectorXd& v) {
        Machine changed = machine;
        Witness read = witness;
        change(changed, read, v);
        return miss_of(changed, read);
    };
    for (int i = 0; i < most_fit_steps; ++i) {
        const Miss miss = missed(values);
        if (!miss.allFinite() || miss.norm() > 1e8) {
            return std::nullopt;
        }
        if (miss.head<3>().norm() < witness_tip_tolerance / 5 && miss.tail<3>().norm() < axis_weight * witness_axis_tolerance / 5) {
            return values;
        }
        Eigen::MatrixXd slopes(6, values.size());
        for (Eigen::Index k = 0; k < values.size(); ++k) {
            Eigen::VectorXd aside = values;
            aside[k] += step;
            slopes.col(k) = (missed(aside) - miss) / step;
        }
        const Eigen::VectorXd by = least_squares(slopes, -miss, least_share).values;
        if (!by.allFinite() || by.norm() < 1e-10) {
            return std::nullopt;
        }
        values += by;
    }
    return std::nullopt;
}

std::string number(double value) { return fmt::format("{:.4g}", std::abs(value) < 5e-7 ? 0.0 : std::round(value * 1e4) / 1e4); }

class Search {
public:
    Search(const Machine& machine, std::size_t witness) : machine_(machine), witness_(machine.witnesses[witness]), index_(witness) {}

    std::vector<Explanation> run()
    {
        for (std::size_t j = 0; j < machine_.joints.size(); ++j) {
            Machine turned = machine_;
            turned.joints[j].direction = -turned.joints[j].direction;
            offer(Explanation::Kind::sign, turned, machine_.joints[j].id, {},
                  fmt::format("the direction of {} is turned round{}", machine_.joints[j].id,
                              machine_.joints[j].tool_relative ? ", or its reading tells its own motion" : ""));
            for (std::size_t k = j + 1; k < machine_.joints.size(); ++k) {
                if (machine_.joints[j].kind == machine_.joints[k].kind) {
                    exchange(j, k);
                }
            }
            zero(j);
            if (machine_.joints[j].kind == JointKind::rotary) {
                axis_point(j);
            }
        }
        tool_length();
        gauge_point();
        work_point();
        std::stable_sort(out_.begin(), out_.end(), [](const Explanation& a, const Explanation& b) {
            const auto size = [](const Explanation& e) { return std::abs(e.by) + e.move.norm(); };
            return a.holds != b.holds ? a.holds > b.holds : a.kind != b.kind ? a.kind < b.kind : size(a) < size(b);
        });
        return std::move(out_);
    }

private:
    /// Where the changed machine has the witness, it is an explanation.
    void offer(Explanation::Kind kind, const Machine& changed, std::string subject, std::string other, std::string text, double by = 0,
               const Vec3& move = Vec3::Zero())
    {
        if (holds(changed, changed.witnesses[index_])) {
            out_.push_back({kind, std::move(subject), std::move(other), by, move, holding(changed), std::move(text)});
        }
    }
    void exchange(std::size_t j, std::size_t k)
    {
        Machine changed = machine_;
        for (Witness& witness : changed.witnesses) {
            std::swap(witness.readings[Eigen::Index(j)], witness.readings[Eigen::Index(k)]);
        }
        if (witness_.readings[Eigen::Index(j)] != witness_.readings[Eigen::Index(k)]) {
            offer(Explanation::Kind::exchange, changed, machine_.joints[j].id, machine_.joints[k].id,
                  fmt::format("the readings of {} and {} are exchanged", machine_.joints[j].id, machine_.joints[k].id));
        }
    }
    void zero(std::size_t j)
    {
        const bool rotary = machine_.joints[j].kind == JointKind::rotary;
        const Change change = [j](Machine& m, Witness&, const Eigen::VectorXd& v) { m.joints[j].at += v[0]; };
        for (const double from : rotary ? std::vector{0.0, pi / 2, -pi / 2, pi} : std::vector{0.0}) {
            if (auto value = solved(machine_, witness_, change, Eigen::VectorXd::Constant(1, from))) {
                double by = (*value)[0];
                by = rotary ? std::remainder(by, whole_turn) : by;
                Machine changed = machine_;
                changed.joints[j].at += by;
                offer(Explanation::Kind::zero, changed, machine_.joints[j].id, {},
                      fmt::format("{} reads {} {} where it is drawn, not {}", machine_.joints[j].id,
                                  number(rotary ? to_deg(changed.joints[j].at) : changed.joints[j].at), rotary ? "deg" : "mm",
                                  number(rotary ? to_deg(machine_.joints[j].at) : machine_.joints[j].at)),
                      by);
                return;
            }
        }
    }
    void tool_length()
    {
        const Change change = [](Machine&, Witness& w, const Eigen::VectorXd& v) { w.tool_length += v[0]; };
        if (const auto value = solved(machine_, witness_, change, Eigen::VectorXd::Zero(1))) {
            Machine changed = machine_;
            changed.witnesses[index_].tool_length += (*value)[0];
            offer(
                Explanation::Kind::tool_length, changed, witness_.name, {},
                fmt::format("the tool was {} mm long, not {}", number(changed.witnesses[index_].tool_length), number(witness_.tool_length)),
                (*value)[0]);
        }
    }
    void gauge_point()
    {
        const Mount& mount = machine_.mounts[witness_.mount];
        const Vec3 along = mount.frame.linear().col(mount.blade ? 0 : 2);
        const std::uint32_t at = witness_.mount;
        const Change change = [at, along](Machine& m, Witness&, const Eigen::VectorXd& v) {
            m.mounts[at].frame.translation() += along * v[0];
        };
        if (const auto value = solved(machine_, witness_, change, Eigen::VectorXd::Zero(1))) {
            Machine changed = machine_;
            changed.mounts[at].frame.translation() += along * (*value)[0];
            offer(Explanation::Kind::gauge_point, changed, mount.id, {},
                  fmt::format("the gauge point of {} lies {} mm {} along its tool", mount.id, number(std::abs((*value)[0])),
                              (*value)[0] > 0 ? "back" : "further out"),
                  (*value)[0], along * (*value)[0]);
        }
    }
    void axis_point(std::size_t j)
    {
        const Vec3 axis = machine_.joints[j].direction;
        const Vec3 u = axis.unitOrthogonal();
        const Vec3 v = axis.cross(u);
        const Change change = [=](Machine& m, Witness&, const Eigen::VectorXd& by) { m.joints[j].point += u * by[0] + v * by[1]; };
        if (const auto value = solved(machine_, witness_, change, Eigen::VectorXd::Zero(2))) {
            const Vec3 move = u * (*value)[0] + v * (*value)[1];
            Machine changed = machine_;
            changed.joints[j].point += move;
            offer(Explanation::Kind::axis_point, changed, machine_.joints[j].id, {},
                  fmt::format("the axis of {} lies {}, {}, {} mm from where it is drawn", machine_.joints[j].id, number(move.x()),
                              number(move.y()), number(move.z())),
                  0, move);
        }
    }
    void work_point()
    {
        const std::size_t at = witness_.work;
        const Mount* work = &machine_.mounts[at];
        const Change change = [at](Machine& m, Witness&, const Eigen::VectorXd& by) { m.mounts[at].frame.translation() += Vec3(by); };
        if (const auto value = solved(machine_, witness_, change, Eigen::VectorXd::Zero(3))) {
            const Vec3 move = *value;
            Machine changed = machine_;
            changed.mounts[at].frame.translation() += move;
            offer(Explanation::Kind::work_point, changed, work->id, {},
                  fmt::format("the zero of {} lies {}, {}, {} mm from where it is drawn", work->id, number(move.x()), number(move.y()),
                              number(move.z())),
                  0, move);
        }
    }

    const Machine& machine_;
    const Witness witness_;
    std::size_t index_;
    std::vector<Explanation> out_;
};

} // namespace

std::size_t holding(const Machine& machine)
{
    return std::size_t(
        std::count_if(machine.witnesses.begin(), machine.witnesses.end(), [&](const Witness& w) { return holds(machine, w); }));
}

std::vector<Explanation> explanations(const Machine& machine, std::size_t witness)
{
    if (holds(machine, machine.witnesses[witness])) {
        return {};
    }
    return Search(machine, witness).run();
}

} // namespace wexilum
