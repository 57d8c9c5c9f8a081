#include "core/machine/calibration.hpp"

#include "core/base/json_patch.hpp"
#include "core/base/units.hpp"
#include "core/geometry/least_squares.hpp"
#include "core/machine/kinematics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr int most_steps = 30;
constexpr double lever_length = 100;   // mm: an angle of 1/100 rad counts as much as a way of 1 mm
constexpr double least_weight = 1e-4;  // of a combination of values, against the best determined one
constexpr double clearly = 0.1;        // a sense is wrong where turning it round leaves less than this share of the error,
constexpr double clear_error = 0.5;    // and the error is at least this, mm
constexpr double counts_as_open = 0.3; // of a value's length that lies in undetermined combinations

/// One value that is fitted: a small change of the machine.
struct Unknown {
    enum class Kind { zero, direction, point, gauge };
    Kind kind = Kind::zero;
    std::size_t joint = 0;
    Vec3 along = Vec3::Zero(); ///< the axis of a small turn, or the direction of a way
};

std::vector<Unknown> unknowns_of(const Machine& machine, const Kinematics& kinematics)
{
    std::vector<Unknown> out;
    for (const Kinematics::Link& link : kinematics.links()) {
        const Joint& joint = machine.joints[link.joint.value];
        if (joint.kind != JointKind::rotary) {
            continue;
        }
        out.push_back({Unknown::Kind::zero, link.joint.value, joint.direction});
        // Two of the base's directions that lie across the axis, by their names.
        for (int k = 0; k < 3; ++k) {
            int longest = 0;
            joint.direction.cwiseAbs().maxCoeff(&longest);
            if (k != longest) {
                const Vec3 across = (Vec3::Unit(k) - joint.direction * joint.direction[k]).normalized();
                out.push_back({Unknown::Kind::direction, link.joint.value, across});
                out.push_back({Unknown::Kind::point, link.joint.value, across});
            }
        }
    }
    for (int k = 0; k < 3; ++k) {
        out.push_back({Unknown::Kind::gauge, 0, Vec3::Unit(k)});
    }
    return out;
}

Mount& gauge_of(Machine& machine)
{
    return *std::find_if(machine.mounts.begin(), machine.mounts.end(), [](const Mount& m) { return m.kind == MountKind::tool; });
}

/// The machine with each unknown changed by so much, in mm or in mm at the lever.
Machine changed(const Machine& machine, const std::vector<Unknown>& unknowns, const Eigen::VectorXd& by)
{
    Machine out = machine;
    for (std::size_t i = 0; i < unknowns.size(); ++i) {
        const Unknown& unknown = unknowns[i];
        const double amount = by[Eigen::Index(i)];
        Joint& joint = out.joints[unknown.joint];
        switch (unknown.kind) {
        case Unknown::Kind::zero: joint.at += amount / lever_length; break;
        case Unknown::Kind::direction:
            joint.direction = (Eigen::AngleAxisd(amount / lever_length, unknown.along) * joint.direction).normalized();
            break;
        case Unknown::Kind::point: joint.point += unknown.along * amount; break;
        case Unknown::Kind::gauge: gauge_of(out).frame.translation() += unknown.along * amount; break;
        }
    }
    return out;
}

Eigen::VectorXd errors(const Machine& machine, std::span<const Measurement> measured)
{
    const Kinematics kinematics = Kinematics::make(machine).value();
    Eigen::VectorXd out(3 * Eigen::Index(measured.size()));
    for (std::size_t i = 0; i < measured.size(); ++i) {
        out.segment<3>(3 * Eigen::Index(i)) = kinematics.pose(measured[i].readings, measured[i].tool_length).tip - measured[i].tip;
    }
    return out;
}

double rms(const Eigen::VectorXd& errors) { return std::sqrt(errors.squaredNorm() / (double(errors.size()) / 3)); }

std::string name_of(const Machine& machine, const Unknown& unknown)
{
    static constexpr std::array<const char*, 3> names{"X", "Y", "Z"};
    int axis = 0;
    unknown.along.cwiseAbs().maxCoeff(&axis);
    const std::string& id = machine.joints[unknown.joint].id;
    switch (unknown.kind) {
    case Unknown::Kind::zero: return fmt::format("the zero of {}", id);
    case Unknown::Kind::direction: return fmt::format("the lean of {}'s axis about {}", id, names[std::size_t(axis)]);
    case Unknown::Kind::point: return fmt::format("the axis of {} along {}", id, names[std::size_t(axis)]);
    case Unknown::Kind::gauge: break;
    }
    return fmt::format("the gauge point along {}", names[std::size_t(axis)]);
}

struct Fit {
    Machine machine;
    Eigen::VectorXd errors;
    Eigen::MatrixXd open; ///< combinations of the unknowns that are not determined, a column each
};

Fit fit(const Machine& drawing, const std::vector<Unknown>& unknowns, std::span<const Measurement> measured)
{
    const auto count = Eigen::Index(unknowns.size());
    Eigen::VectorXd at = Eigen::VectorXd::Zero(count);
    Fit best{drawing, errors(drawing, measured), {}};
    for (int step = 0; step < most_steps; ++step) {
        Eigen::MatrixXd slopes(best.errors.size(), count);
        for (Eigen::Index i = 0; i < count; ++i) {
            constexpr double h = 1e-4; // mm, or mm at the lever
            Eigen::VectorXd beside = at;
            beside[i] = at[i] + h;
            const Eigen::VectorXd more = errors(changed(drawing, unknowns, beside), measured);
            beside[i] = at[i] - h;
            slopes.col(i) = (more - errors(changed(drawing, unknowns, beside), measured)) / (2 * h);
        }
        LeastSquares solved = least_squares(slopes, -best.errors, least_weight);
        best.open = std::move(solved.open);
        Eigen::VectorXd way = std::move(solved.values);
        bool better = false;
        for (int half = 0; half < 12 && !better; ++half, way *= 0.5) {
            Machine machine = changed(drawing, unknowns, at + way);
            Eigen::VectorXd left = errors(machine, measured);
            if (left.norm() < best.errors.norm()) {
                at += way;
                best.machine = std::move(machine);
                best.errors = std::move(left);
                better = true;
                break;
            }
        }
        if (!better || way.norm() < 1e-10) {
            break;
        }
    }
    return best;
}

} // namespace

Result<Calibration> calibrate(const Machine& drawing, std::span<const Measurement> measured)
{
    const auto kinematics = Kinematics::make(drawing);
    if (!kinematics) {
        return kinematics.error();
    }
    if (measured.size() < 3) {
        return Error{ErrorKind::value, fmt::format("{} measured positions are too few", measured.size()),
                     measured.empty() ? Place() : measured.front().place,
                     "measure at least three, with the rotary joints at several readings"};
    }
    const std::vector<Unknown> unknowns = unknowns_of(drawing, *kinematics);
    std::vector<std::size_t> rotary;
    for (const Unknown& unknown : unknowns) {
        if (unknown.kind == Unknown::Kind::zero) {
            rotary.push_back(unknown.joint);
        }
    }
    Calibration out;
    out.rms_before = rms(errors(drawing, measured));
    const Fit plain = fit(drawing, unknowns, measured);
    const double left = rms(plain.errors);
    double best = left;
    for (unsigned turned = 1; left > clear_error && turned < 1U << rotary.size(); ++turned) {
        Machine other = drawing;
        for (std::size_t i = 0; i < rotary.size(); ++i) {
            if ((turned >> i & 1U) != 0) {
                other.joints[rotary[i]].direction = -other.joints[rotary[i]].direction;
            }
        }
        const double error = rms(fit(other, unknowns, measured).errors);
        if (error < clearly * left && error < best) {
            best = error;
            out.wrong_senses.clear();
            for (std::size_t i = 0; i < rotary.size(); ++i) {
                if ((turned >> i & 1U) != 0) {
                    out.wrong_senses.push_back(drawing.joints[rotary[i]].id);
                }
            }
        }
    }
    out.machine = out.wrong_senses.empty() ? plain.machine : drawing;
    const Eigen::VectorXd errors_left = errors(out.machine, measured);
    out.rms_after = rms(errors_left);
    for (std::size_t i = 0; i < measured.size(); ++i) {
        const double error = errors_left.segment<3>(3 * Eigen::Index(i)).norm();
        if (error > out.worst_after) {
            out.worst_after = error;
            out.worst = i;
        }
    }
    for (std::size_t i = 0; i < unknowns.size(); ++i) {
        if (plain.open.cols() > 0 && plain.open.row(Eigen::Index(i)).norm() > counts_as_open) {
            out.undetermined.push_back(name_of(drawing, unknowns[i]));
        }
    }
    return out;
}

Result<std::vector<Measurement>> measurements_of(const Machine& machine, const NumberTable& table, double tool_length,
                                                 const std::string& file)
{
    const auto& header = table.header;
    const auto column = [&](std::string_view name) -> std::optional<std::size_t> {
        const auto found = std::find(header.begin(), header.end(), name);
        return found != header.end() ? std::optional(std::size_t(found - header.begin())) : std::nullopt;
    };
    std::vector<std::string> wanted;
    for (const Joint& joint : machine.joints) {
        wanted.push_back(joint.id);
    }
    wanted.insert(wanted.end(), {"x", "y", "z"});
    const std::string cure = fmt::format("its header names {} and, where it varies, length", fmt::join(wanted, ", "));
    std::vector<std::size_t> columns;
    for (const std::string& name : wanted) {
        const auto found = column(name);
        if (!found) {
            return Error{ErrorKind::value, fmt::format("the table has no column \"{}\"", name), {file, 1, 1}, cure};
        }
        columns.push_back(*found);
    }
    const auto length = column("length");
    if (header.size() != wanted.size() + (length ? 1 : 0)) {
        return Error{ErrorKind::value, "the table has a column that is not known", {file, 1, 1}, cure};
    }
    std::vector<Measurement> out;
    for (std::size_t r = 0; r < table.rows.size(); ++r) {
        const auto& row = table.rows[r];
        Measurement m;
        m.readings = machine.home();
        const std::size_t joints = machine.joints.size();
        for (std::size_t i = 0; i < joints; ++i) {
            const bool rotary = machine.joints[i].kind == JointKind::rotary;
            m.readings[Eigen::Index(i)] = rotary ? to_rad(row[columns[i]]) : row[columns[i]];
        }
        m.tip = Vec3(row[columns[joints]], row[columns[joints + 1]], row[columns[joints + 2]]);
        m.tool_length = length ? row[*length] : tool_length;
        m.place = {file, table.lines[r], 0};
        out.push_back(std::move(m));
    }
    return out;
}

bool is_measurement(const Machine& machine, const Witness& witness)
{
    return witness.mount == machine.at_rest().mount && &machine.mounts[witness.work] == machine.first_mount(MountKind::work);
}

std::vector<Measurement> measurements_of(const Machine& machine)
{
    std::vector<Measurement> out;
    for (const Witness& witness : machine.witnesses) {
        if (is_measurement(machine, witness)) {
            out.push_back({witness.readings, witness.tool_length, witness.pose.tip, witness.place});
        }
    }
    return out;
}

std::vector<double> residuals(const Machine& machine, std::span<const Measurement> measured)
{
    const Kinematics kinematics = Kinematics::make(machine).value();
    std::vector<double> out;
    std::transform(measured.begin(), measured.end(), std::back_inserter(out),
                   [&](const Measurement& m) { return (kinematics.pose(m.readings, m.tool_length).tip - m.tip).norm(); });
    return out;
}

std::vector<std::string> description_of(const Machine& drawing, const Calibration& found)
{
    std::vector<std::string> out;
    for (std::size_t i = 0; i < drawing.joints.size(); ++i) {
        const Joint& before = drawing.joints[i];
        const Joint& joint = found.machine.joints[i];
        if (joint.kind == JointKind::rotary) {
            const Vec3 off = joint.point - before.point;
            out.push_back(fmt::format("{:<8} zero {:+.4f} deg, axis off by {:.4f} mm, leant by {:.4f} deg", joint.id,
                                      to_deg(joint.at - before.at), (off - before.direction * before.direction.dot(off)).norm(),
                                      to_deg(angle_between(joint.direction, before.direction))));
        }
    }
    const Vec3 gauge = gauge_shift(drawing, found);
    out.push_back(fmt::format("gauge    {:+.4f}, {:+.4f}, {:+.4f} mm", gauge.x(), gauge.y(), gauge.z()));
    return out;
}

Vec3 gauge_shift(const Machine& drawing, const Calibration& found)
{
    return found.machine.first_mount(MountKind::tool)->frame.translation() - drawing.first_mount(MountKind::tool)->frame.translation();
}

std::string overlay_text(const Machine& drawing, const Calibration& found, const std::string& machine_path, const std::string& name)
{
    const auto vector = [](const Vec3& v, int decimals) {
        const Vec3 clean = v + Vec3::Zero(); // no minus before a zero
        return fmt::format("[{:.{}f}, {:.{}f}, {:.{}f}]", clean.x(), decimals, clean.y(), decimals, clean.z(), decimals);
    };
    std::vector<std::string> joints;
    for (std::size_t i = 0; i < drawing.joints.size(); ++i) {
        const Joint& before = drawing.joints[i];
        const Joint& joint = found.machine.joints[i];
        if (joint.kind == JointKind::rotary &&
            (joint.direction != before.direction || joint.point != before.point || joint.at != before.at)) {
            const Vec3 direction = joint.tool_relative ? Vec3(-joint.direction) : joint.direction;
            joints.push_back(fmt::format(R"(    {}: {{"direction": {}, "point": {}, "at": {:.6f}}})", json::quoted(joint.id),
                                         vector(direction, 9), vector(joint.point, 6), to_deg(joint.at)));
        }
    }
    std::string mounts;
    for (std::size_t i = 0; i < drawing.mounts.size(); ++i) {
        const Frame& frame = found.machine.mounts[i].frame;
        if (frame.translation() != drawing.mounts[i].frame.translation()) {
            mounts += fmt::format(",\n  \"mounts\": {{\n    {}: {{\"point\": {}, \"z\": {}, \"x\": {}}}\n  }}",
                                  json::quoted(drawing.mounts[i].id), vector(frame.translation(), 6), vector(frame.linear().col(2), 9),
                                  vector(frame.linear().col(0), 9));
        }
    }
    return fmt::format("{{\n  \"format\": \"overlay/1\",\n  \"units\": {{\"length\": \"mm\", \"angle\": \"deg\"}},\n  \"name\": {},\n"
                       "  \"machine\": {},\n  \"joints\": {{\n{}\n  }}{}\n}}\n",
                       json::quoted(name), json::quoted(machine_path), fmt::join(joints, ",\n"), mounts);
}

} // namespace wexilum
