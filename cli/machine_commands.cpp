#include "cli/commands.hpp"
#include "cli/json_print.hpp"
#include "cli/report.hpp"

#include "core/base/json_document.hpp"
#include "core/base/units.hpp"
#include "core/io/real_files.hpp"
#include "core/machine/calibration.hpp"
#include "core/solve/ladder.hpp"
#include "core/solve/mill_solver.hpp"
#include "core/toolpath/readers/csv_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <string_view>

namespace wexilum::cli {
namespace {

using nlohmann::ordered_json;

constexpr double same_readings = 1e-9;       // mm or rad
constexpr double fresh_turn = 10 * pi / 180; // rad: poses further apart are no cut; the branch may change between them

struct Loaded {
    Machine machine;
    NumberTable table;
};

Result<Loaded> load(const MachineOptions& options)
{
    const RealFileSystem files;
    auto text = files.read_all(options.machine, json::max_bytes);
    if (!text) {
        return text.error();
    }
    auto document = json::Document::parse(std::move(*text), options.machine);
    if (!document) {
        return document.error();
    }
    auto machine = read_machine(*document);
    if (!machine) {
        return machine.error();
    }
    auto source = files.open(options.table);
    if (!source) {
        return source.error();
    }
    auto table = read_number_table(**source, options.table);
    if (!table) {
        return table.error();
    }
    return Loaded{std::move(*machine), std::move(*table)};
}

double shown(const Machine& machine, std::size_t joint, double reading)
{
    return machine.joints[joint].kind == JointKind::rotary ? to_deg(reading) : reading;
}

ordered_json row_of(const Machine& machine, const Readings& readings)
{
    auto row = ordered_json::array();
    for (std::size_t i = 0; i < machine.joints.size(); ++i) {
        row.push_back(shown(machine, i, readings[Eigen::Index(i)]));
    }
    return row;
}

Result<std::vector<PathTarget>> targets_of(const NumberTable& table, const MachineOptions& options)
{
    static const std::vector<std::string> wanted{"x", "y", "z", "i", "j", "k"};
    if (table.header != wanted) {
        return Error{
            ErrorKind::value, "the table's header is not x,y,z,i,j,k", {options.table, 1, 1}, "name the columns x,y,z,i,j,k in this order"};
    }
    std::vector<PathTarget> targets;
    for (std::size_t r = 0; r < table.rows.size(); ++r) {
        const auto& v = table.rows[r];
        PathTarget target;
        target.pose.tip = Vec3(v[0], v[1], v[2]);
        target.pose.axis = Vec3(v[3], v[4], v[5]);
        if (std::abs(target.pose.axis.norm() - 1) > 1e-3) {
            return Error{ErrorKind::value,
                         fmt::format("the tool axis has length {:.6f}, not 1", target.pose.axis.norm()),
                         {options.table, table.lines[r], 1},
                         "give a unit vector from the tip to the holder"};
        }
        target.pose.axis.normalize();
        target.tool_length = options.tool_length;
        target.link = targets.empty() || angle_between(targets.back().pose.axis, target.pose.axis) > fresh_turn;
        targets.push_back(target);
    }
    return targets;
}

/// Words, row and finding of one choice.
struct RowOutcome {
    const char* status = "solved";
    bool has_row = true;
};

/// `other_way`: some readings reach the pose, though not in its cut, which begins at `cut_line`.
RowOutcome outcome_of(const Machine& machine, const Choice& choice, const Place& place, std::size_t row, bool other_way,
                      std::uint32_t cut_line, FindingList& findings)
{
    Finding finding = Finding::make(Severity::error, "", "", "", std::abs(choice.missed_by));
    finding.source = place;
    if (choice.problem == ChoiceProblem::unreachable) {
        finding.kind = "unreachable";
        finding.message = fmt::format("no rotary posture brings the tool axis there: {:.4f} deg are missing", to_deg(choice.missed_by));
        finding.cure = fmt::format("the nearest axis in reach is {:.6f}, {:.6f}, {:.6f}", choice.nearest_axis.x(), choice.nearest_axis.y(),
                                   choice.nearest_axis.z());
        findings.add(std::move(finding), "", row);
        return {"unreachable", false};
    }
    if (choice.problem == ChoiceProblem::beyond_travel) {
        const std::string& id = machine.joints[choice.joint.value].id;
        finding.kind = "beyond-travel";
        finding.message = std::abs(choice.missed_by) > 0.5 * out_of_reach
                              ? "the linear joints lie in one plane in this posture: they can't bring the tip there"
                              : fmt::format("{} would have to go {:.4f} {} beyond its travel", id,
                                            std::abs(shown(machine, choice.joint.value, choice.missed_by)),
                                            machine.joints[choice.joint.value].kind == JointKind::rotary ? "deg" : "mm");
        finding.cure = other_way ? fmt::format("another branch reaches it, but the cut that begins at line {} is on this one: turn the "
                                               "part, or break the cut",
                                               cut_line)
                                 : "move the pose, or turn it";
        findings.add(std::move(finding), id, row);
        return {"unreachable", false};
    }
    if (choice.problem == ChoiceProblem::broken) {
        finding.kind = "cut-broken";
        finding.message = "the joints can't go on from the pose before without a jump, whatever the free one reads";
        finding.cure = "break the cut here, or turn the part";
        findings.add(std::move(finding), "", row);
        return {"broken", true};
    }
    return {choice.outcome == Outcome::degraded ? "degraded" : "solved", true};
}

/// Of a table of poses.
struct SolvedRow {
    std::optional<Readings> readings;
    const char* status = "solved";
    std::uint32_t cut_from = 0;   ///< line at which its cut begins
    std::vector<Readings> others; ///< that reach the pose too, where they are asked for
    double travel_left = 0;       ///< share
};

ordered_json solved_json(const Machine& machine, const std::vector<SolvedRow>& solved, bool all)
{
    ordered_json out{{"axes", ordered_json::array()},
                     {"rows", ordered_json::array()},
                     {"status", ordered_json::array()},
                     {"cut_from_line", ordered_json::array()},
                     {"travel_left", ordered_json::array()}};
    for (const Joint& joint : machine.joints) {
        out["axes"].push_back(joint.id);
    }
    for (const SolvedRow& row : solved) {
        out["rows"].push_back(row.readings ? row_of(machine, *row.readings) : ordered_json(nullptr));
        out["status"].push_back(row.status);
        out["cut_from_line"].push_back(row.cut_from);
        out["travel_left"].push_back(row.readings ? ordered_json(row.travel_left) : ordered_json(nullptr));
        if (all) {
            auto list = ordered_json::array();
            for (const Readings& other : row.others) {
                list.push_back(row_of(machine, other));
            }
            out["alternatives"].push_back(std::move(list));
        }
    }
    return out;
}

void print_solved(const Machine& machine, const std::vector<SolvedRow>& solved)
{
    const auto text_of = [&](const Readings& readings) {
        std::string text;
        for (std::size_t j = 0; j < machine.joints.size(); ++j) {
            text += fmt::format("{:>14.4f}", shown(machine, j, readings[Eigen::Index(j)]));
        }
        return text;
    };
    std::string line;
    for (const Joint& joint : machine.joints) {
        line += fmt::format("{:>14}", joint.id);
    }
    fmt::print("{}\n", line);
    for (const SolvedRow& row : solved) {
        std::string none;
        for (std::size_t j = 0; j < machine.joints.size(); ++j) {
            none += fmt::format("{:>14}", "-");
        }
        fmt::print("{}  {}\n", row.readings ? text_of(*row.readings) : none, row.status);
        for (const Readings& other : row.others) {
            fmt::print("{}  alternative\n", text_of(other));
        }
    }
}

/// The choice over a table of poses, with all that is said of its rows.
std::vector<SolvedRow> solved_rows(const Loaded& loaded, const std::vector<PathTarget>& targets, const PathSolver& solver,
                                   const WholeChooser& chooser, const MachineOptions& options, FindingList& findings)
{
    const Machine& machine = loaded.machine;
    const auto choices = chooser.choose(targets, machine.home());
    std::vector<SolvedRow> out;
    std::size_t cut = 0; // the row that began it
    for (std::size_t i = 0; i < choices.size(); ++i) {
        const Choice& choice = choices[i];
        cut = i == 0 || !targets[i].link ? cut : i;
        const bool solved = choice.problem == ChoiceProblem::none;
        std::vector<Candidate> others =
            solver.candidates(targets[i].pose, options.tool_length, choice.readings.size() > 0 ? choice.readings : machine.home());
        std::erase_if(others, [&](const Candidate& other) {
            return solved && (other.readings - choice.readings).cwiseAbs().maxCoeff() < same_readings;
        });
        SolvedRow& row = out.emplace_back();
        row.cut_from = loaded.table.lines[cut];
        const RowOutcome outcome =
            outcome_of(machine, choice, {options.table, loaded.table.lines[i], 0}, i, !others.empty(), row.cut_from, findings);
        row.status = outcome.status;
        if (outcome.has_row) {
            row.readings = choice.readings;
            row.travel_left = travel_left(machine.joints, choice.readings);
        }
        for (Candidate& other : others) {
            row.others.push_back(std::move(other.readings));
        }
    }
    return out;
}

/// The table solved by the chooser that its machine needs.
Result<std::vector<SolvedRow>> solved_table(const Loaded& loaded, const std::vector<PathTarget>& targets, const MachineOptions& options,
                                            FindingList& findings)
{
    const Machine& machine = loaded.machine;
    const auto free = options.free.empty() ? std::nullopt : machine.find_joint(options.free);
    if (!free && !options.free.empty()) {
        return Error{ErrorKind::value,
                     fmt::format("the machine has no joint \"{}\" to be left free", options.free.substr(0, 40)),
                     {},
                     "name one of its rotary joints"};
    }
    if (machine.first_mount(MountKind::tool) == nullptr || machine.first_mount(MountKind::work) == nullptr) {
        return Kinematics::make(machine).error();
    }
    const auto solver = MillSolver::make(machine, machine.at_rest(), free);
    if (!solver) {
        return solver.error();
    }
    if (free) {
        return solved_rows(loaded, targets, *solver, LadderChooser(*solver), options, findings);
    }
    const InverseSolver closed = InverseSolver::make(Kinematics::make(machine).value(), true).value();
    return solved_rows(loaded, targets, *solver, SheetChooser(closed, machine), options, findings);
}

} // namespace

int solve_command(const MachineOptions& options)
{
    auto loaded = load(options);
    if (!loaded) {
        return fail(loaded.error(), options.json);
    }
    const Machine& machine = loaded->machine;
    auto targets = targets_of(loaded->table, options);
    if (!targets) {
        return fail(targets.error(), options.json);
    }
    FindingList findings;
    auto solved = solved_table(*loaded, *targets, options, findings);
    if (!solved) {
        Error error = solved.error();
        error.place.file = options.machine;
        return fail(error, options.json);
    }
    for (SolvedRow& row : *solved) {
        if (!options.all) {
            row.others.clear();
        }
    }
    if (options.json) {
        ordered_json out = solved_json(machine, *solved, options.all);
        out["findings"] = findings_json(findings);
        fmt::print("{}\n", json_text(out));
        return findings.has_errors() ? exit_findings : exit_fine;
    }
    print_solved(machine, *solved);
    print_findings(findings);
    fmt::print("a pose whose tool axis is within {:g} deg of the one before goes on with its cut, in which the branch stays\n",
               to_deg(fresh_turn));
    const bool degraded =
        std::any_of(solved->begin(), solved->end(), [](const SolvedRow& row) { return row.status == std::string_view("degraded"); });
    if (degraded) {
        fmt::print("degraded: within {:.4f} deg of a direction in which a rotary joint does nothing, or at the edge of what can be "
                   "reached; small changes of the axis turn joints far\n",
                   to_deg(pole_angle));
    }
    return findings.has_errors() ? exit_findings : exit_fine;
}

int pose_command(const MachineOptions& options)
{
    auto loaded = load(options);
    if (!loaded) {
        return fail(loaded.error(), options.json);
    }
    const Machine& machine = loaded->machine;
    const auto kinematics = Kinematics::make(machine);
    if (!kinematics) {
        return fail(kinematics.error(), options.json);
    }
    std::vector<std::size_t> joints;
    for (const std::string& name : loaded->table.header) {
        const auto joint = machine.find_joint(name);
        if (!joint) {
            return fail({ErrorKind::value,
                         fmt::format("the machine has no joint \"{}\"", name.substr(0, 40)),
                         {options.table, 1, 1},
                         "name the columns after the machine's joints"},
                        options.json);
        }
        joints.push_back(joint->value);
    }
    if (joints.size() != machine.joints.size()) {
        return fail({ErrorKind::value,
                     fmt::format("the table reads {} of the machine's {} joints", joints.size(), machine.joints.size()),
                     {options.table, 1, 1},
                     "give every joint a column"},
                    options.json);
    }
    auto rows = ordered_json::array();
    for (const auto& values : loaded->table.rows) {
        Readings readings = machine.home();
        for (std::size_t i = 0; i < values.size(); ++i) {
            const bool rotary = machine.joints[joints[i]].kind == JointKind::rotary;
            readings[Eigen::Index(joints[i])] = rotary ? to_rad(values[i]) : values[i];
        }
        const Pose pose = kinematics.value().pose(readings, options.tool_length);
        if (options.json) {
            rows.push_back({pose.tip.x(), pose.tip.y(), pose.tip.z(), pose.axis.x(), pose.axis.y(), pose.axis.z()});
        } else {
            fmt::print("{:14.5f}{:14.5f}{:14.5f}{:12.7f}{:12.7f}{:12.7f}\n", pose.tip.x(), pose.tip.y(), pose.tip.z(), pose.axis.x(),
                       pose.axis.y(), pose.axis.z());
        }
    }
    if (options.json) {
        fmt::print("{}\n", json_text({{"rows", rows}}));
    }
    return exit_fine;
}

namespace {

/// "machines/NAME.json": how a file of a project is named in it.
std::string project_path_of(const std::string& file)
{
    const std::size_t name = file.rfind('/');
    const std::size_t folder = name == std::string::npos || name == 0 ? std::string::npos : file.rfind('/', name - 1);
    return folder == std::string::npos ? file : file.substr(folder + 1);
}

ordered_json found_json(const Machine& drawing, const Calibration& found)
{
    auto joints = ordered_json::object();
    for (std::size_t i = 0; i < drawing.joints.size(); ++i) {
        const Joint& before = drawing.joints[i];
        const Joint& joint = found.machine.joints[i];
        if (joint.kind == JointKind::rotary) {
            const Vec3 off = joint.point - before.point;
            joints[joint.id] = {{"zero_deg", to_deg(joint.at - before.at)},
                                {"axis_off_mm", (off - before.direction * before.direction.dot(off)).norm()},
                                {"axis_leant_deg", to_deg(angle_between(joint.direction, before.direction))}};
        }
    }
    return joints;
}

} // namespace

int calibrate_command(const CalibrateOptions& options)
{
    const MachineOptions& given = options.given;
    const auto loaded = load(given);
    if (!loaded) {
        return fail(loaded.error(), given.json);
    }
    const auto measured = measurements_of(loaded->machine, loaded->table, given.tool_length, given.table);
    if (!measured) {
        return fail(measured.error(), given.json);
    }
    const auto found = calibrate(loaded->machine, *measured);
    if (!found) {
        return fail(found.error(), given.json);
    }
    const Machine& drawing = loaded->machine;
    const bool wrong = !found->wrong_senses.empty();
    if (!options.out.empty() && !wrong) {
        RealFileSystem files;
        const auto set = files.begin_files();
        const auto sink = set->add(options.out);
        Status status =
            sink ? (*sink)->write(overlay_text(drawing, *found, project_path_of(given.machine),
                                               options.name.empty() ? "measured by " + project_path_of(given.table) : options.name))
                 : Status(sink.error());
        status = status ? set->commit() : status;
        if (!status) {
            return fail(status.error(), given.json);
        }
    }
    const Vec3 gauge = gauge_shift(drawing, *found);
    const Place worst = (*measured)[found->worst].place;
    if (given.json) {
        fmt::print("{}\n", json_text({{"positions", measured->size()},
                                      {"joints", found_json(drawing, *found)},
                                      {"gauge_point_mm", {gauge.x(), gauge.y(), gauge.z()}},
                                      {"rms_before_mm", found->rms_before},
                                      {"rms_after_mm", found->rms_after},
                                      {"worst_after_mm", found->worst_after},
                                      {"worst", place_json(worst)},
                                      {"wrong_senses", found->wrong_senses},
                                      {"undetermined", found->undetermined}}));
        return wrong ? exit_findings : exit_fine;
    }
    fmt::print("{} by {} positions\n", drawing.name, measured->size());
    if (wrong) {
        fmt::print("  error    {} the other way than the machine says; without that the positions miss by {:.4f} mm rms\n"
                   "           cure: turn \"direction\" round in the machine's file, or \"reading\", then measure again\n",
                   found->wrong_senses.size() == 1 ? found->wrong_senses[0] + " turns"
                                                   : fmt::format("{} turn", fmt::join(found->wrong_senses, " and ")),
                   found->rms_after);
        return exit_findings;
    }
    for (const std::string& line : description_of(drawing, *found)) {
        fmt::print("  {}\n", line);
    }
    fmt::print("  error    {:.4f} mm rms by the drawing, {:.4f} mm now, at most {:.4f} mm ({})\n", found->rms_before, found->rms_after,
               found->worst_after, worst.text());
    if (!found->undetermined.empty()) {
        fmt::print("  open     {}: as the drawing has it; measure at more readings\n", fmt::join(found->undetermined, ", "));
    }
    if (!options.out.empty()) {
        fmt::print("  written: {}\n", options.out);
    }
    return exit_fine;
}

} // namespace wexilum::cli
