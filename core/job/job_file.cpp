#include "core/job/assembly.hpp"

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"
#include "core/base/plain_text.hpp"
#include "core/base/units.hpp"
#include "core/task/arrange.hpp"

#include <fmt/format.h>

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
    fields.text("free", out.free);
    double lean = 0;
    if (fields.number("lean", lean, {0, 5 / units.angle * pi / 180})) {
        out.lean = lean * units.angle;
    }
    fields.finish();
}

/// Directions that may depart from the wound ones belong to poses of their own.
void chords_where_it_departs(JobOperation& operation)
{
    if (operation.arrangement.wrap) {
        operation.arrangement.wrap->in_chords = operation.settings.pole_lean > 0 || !operation.posture.attachment.empty();
    }
}

/// A copy of an operation, with what it says of itself.
JobOperation read_copy(const CopyWish& copy, const JobOperation& operation, std::size_t number, const FileUnits& units,
                       json::Problems& problems, const json::Document& document)
{
    JobOperation made = operation;
    made.id += fmt::format(".{}", number);
    made.arrangement.placement = copy.placement;
    if (copy.node->find("work") != nullptr) {
        Fields own(*copy.node, "the copy", problems);
        own.text("work", made.work);
    }
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
    return made;
}

/// An operation and its copies.
void read_operation(const Node& node, const FileUnits& units, json::Problems& problems, const json::Document& document, JobFile& file)
{
    Fields fields(node, "the operation", problems);
    JobOperation operation;
    operation.place = document.place_of(node.begin);
    fields.text("id", operation.id, true);
    fields.text("name", operation.name, true);
    project_path(fields, "toolpath", operation.toolpath);
    fields.text("work", operation.work);
    read_settings(fields, units, problems, operation.settings);
    FrameKind frame = FrameKind::joints;
    if (read_frame(fields, "frame", frame)) {
        operation.settings.frame = frame;
    }
    read_posture(fields, units, problems, document, operation.posture);
    operation.links = read_links(fields, units, document);
    const JobWriting::Sections sections = read_sections(fields, problems, true);
    operation.arrangement.wrap = read_wrap(fields, units);
    operation.arrangement.follow = read_follow(fields, units);
    operation.arrangement.data = read_other_data(fields);
    const std::vector<CopyWish> copies = read_copies(fields, units);
    fields.finish();
    chords_where_it_departs(operation);
    file.job.operations.push_back(operation);
    file.writing.by_operation.push_back(sections);
    std::size_t number = 1;
    for (const CopyWish& copy : copies) {
        file.job.operations.push_back(read_copy(copy, operation, ++number, units, problems, document));
        file.writing.by_operation.push_back(sections);
    }
}

} // namespace

Result<JobFile> read_job(const json::Document& document)
{
    json::Problems problems(document);
    Fields root(document.root(), "the job", problems);
    JobFile file;
    Job& job = file.job;
    JobWriting& writing = file.writing;
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
    root.text("work_offset", job.work_offset);
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
        "operations", [&](const Node& node) { read_operation(node, units, problems, document, file); }, true);
    job.links = read_links(root, units, document);
    writing.sections = read_sections(root, problems, true);
    writing.options = read_job_options(root, problems);
    root.finish();
    if (!problems.any() && job.operations.empty()) {
        problems.add(*document.root().find("operations"), "the job has no operation", "list at least one toolpath");
    }
    if (problems.any()) {
        return problems.status().error();
    }
    return file;
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

} // namespace wexilum
