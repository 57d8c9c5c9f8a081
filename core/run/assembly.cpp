#include "core/run/assembly.hpp"

#include "core/base/file_units.hpp"
#include "core/base/guarded.hpp"
#include "core/base/plain_text.hpp"
#include "core/base/units.hpp"
#include "core/machine/aligned.hpp"
#include "core/machine/machine_parts.hpp"
#include "core/run/language_check.hpp"
#include "core/run/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

void read_settings(Fields& operation, const FileUnits& units, json::Problems& problems, OperationSettings& out)
{
    if (const Node* node = operation.node("pole", Kind::object)) {
        Fields fields(*node, "the operation's pole", problems);
        double value = 0;
        if (fields.number("lean", value, {0, 5 / units.angle * pi / 180})) {
            out.pole_lean = value * units.angle;
        }
        if (fields.number("lift", value, {0, 1e4})) {
            out.pole_lift = value * units.length;
        }
        fields.finish();
    }
    if (const Node* node = operation.node("reorient", Kind::object)) {
        Fields fields(*node, "the operation's reorient", problems);
        double value = 0;
        if (fields.number("clearance", value, {1e-3, 1e4}, true)) {
            out.reorient_clearance = value * units.length;
        }
        fields.finish();
    }
    operation.integer("subprogram", out.subprogram, 1, 99999999);
}

void read_posture(Fields& operation, const FileUnits& units, json::Problems& problems, const json::Document& document, PostureWish& out)
{
    const Node* node = operation.node("posture", Kind::object);
    if (node == nullptr) {
        return;
    }
    Fields fields(*node, "the posture", problems);
    out.place = document.place_of(node->begin);
    fields.text("attachment", out.attachment);
    read_joint_readings(fields, "set", units, true, document, out.set, out.forms);
    read_joint_readings(fields, "parked", units, false, document, out.parked, out.forms);
    double lean = 0;
    if (fields.number("lean", lean, {0, 5 / units.angle * pi / 180})) {
        out.lean = lean * units.angle;
    }
    fields.finish();
}

Error misfit(std::string message, const std::string& file, std::string cure)
{
    return {ErrorKind::value, std::move(message), {file, 0, 0}, std::move(cure)};
}

/// Directions that may depart from the wound ones belong to poses of their own.
void chords_where_it_departs(JobOperation& operation)
{
    if (operation.arrangement.wrap) {
        operation.arrangement.wrap->in_chords = operation.settings.pole_lean > 0 || !operation.posture.attachment.empty();
    }
}

} // namespace

Result<Job> read_job(const json::Document& document)
{
    json::Problems problems(document);
    Fields root(document.root(), "the job", problems);
    Job job;
    json::check_format(root, "job/1");
    const FileUnits units = read_units(root);
    if (root.text("name", job.name, true)) {
        if (const auto unfit = unfit_file_name(job.name)) {
            problems.add(*document.root().find("name"), *unfit,
                         "the program's file is called after the job: write a plain name, like \"side-bores\"");
        }
    }
    job.program = job.name;
    root.text("program", job.program);
    root.integer("number", job.number, 1, 99999999);
    project_path(root, "post", job.post);
    project_path(root, "setup", job.setup);
    if (root.has("overlay")) {
        project_path(root, "overlay", job.overlay);
    }
    root.text("work_offset", job.work_offset, true);
    if (const Node* node = root.node("tolerance", Kind::object)) {
        Fields fields(*node, "the tolerance", problems);
        double value = 0;
        if (fields.number("tip", value, {1e-6, 100}, true)) {
            job.tolerance.tip = value * units.length;
        }
        if (fields.number("axis", value, {1e-6, 90}, true)) {
            job.tolerance.axis = value * units.angle;
        }
        fields.finish();
    }
    FrameKind frame = FrameKind::joints;
    if (read_frame(root, "frame", frame)) {
        job.frame = frame;
    }
    root.each_item(
        "operations",
        [&](const Node& node) {
            Fields fields(node, "the operation", problems);
            JobOperation operation;
            operation.place = document.place_of(node.begin);
            fields.text("id", operation.id, true);
            fields.text("name", operation.name, true);
            project_path(fields, "toolpath", operation.toolpath);
            read_settings(fields, units, problems, operation.settings);
            if (read_frame(fields, "frame", frame)) {
                operation.settings.frame = frame;
            }
            read_posture(fields, units, problems, document, operation.posture);
            operation.links = read_links(fields, units, document);
            operation.sections = read_sections(fields, problems, true);
            operation.arrangement.wrap = read_wrap(fields, units);
            operation.arrangement.follow = read_follow(fields, units);
            operation.arrangement.data = read_other_data(fields);
            const std::vector<CopyWish> copies = read_copies(fields, units);
            fields.finish();
            chords_where_it_departs(operation);
            job.operations.push_back(operation);
            std::size_t number = 1;
            for (const CopyWish& copy : copies) {
                JobOperation made = operation;
                made.id += fmt::format(".{}", ++number);
                made.arrangement.placement = copy.placement;
                if (copy.node->find("data") != nullptr) {
                    Fields own(*copy.node, "the copy", problems);
                    made.arrangement.data = read_other_data(own);
                }
                if (copy.node->find("posture") != nullptr) {
                    Fields own(*copy.node, "the copy", problems);
                    made.posture = {};
                    read_posture(own, units, problems, document, made.posture);
                }
                chords_where_it_departs(made);
                job.operations.push_back(std::move(made));
            }
        },
        true);
    job.links = read_links(root, units, document);
    job.sections = read_sections(root, problems, true);
    job.options = read_job_options(root, problems);
    root.finish();
    if (!problems.any() && job.operations.empty()) {
        problems.add(*document.root().find("operations"), "the job has no operation", "list at least one toolpath");
    }
    if (problems.any()) {
        return problems.status().error();
    }
    return job;
}

const OperationSettings& settings_of(const Job& job, std::size_t begun)
{
    static const OperationSettings none;
    return begun == 0 || begun > job.operations.size() ? none : job.operations[begun - 1].settings;
}

Result<Post> read_post(const json::Document& document)
{
    json::Problems problems(document);
    Fields root(document.root(), "the post", problems);
    Post post;
    json::check_format(root, "post/1");
    root.text("name", post.name, true);
    root.text("version", post.version, true);
    project_path(root, "machine", post.machine);
    project_path(root, "controller", post.controller);
    project_path(root, "dialect", post.dialect);
    if (root.has("rulebook")) {
        project_path(root, "rulebook", post.rulebook);
    }
    post.options = read_option_descriptions(root, problems);
    root.texts("changes", post.changes);
    root.finish();
    if (problems.any()) {
        return problems.status().error();
    }
    return post;
}

std::vector<std::string> Assembly::joint_names() const
{
    std::vector<std::string> names;
    for (const Joint& joint : machine.joints) {
        names.push_back(joint.id);
    }
    return names;
}

double Assembly::offset(JointIndex joint) const
{
    const auto found = setup.offsets.find(job.work_offset);
    if (found == setup.offsets.end()) {
        return 0;
    }
    const auto value = found->second.find(machine.joints[joint.value].id);
    return value == found->second.end() ? 0 : value->second;
}

FrameKind Assembly::frame_of(std::size_t operation, bool turns) const
{
    const JobOperation* stated = operation < job.operations.size() ? &job.operations[operation] : nullptr;
    const bool wound = stated != nullptr && stated->arrangement.wrap;
    const FrameKind plain = turns ? dialect.turning_frame : dialect.standing_frame;
    const FrameKind style = wound && dialect.wound_frame != FrameKind::joints ? dialect.wound_frame : plain;
    const FrameKind asked = job.frame.value_or(style);
    const FrameKind kind = asked == FrameKind::cylinder && !wound ? plain : asked; // the job's or the dialect's is for those that are
    return stated != nullptr && stated->settings.frame ? *stated->settings.frame : kind;
}

namespace {

/// The coordinates that job and operations ask for must be such that the dialect can write.
Status check_frames(const Assembly& a)
{
    const auto check = [&](const std::optional<FrameKind>& kind, const std::string& who) -> Status {
        const auto lacks = kind ? a.dialect.lacks_for(*kind) : std::nullopt;
        return lacks ? Status(misfit(fmt::format("{} asks for \"{}\", which the dialect can't write: {}", who, name_of(*kind), *lacks),
                                     a.post.dialect, "add it to the dialect, or choose another \"frame\" in the job"))
                     : Status();
    };
    Status status = check(a.job.frame, "the job");
    for (const JobOperation& operation : a.job.operations) {
        if (operation.settings.frame == FrameKind::cylinder && !operation.arrangement.wrap) {
            return Error{ErrorKind::value, fmt::format("the operation {} asks for \"cylinder\", but it is not wound", operation.id),
                         operation.place, "give it a \"wrap\", or choose another \"frame\""};
        }
        status = status ? check(operation.settings.frame, fmt::format("the operation {}", operation.id)) : status;
    }
    return status;
}

/// Subprograms need their words, and numbers of their own.
Status check_subprograms(const Assembly& a)
{
    std::map<long long, const JobOperation*> first;
    for (const JobOperation& operation : a.job.operations) {
        const long long number = operation.settings.subprogram;
        if (number == 0) {
            continue;
        }
        for (const Function function : {Function::subprogram_call, Function::subprogram_return}) {
            if (!a.dialect.word(function)) {
                return misfit(fmt::format("the operation {} is to be the subprogram {}, but the dialect has no word for {}", operation.id,
                                          number, name_of(function)),
                              a.post.dialect, "add it under \"words\", or take \"subprogram\" out of the operation");
            }
        }
        const auto [taken, fresh] = first.emplace(number, &operation);
        const bool copy =
            !fresh && taken->second->place.line == operation.place.line && taken->second->place.column == operation.place.column;
        if (number == a.job.number || (!fresh && !copy)) {
            return Error{ErrorKind::value,
                         fmt::format("the number {} of the operation {}'s subprogram is that of {}", number, operation.id,
                                     number == a.job.number ? "the program" : "the operation " + taken->second->id),
                         operation.place, "give it a number of its own"};
        }
    }
    return {};
}

/// Statements of the job's sections may name joints, which the dialect must have.
Status check_sections(const Assembly& a)
{
    const auto check = [&](const std::map<std::string, std::optional<Section>>& sections) -> Status {
        for (const auto& [name, section] : sections) {
            for (const std::string& joint : section ? joints_of(*section) : std::vector<std::string>()) {
                if (!a.dialect.axes.contains(joint)) {
                    return misfit(
                        fmt::format("the section {} names \"{}\", which is no slot and no axis of the dialect", name, joint.substr(0, 40)),
                        a.job_file, "use feed, speed, tool, length-register, dwell, loop-count or a joint of the dialect's \"axes\"");
                }
            }
        }
        return {};
    };
    Status status = check(a.job.sections);
    for (const JobOperation& operation : a.job.operations) {
        status = status ? check(operation.sections) : status;
    }
    return status;
}

} // namespace

Status link(Assembly& a)
{
    return guarded([&]() -> Status {
        if (Status status = resolve_postures(a); !status) {
            return status;
        }
        auto solver = solver_of(a, a.postures.empty() ? a.machine.at_rest() : a.postures.front().posture);
        if (!solver) {
            return solver.error();
        }
        const Mount* work = a.machine.first_mount(MountKind::work);
        if (work->id != a.setup.holder) {
            return misfit(fmt::format("the part is held by \"{}\", the machine's work mount is \"{}\"", a.setup.holder, work->id),
                          a.job.setup, "name the machine's work mount under \"part\"");
        }
        const auto offsets = a.setup.offsets.find(a.job.work_offset);
        if (offsets == a.setup.offsets.end()) {
            return misfit(fmt::format("the setup has no offset register {}", a.job.work_offset), a.job.setup,
                          "add the register under \"offsets\", or name another one in the job");
        }
        if (!a.dialect.work_offsets.contains(a.job.work_offset)) {
            return misfit(fmt::format("the dialect has no word for the offset register {}", a.job.work_offset), a.post.dialect,
                          "add it under \"work_offsets\"");
        }
        for (const auto& [id, reads] : a.controller.turns) {
            const auto joint = a.machine.find_joint(id);
            if (joint && reads != TurnReading::wound && a.machine.joints[joint->value].kind != JointKind::rotary) {
                return misfit(fmt::format("the controller reads the words of {} as places on a circle, but that joint is linear", id),
                              a.post.controller, "write the joint's name alone under \"axes\"");
            }
        }
        for (const AlignedJoints& group : a.controller.aligned) {
            if (const Status status = check_aligned(a.machine, group.joints); !status) {
                return misfit(status.error().message, a.post.controller, status.error().cure);
            }
        }
        for (const JointIndex joint : commanded_joints(a)) {
            const std::string& id = a.machine.joints[joint.value].id;
            if (!a.dialect.axes.contains(id)) {
                return misfit(fmt::format("the dialect has no word for the joint \"{}\"", id), a.post.dialect, "add it under \"axes\"");
            }
            if (!a.controller.address_of(id)) {
                return misfit(fmt::format("the controller has no address for the joint \"{}\"", id), a.post.controller,
                              "add it under \"axes\"");
            }
            if (!offsets->second.contains(id)) {
                return misfit(fmt::format("the offset register {} has no value for the joint \"{}\"", a.job.work_offset, id), a.job.setup,
                              "state it, even where it is zero");
            }
        }
        for (const auto& [id, word] : a.dialect.mounts) {
            if (!a.machine.find_tool_mount(id)) {
                return misfit(fmt::format("the dialect has a word for the tool mount \"{}\", which the machine does not have", id),
                              a.post.dialect, "take it away, or correct the name");
            }
        }
        for (const auto& [id, words] : a.dialect.brakes) {
            const auto joint = a.machine.find_joint(id);
            if (!joint || !a.machine.joints[joint->value].brake) {
                return misfit(fmt::format("the dialect has words for a brake of \"{}\", which the machine does not have", id),
                              a.post.dialect, "take them away, or give the joint its \"brake\" in the machine");
            }
        }
        for (const auto& [register_name, forms] : a.setup.offset_forms) {
            if (Status status = check_forms(a.machine, forms); !status) {
                return status;
            }
        }
        if (Status status = check_forms(a.machine, a.controller.change_forms); !status) {
            return status;
        }
        if (const auto errors = language_errors(a.controller, a.dialect, a.post.dialect); !errors.empty()) {
            return errors.front();
        }
        for (const auto& [register_name, values] : a.setup.offsets) {
            for (const auto& [id, value] : values) {
                if (!a.machine.find_joint(id)) {
                    return misfit(
                        fmt::format("the offset register {} names the joint \"{}\", which the machine does not have", register_name, id),
                        a.job.setup, "take it away or correct the name");
                }
            }
        }
        if (a.dialect.length_by_register && (!a.machine.find_joint(a.dialect.length_joint) || !a.dialect.word(Function::length_on))) {
            return misfit("the dialect writes tool lengths by register but has no length-on word or no such length joint", a.post.dialect,
                          "add \"length-on\" under \"words\" and name the \"length_joint\", or write \"tool_length\": \"in-coordinates\"");
        }
        if (Status status = check_sections(a); !status) {
            return status;
        }
        if (Status status = check_subprograms(a); !status) {
            return status;
        }
        if (Status status = check_frames(a); !status) {
            return status;
        }
        if (Status status = resolve_links(a); !status) {
            return status;
        }
        auto options = resolve_options(a.post.options, a.job.options);
        if (!options) {
            return options.error();
        }
        a.options = std::move(*options);
        a.solver = std::move(*solver);
        return {};
    });
}

} // namespace wexilum
