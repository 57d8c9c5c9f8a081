#include "core/project/code_parts.hpp"

#include "core/base/guarded.hpp"
#include "core/controller/table_check.hpp"
#include "core/follow/move_times.hpp"
#include "core/machine/aligned.hpp"
#include "core/machine/surface_file.hpp"
#include "core/project/load_part.hpp"
#include "core/replay/replay_run.hpp"
#include "core/task/zero_taken.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

Error misfit(std::string message, const std::string& file, std::string cure)
{
    return {ErrorKind::value, std::move(message), {file, 0, 0}, std::move(cure)};
}

Status check_fit(CodeParts& parts, const CodePartFiles& paths)
{
    const Machine& machine = parts.assembly.machine;
    const Controller& controller = parts.assembly.controller;
    if (controller.table) {
        if (const Status status = check_columns(*controller.table, machine); !status) {
            return misfit(status.error().message, paths.controller, status.error().cure);
        }
    }
    std::string missing;
    std::size_t found = 0;
    for (const auto& [address, id] : controller.axes) {
        const auto joint = machine.find_joint(id);
        if (!joint) {
            missing += fmt::format("{}{}", missing.empty() ? "" : ", ", address);
            continue;
        }
        ++found;
        if (const Status status = check_leads(machine, id, "the controller has an address for"); !status) {
            return misfit(status.error().message, paths.controller, status.error().cure);
        }
        if (controller.turn_reading(id) != TurnReading::wound && machine.joints[joint->value].kind != JointKind::rotary) {
            return misfit(fmt::format("the controller reads the words of {} as places on a circle, but that joint is linear", id),
                          paths.controller, "write the joint's name alone under \"axes\"");
        }
    }
    if (found == 0) {
        return misfit("none of the controller's axes is a joint of the machine", paths.controller,
                      "read the code with the controller of this machine");
    }
    if (!missing.empty()) {
        parts.remarks.push_back(fmt::format("the machine has no joint for the controller's {}", missing));
    }
    for (const AlignedJoints& group : controller.aligned) {
        if (const Status status = check_aligned(machine, group.joints); !status) {
            return misfit(status.error().message, paths.controller, status.error().cure);
        }
    }
    if (!parts.has_setup) {
        parts.remarks.emplace_back("no setup is given: work offsets and tool lengths count as 0");
        return {};
    }
    const Setup& setup = parts.assembly.setup;
    for (const auto& [name, values] : setup.offsets) {
        for (const auto& [id, value] : values) {
            if (!machine.find_joint(id)) {
                return misfit(fmt::format("the offset register {} names the joint \"{}\", which the machine does not have", name, id),
                              paths.setup, "remove it, or correct the name");
            }
        }
    }
    return {};
}

} // namespace

Result<CodeParts> open_code_parts(const FileSystem& files, const CodePartFiles& paths)
{
    return guarded([&]() -> Result<CodeParts> {
        CodeParts out;
        Assembly& a = out.assembly;
        a.post.machine = a.machine_file = paths.machine;
        a.post.controller = paths.controller;
        a.job.setup = paths.setup;
        out.has_setup = !paths.setup.empty();
        Status status = load(files, "", paths.machine, read_machine, a.machine);
        status = status ? load_surfaces(files, project_of(paths.machine), a.machine.bodies) : status;
        status = status ? load(files, "", paths.controller, read_controller, a.controller) : status;
        status = status ? check_witnesses(a.controller, paths.controller) : status;
        if (status && out.has_setup) {
            status = load(files, "", paths.setup, read_setup, a.setup);
            status = status ? load_surfaces(files, project_of(paths.setup), a.setup) : status;
            status = status ? take_centres(a.setup, a.machine) : status;
            status = status ? settle_zeros(a) : status;
        }
        status = status ? check_fit(out, paths) : status;
        if (!status) {
            return status.error();
        }
        return out;
    });
}

Result<CodeReading> read_code(const CodeParts& parts, const std::vector<CodeStream>& code, const CodeRunOptions& options,
                              ReplayTrack* track)
{
    return guarded([&]() -> Result<CodeReading> {
        const Machine& machine = parts.assembly.machine;
        auto follower = Follower::make(machine, parts.assembly.setup);
        if (!follower) {
            return follower.error();
        }
        CodeReading out;
        CodeReader reader(machine, out);
        follower->add(reader);
        if (track != nullptr) {
            follower->add(*track);
        }
        MoveTimes times(machine, parts.assembly.controller, track);
        follower->add(times);
        CodeRunOptions each = options;
        for (const CodeStream& stream : code) {
            out.files.push_back(stream.name);
            times.begin_file(stream.name);
            const auto lines = run_code(parts.context(), stream, each, *follower, out.findings);
            if (!lines) {
                return lines.error();
            }
            each.before = *lines;
        }
        out.blocks = each.before - options.before;
        out.time = times.take();
        // Each change of tool is in both; before the first there may be time without a motion.
        const std::size_t before = out.time.tools.size() - out.tools.size();
        for (std::size_t i = 0; i < out.tools.size(); ++i) {
            out.tools[i].cutting = out.time.tools[before + i].time.cutting();
        }
        for (const Finding& finding : out.time.findings.list()) {
            out.findings.add(finding);
        }
        return out;
    });
}

} // namespace wexilum
