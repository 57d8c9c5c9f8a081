#include "core/job/assembly.hpp"

#include "core/base/file_units.hpp"
#include "core/base/guarded.hpp"
#include "core/base/plain_text.hpp"
#include "core/base/units.hpp"
#include "core/controller/table_check.hpp"
#include "core/job/language_check.hpp"
#include "core/machine/aligned.hpp"
#include "core/machine/machine_parts.hpp"
#include "core/task/postures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

Error misfit(std::string message, const std::string& file, std::string cure)
{
    return {ErrorKind::value, std::move(message), {file, 0, 0}, std::move(cure)};
}

} // namespace

namespace {

constexpr double share_of_lines = 0.5; // of the job's tolerance, where rows come by a clock
constexpr double share_of_rows = 0.4;

Tolerance part_of(const Tolerance& tolerance, double share) { return {tolerance.tip * share, tolerance.axis * share}; }

} // namespace

Tolerance Assembly::line_tolerance() const
{
    return controller.table && controller.table->interval > 0 ? part_of(job.tolerance, share_of_lines) : job.tolerance;
}

Tolerance Assembly::row_tolerance() const { return part_of(job.tolerance, share_of_rows); }

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
    for (std::size_t i = 0; i < a.postures.size() && status; ++i) {
        if (a.postures[i].posture.spare && (of_the_tip(a.frame_of(i, true)) || of_the_tip(a.frame_of(i, false)))) {
            return Error{ErrorKind::unsupported,
                         fmt::format("the operation {} leaves a joint free and is written in coordinates of the tip: that is not known yet",
                                     a.job.operations[i].id),
                         a.job.operations[i].place, "write it with \"frame\": \"joints\", or park the joint"};
        }
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
                    return misfit(fmt::format("the section {} names \"{}\", which is neither a slot nor an axis of the dialect", name,
                                              joint.substr(0, 40)),
                                  a.job_file,
                                  "use feed, speed, tool, length-register, dwell, loop-count or a joint of the dialect's \"axes\"");
                }
            }
        }
        return {};
    };
    Status status = check(a.writing.sections);
    for (const JobWriting::Sections& sections : a.writing.by_operation) {
        status = status ? check(sections) : status;
    }
    return status;
}

/// How often the job wants a loop of its program done: what its options say that are declared for that, times each other.
std::optional<double> loops_of(const Assembly& a)
{
    std::optional<double> out;
    for (const OptionDescription& option : a.post.options) {
        const auto value = a.options.find(option.name);
        if (option.loops && value != a.options.end() && std::holds_alternative<double>(value->second)) {
            out = out.value_or(1) * std::get<double>(value->second);
        }
    }
    return out;
}

/// The registers of their zeros.
Status check_work(const Assembly& a)
{
    for (std::uint32_t work = 0; work < a.setup.works.size(); ++work) {
        const std::string& name = a.register_of(work);
        if (name.empty()) {
            return misfit("the job does not say in which register its part's zero is", a.job_file, "name it under \"work_offset\"");
        }
        if (!a.setup.offsets.contains(name)) {
            return misfit(fmt::format("the setup has no offset register {}", name), a.job.setup,
                          "add the register under \"offsets\", or name another one in the job");
        }
        if (!a.dialect.work_offsets.contains(name)) {
            return misfit(fmt::format("the dialect has no word for the offset register {}", name), a.post.dialect,
                          "add it under \"work_offsets\"");
        }
    }
    return {};
}

/// Words and offsets of the joints that the program moves. Precondition: check_work().
Status check_axes(const Assembly& a)
{
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
    for (const auto& [address, id] : a.controller.axes) {
        if (const Status status = check_leads(a.machine, id, "the controller has an address for"); !status) {
            return misfit(status.error().message, a.post.controller, status.error().cure);
        }
    }
    for (const JointIndex joint : commanded_joints(a)) {
        const std::string& id = a.machine.joints[joint.value].id;
        if (a.controller.table && !a.controller.address_of(id)) {
            return misfit(fmt::format("the control's table has no column for the joint \"{}\"", id), a.post.controller,
                          "add it under \"columns\"; more than twelve can't be written yet");
        }
        if (!a.dialect.axes.contains(id)) {
            return misfit(fmt::format("the dialect has no word for the joint \"{}\"", id), a.post.dialect, "add it under \"axes\"");
        }
        if (!a.controller.address_of(id)) {
            return misfit(fmt::format("the controller has no address for the joint \"{}\"", id), a.post.controller,
                          "add it under \"axes\"");
        }
        for (std::uint32_t work = 0; work < a.setup.works.size(); ++work) {
            const std::string& name = a.register_of(work);
            if (!a.setup.offsets.at(name).contains(id)) {
                return misfit(fmt::format("the offset register {} has no value for the joint \"{}\"", name, id), a.job.setup,
                              "state it, even where it is zero");
            }
        }
    }
    return {};
}

/// What the files name of each other.
Status check_names(const Assembly& a)
{
    for (const auto& [id, word] : a.dialect.mounts) {
        if (!a.machine.find_tool_mount(id)) {
            return misfit(fmt::format("the dialect has a word for the tool mount \"{}\", which the machine does not have", id),
                          a.post.dialect, "remove it, or correct the name");
        }
    }
    for (const auto& [id, words] : a.dialect.brakes) {
        const auto joint = a.machine.find_joint(id);
        if (!joint || !a.machine.joints[joint->value].brake) {
            return misfit(fmt::format("the dialect has words for a brake of \"{}\", which the machine does not have", id), a.post.dialect,
                          "remove them, or give the joint its \"brake\" in the machine");
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
                    a.job.setup, "remove it or correct the name");
            }
            if (const Status status = check_leads(a.machine, id, fmt::format("the offset register {} names", register_name)); !status) {
                return misfit(status.error().message, a.job.setup, status.error().cure);
            }
        }
    }
    if (a.dialect.length_by_register && (!a.machine.find_joint(a.dialect.length_joint) || !a.dialect.word(Function::length_on))) {
        return misfit("the dialect writes tool lengths by register but has no length-on word or no such length joint", a.post.dialect,
                      "add \"length-on\" under \"words\" and name the \"length_joint\", or write \"tool_length\": \"in-coordinates\"");
    }
    return {};
}

/// Sections, subprograms and coordinates, and then the links, which lead by them.
Status check_writing(Assembly& a)
{
    Status status = check_sections(a);
    status = status ? check_subprograms(a) : status;
    status = status ? check_frames(a) : status;
    return status ? resolve_links(a) : status;
}

/// A control that reads tables counts from the machine's zero, and its language is written by columns: the neutral language that the
/// program is planned in gets the letters and zeros for that.
Status settle_table(Assembly& a)
{
    if (a.controller.table.has_value() != a.dialect.table.has_value()) {
        return misfit(a.controller.table ? "the control reads a table, and the dialect writes words"
                                         : "the dialect writes a table, and the control reads words",
                      a.post.dialect, "name a dialect and a controller of one kind in the post");
    }
    if (!a.controller.table) {
        return {};
    }
    a.dialect.axes.clear();
    for (const auto& [letter, id] : a.controller.axes) {
        a.dialect.axes[id] = {letter, 1};
    }
    if (const Status status = check_columns(*a.controller.table, a.machine); !status) {
        return misfit(status.error().message, a.post.controller, status.error().cure);
    }
    a.job.work_offset = neutral_register;
    for (Work& work : a.setup.works) {
        work.work_offset.clear();
    }
    auto& zeros = a.setup.offsets[neutral_register];
    for (const auto& [letter, id] : a.controller.axes) {
        if (a.machine.find_joint(id)) {
            zeros[id] = 0;
        }
    }
    return {};
}

/// A table has no place for what a person is told.
Status check_nobody_asked(const Assembly& a)
{
    for (std::size_t i = 0; i < a.postures.size(); ++i) {
        const Posture before = i == 0 ? a.machine.at_rest() : a.postures[i - 1].posture;
        const record::PostureChange change = change_between(a.machine, before, a.postures[i].posture);
        if (change.fitted || !change.by_hand.empty() || !a.postures[i].stated.empty() || !a.postures[i].open.empty()) {
            return Error{ErrorKind::value, "the operation needs a person to fit or set something, which a table can't tell",
                         a.job.operations[i].place, "write the job for a control that reads words"};
        }
    }
    return {};
}

} // namespace

Status link(Assembly& a)
{
    return guarded([&]() -> Status {
        a.machine_file = a.post.machine;
        Status status = settle_table(a);
        status = status ? check_works(a) : status;
        status = status ? resolve_postures(a) : status;
        status = status && a.controller.table ? check_nobody_asked(a) : status;
        if (!status) {
            return status;
        }
        auto solver = solver_of(a, a.postures.empty() ? a.machine.at_rest() : a.postures.front().posture);
        if (!solver) {
            return solver.error();
        }
        status = check_work(a);
        status = status ? check_axes(a) : status;
        status = status ? check_names(a) : status;
        status = status ? check_writing(a) : status;
        if (!status) {
            return status;
        }
        auto options = resolve_options(a.post.options, a.writing.options);
        if (!options) {
            return options.error();
        }
        a.options = std::move(*options);
        a.loops = loops_of(a);
        a.solver = std::make_shared<const InverseSolver>(std::move(*solver));
        return {};
    });
}

} // namespace wexilum
