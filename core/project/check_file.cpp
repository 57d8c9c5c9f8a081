// What a file of any format says, and what is wrong with it.
#include "core/advice/reach.hpp"
#include "core/base/guarded.hpp"
#include "core/base/json_document.hpp"
#include "core/job/language_check.hpp"
#include "core/machine/overlay.hpp"
#include "core/machine/surface_file.hpp"
#include "core/machine/witness_advice.hpp"
#include "core/project/load_part.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/rules/rulebook.hpp"
#include "core/toolpath/toolpath_formats.hpp"

#include <fmt/format.h>

#include <map>

namespace wexilum {
namespace {

std::string counted(std::size_t n, const char* what) { return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s"); }

Result<CheckedFile> check_toolpath(const FileSystem& files, const std::string& path)
{
    auto source = files.open(path);
    if (!source) {
        return source.error();
    }
    CheckedFile out{path.substr(path.rfind('.') + 1), "", {}};
    std::size_t records = 0;
    std::size_t motions = 0;
    std::map<std::string, std::size_t> unknown;
    const auto reader = open_toolpath(**source, path, 0);
    const Status status = each_record(*reader, [&](const Record& record) {
        ++records;
        motions += end_pose(record.data) != nullptr ? 1 : 0;
        if (const auto* word = std::get_if<record::Unknown>(&record.data)) {
            if (unknown[word->word]++ == 0) {
                out.remarks.push_back(
                    fmt::format("{}:{}: {} is not understood and will have no effect", path, record.source.line.value, word->word));
            }
        }
    });
    if (!status) {
        return status.error();
    }
    out.summary = fmt::format("toolpath: {}, {} of motion", counted(records, "record"), motions);
    return out;
}

/// The first error, the others as remarks behind it. Precondition: there is one.
Error all_in_one(const std::vector<Error>& errors)
{
    Error first = errors[0];
    for (std::size_t i = 1; i < errors.size(); ++i) {
        first.cure.append("\n").append(errors[i].text());
    }
    return first;
}

/// Errors as what one file's check reports.
Result<CheckedFile> with_errors(CheckedFile checked, const std::vector<Error>& errors)
{
    if (errors.empty()) {
        return checked;
    }
    return all_in_one(errors);
}

Result<CheckedFile> check_rules(const FileSystem& files, const std::string& path)
{
    const auto text = files.read_all(path, most_rulebook_bytes);
    if (!text) {
        return text.error();
    }
    const auto lines = std::size_t(std::count(text->begin(), text->end(), '\n'));
    return with_errors({"lua", fmt::format("rules: {}, every name is known", counted(lines, "line")), {}},
                       check_rule_text(*text, path, nullptr));
}

/// An error in a part of a file, reported where the file names that part; one of its own at its place.
Error in_part(Error error, const std::string& path, const json::Document& document)
{
    const std::string& part = error.place.file;
    if (!part.empty() && path.ends_with(part)) {
        error.place.file = path;
        return error;
    }
    error.message = fmt::format("{}: {}", error.place.text(), error.message);
    const json::Node* named = &document.root();
    for (const auto& [key, value] : document.root().members) {
        named = value.kind == json::Kind::string && value.text == part ? &value : named;
    }
    error.place = document.place_of(named->begin);
    error.place.file = path;
    return error;
}

/// What a job's parts make of it, where it lies in a project.
Result<std::vector<std::string>> remarks_on_job(const FileSystem& files, const std::string& path, const json::Document& document)
{
    const std::string folder = project_of(path);
    if (!files.open(folder + "/project.json")) {
        return std::vector<std::string>();
    }
    const std::size_t name = path.rfind('/') == std::string::npos ? 0 : path.rfind('/') + 1;
    const std::size_t end = path.rfind(".json");
    const auto assembly = load_job(files, folder, path.substr(name, end == std::string::npos ? end : end - name));
    if (!assembly) {
        return in_part(assembly.error(), path, document);
    }
    if (const Status status = sole_output(files, folder, assembly->job, assembly->job_file); !status) {
        return in_part(status.error(), path, document);
    }
    return box_remarks(*assembly);
}

/// The definitions that a post brings together, each by itself and held against each other.
Status check_definitions(const FileSystem& files, const std::string& folder, const Post& post)
{
    Machine machine;
    Controller controller;
    Dialect dialect;
    Status status = load(files, folder, post.machine, read_machine, machine);
    status = status ? load(files, folder, post.controller, read_controller, controller) : status;
    status = status ? check_witnesses(controller, post.controller) : status;
    status = status ? load(files, folder, post.dialect, read_dialect, dialect) : status;
    if (!status) {
        return status;
    }
    const auto errors = language_errors(controller, dialect, post.dialect);
    if (errors.empty()) {
        return {};
    }
    return all_in_one(errors);
}

std::string witnesses_hold(std::size_t count) { return counted(count, "witness reading") + (count == 1 ? " holds" : " hold"); }

/// An overlay with the machine that it names.
Result<CheckedFile> check_overlay(const FileSystem& files, const std::string& path, const json::Document& document)
{
    const auto named = machine_of_overlay(document);
    if (!named) {
        return named.error();
    }
    Machine machine;
    if (const Status status = load(files, project_of(path), *named, read_machine, machine); !status) {
        Error error = status.error();
        error.message = fmt::format("{}: {}", error.place.text(), error.message);
        error.place = document.place_of(document.root().find("machine")->begin);
        return error;
    }
    const auto laid = with_overlay(machine, *named, document);
    if (!laid) {
        return laid.error();
    }
    return CheckedFile{"overlay/1", fmt::format("overlay of machine {}: {}", laid->name, witnesses_hold(laid->witnesses.size())), {}};
}

/// A post with its rulebook, whose path begins at the project's folder: the one that "posts" lies in.
Result<CheckedFile> check_post(const FileSystem& files, const std::string& path, const json::Document& document)
{
    const auto post = read_post(document);
    if (!post) {
        return post.error();
    }
    CheckedFile out{"post/1", fmt::format("post {} {}", post->name, post->version), {}};
    if (files.open(project_of(path) + "/project.json")) {
        if (const Status status = check_definitions(files, project_of(path), *post); !status) {
            return in_part(status.error(), path, document);
        }
    }
    if (post->rulebook.empty()) {
        return out;
    }
    const auto rulebook = load_rulebook(files, project_of(path), post->rulebook);
    const auto options = resolve_options(post->options, {});
    if (!rulebook) {
        Error error = rulebook.error();
        error.message = fmt::format("{}: {}", error.place.text(), error.message);
        error.place = document.place_of(document.root().find("rulebook")->begin);
        return error;
    }
    if (!options) {
        return options.error();
    }
    out.summary += fmt::format(", {}, rulebook of {}", counted(post->options.size(), "option"), counted(rulebook->files.size(), "file"));
    return with_errors(std::move(out), check_rulebook(*rulebook, *options));
}

/// What `say` makes of what has been read.
template <typename T, typename Say>
Result<CheckedFile> checked(const json::Document& document, const Result<T>& read, const Say& say)
{
    if (!read) {
        return read.error();
    }
    CheckedFile out{json::format_of(document), "", {}};
    out.summary = say(*read, out.remarks);
    return out;
}

using Remarks = std::vector<std::string>;

Result<CheckedFile> check_machine(const FileSystem& files, const std::string& path, const json::Document& document)
{
    auto machine = read_machine(document);
    if (const Status status = machine ? load_surfaces(files, project_of(path), machine->bodies) : Status(); !status) {
        return status.error();
    }
    return checked(document, machine, [&](const Machine& m, Remarks& remarks) {
        remarks = reach_remarks(m);
        for (std::string& remark : witness_remarks(m, units_of(document))) {
            remarks.push_back(std::move(remark));
        }
        return fmt::format("machine {}: {}, {}", m.name, counted(m.joints.size(), "joint"), witnesses_hold(m.witnesses.size()));
    });
}

Result<CheckedFile> check_controller(const FileSystem& /*files*/, const std::string& path, const json::Document& document)
{
    const auto controller = read_controller(document);
    if (const Status status = controller ? check_witnesses(*controller, path) : Status(); !status) {
        return status.error();
    }
    return checked(document, controller, [](const Controller& c, Remarks&) {
        return fmt::format("controller {}: {}, {}", c.name,
                           c.table ? "a table of " + counted(c.table->columns.size(), "column") : counted(c.words.size(), "word"),
                           witnesses_hold(c.witnesses.size()));
    });
}

Result<CheckedFile> check_dialect(const FileSystem& /*files*/, const std::string& /*path*/, const json::Document& document)
{
    return checked(document, read_dialect(document), [](const Dialect& d, Remarks&) {
        if (d.table) {
            return fmt::format("dialect {}: writes a table", d.name);
        }
        return fmt::format("dialect {}: {}, {}", d.name, counted(d.words.size(), "word"), counted(d.sections.size(), "section"));
    });
}

Result<CheckedFile> check_setup(const FileSystem& /*files*/, const std::string& /*path*/, const json::Document& document)
{
    return checked(document, read_setup(document), [](const Setup& s, Remarks&) {
        return fmt::format("setup {}: {}, {}", s.name, counted(s.tools.size(), "tool"), counted(s.offsets.size(), "offset register"));
    });
}

Result<CheckedFile> check_job(const FileSystem& files, const std::string& path, const json::Document& document)
{
    const auto job = read_job(document);
    Result<Remarks> found = job ? remarks_on_job(files, path, document) : Result<Remarks>(Remarks());
    if (!found) {
        return found.error();
    }
    return checked(document, job, [&](const JobFile& j, Remarks& remarks) {
        remarks = std::move(*found);
        return fmt::format("job {}: {}", j.job.name, counted(j.job.operations.size(), "operation"));
    });
}

Result<CheckedFile> check_project(const FileSystem& /*files*/, const std::string& /*path*/, const json::Document& document)
{
    return checked(document, read_project(document), [](const Project& p, Remarks&) { return fmt::format("project {}", p.name); });
}

/// Who checks a format, by the first key of its files.
struct FormatCheck {
    const char* format;
    Result<CheckedFile> (*check)(const FileSystem& files, const std::string& path, const json::Document& document);
};
constexpr std::array<FormatCheck, 8> format_checks{{{"machine/1", check_machine},
                                                    {"overlay/1", check_overlay},
                                                    {"controller/1", check_controller},
                                                    {"dialect/1", check_dialect},
                                                    {"setup/1", check_setup},
                                                    {"job/1", check_job},
                                                    {"post/1", check_post},
                                                    {"project/1", check_project}}};

} // namespace

Result<CheckedFile> check_file(const FileSystem& files, const std::string& path)
{
    return guarded([&]() -> Result<CheckedFile> {
        if (const ToolpathFormat* toolpath = toolpath_format_of(path); toolpath != nullptr && toolpath->in_jobs) {
            return check_toolpath(files, path);
        }
        if (path.ends_with(".lua")) {
            return check_rules(files, path);
        }
        auto document = load_document(files, "", path);
        if (!document) {
            return document.error();
        }
        const std::string format = json::format_of(*document);
        const auto found =
            std::find_if(format_checks.begin(), format_checks.end(), [&](const FormatCheck& one) { return format == one.format; });
        if (found != format_checks.end()) {
            return found->check(files, path, *document);
        }
        return Error{
            ErrorKind::value, fmt::format("\"{}\" is not a format of this program", format.substr(0, 40)), document->place_of(0),
            "the first key of a file is \"format\": machine/1, overlay/1, controller/1, dialect/1, setup/1, job/1, post/1 or project/1; "
            "toolpaths end in .cl or .wtp"};
    });
}

} // namespace wexilum
