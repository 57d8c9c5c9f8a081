#include "core/project/project.hpp"

#include "core/advice/aligned_choice.hpp"
#include "core/advice/reach.hpp"
#include "core/base/guarded.hpp"
#include "core/base/json_document.hpp"
#include "core/job/language_check.hpp"
#include "core/machine/overlay.hpp"
#include "core/machine/surface_file.hpp"
#include "core/machine/witness_advice.hpp"
#include "core/project/load_part.hpp"
#include "core/replay/replay_run.hpp"
#include "core/rules/rulebook.hpp"
#include "core/task/arrange.hpp"
#include "core/task/zero_taken.hpp"
#include "core/toolpath/readers/cl_reader.hpp"

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
    Toolpath toolpath;
    if (auto status = read_cl(**source, path, toolpath); !status) {
        return status.error();
    }
    CheckedFile out{"cl", "", {}};
    std::size_t motions = 0;
    std::map<std::string, std::size_t> unknown;
    for (const Record& record : toolpath.records) {
        motions += end_pose(record.data) != nullptr ? 1 : 0;
        if (const auto* word = std::get_if<record::Unknown>(&record.data)) {
            if (unknown[word->word]++ == 0) {
                out.remarks.push_back(
                    fmt::format("{}:{}: {} is not understood and will have no effect", path, record.source.line.value, word->word));
            }
        }
    }
    out.summary = fmt::format("toolpath: {}, {} of motion", counted(toolpath.records.size(), "record"), motions);
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

/// Errors as what one file's check tells.
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

/// An error in a part of a file, told where the file names that part; one of its own at its place.
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
    return CheckedFile{
        "overlay/1", fmt::format("overlay of machine {}: {} hold", laid->name, counted(laid->witnesses.size(), "witness reading")), {}};
}

/// A post with its rulebook, whose folder is told from the project's folder: the one that "posts" lies in.
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

} // namespace

Result<Project> read_project(const json::Document& document)
{
    json::Problems problems(document);
    json::Fields root(document.root(), "the project", problems);
    Project project;
    json::check_format(root, "project/1");
    root.text("name", project.name, true);
    root.text("description", project.description);
    root.finish();
    if (problems.any()) {
        return problems.status().error();
    }
    return project;
}

Result<RulebookText> load_rulebook(const FileSystem& files, const std::string& folder, const std::string& path)
{
    RulebookText out{path, {}};
    const std::string place = folder.empty() ? path : folder + "/" + path;
    std::size_t bytes = 0;
    for (const std::string& name : files.list(place, ".lua")) {
        auto text = files.read_all(place + "/" + name, most_rulebook_bytes);
        if (!text) {
            Error error = text.error();
            error.place = {path + "/" + name, 0, 0};
            return error;
        }
        bytes += text->size();
        out.files[name] = std::move(*text);
    }
    if (!out.files.contains(rulebook_file)) {
        return Error{ErrorKind::unreadable,
                     fmt::format("the rulebook's folder has no {}", rulebook_file),
                     {path, 0, 0},
                     "put the file there, or correct \"rulebook\" in the post"};
    }
    if (bytes > most_rulebook_bytes) {
        return Error{ErrorKind::value, "the rulebook is larger than 4 MB", {path, 0, 0}, "keep data out of it"};
    }
    return out;
}

std::vector<std::string> job_names(const FileSystem& files, const std::string& folder)
{
    std::vector<std::string> names = files.list(folder + "/jobs", ".json");
    for (std::string& name : names) {
        name.resize(name.size() - 5);
    }
    std::sort(names.begin(), names.end()); // with their extension they were in another order
    return names;
}

struct JobRecords::Open {
    std::unique_ptr<ByteSource> source;
    ClReader reader;
    std::optional<Arranger> arranger;
    Open(std::unique_ptr<ByteSource> bytes, const std::string& name, std::uint32_t index)
        : source(std::move(bytes)), reader(*source, name, index)
    {}
};

JobRecords::JobRecords(const FileSystem& files, std::string folder, const Job& job) : files_(files), folder_(std::move(folder)), job_(job)
{
    for (const JobOperation& operation : job.operations) {
        names_.push_back(operation.toolpath);
    }
}
JobRecords::~JobRecords() = default;

Result<bool> JobRecords::next(Record& out)
{
    const auto take = [&] {
        out = std::move(laid_out_.front());
        laid_out_.pop_front();
        return true;
    };
    if (!laid_out_.empty()) {
        return take();
    }
    while (open_) {
        auto more = open_->reader.next(out);
        if (!more || (*more && !open_->arranger)) {
            return more;
        }
        if (*more) {
            open_->arranger->arrange(std::move(out), laid_out_);
        } else {
            if (open_->arranger) {
                open_->arranger->finish(laid_out_);
            }
            open_.reset();
        }
        if (!laid_out_.empty()) {
            return take();
        }
    }
    if (next_ == job_.operations.size()) {
        return false;
    }
    const JobOperation& operation = job_.operations[next_];
    auto source = files_.open(folder_ + "/" + operation.toolpath);
    if (!source) {
        return Error{ErrorKind::unreadable,
                     fmt::format("the toolpath {} of the operation {}{} {}", operation.toolpath, operation.id,
                                 source.error().message.starts_with("can't") ? "" : ":", source.error().message),
                     operation.place, "correct the path, or put the file there"};
    }
    const auto index = static_cast<std::uint32_t>(next_++);
    open_ = std::make_unique<Open>(std::move(*source), operation.toolpath, index);
    if (operation.arrangement.any()) {
        // Half of what the job allows: the rest is the control's.
        open_->arranger.emplace(operation.arrangement, job_.tolerance.tip / 2);
    }
    out.data = record::Operation{operation.id, operation.name};
    out.source = {index, LineNumber(0)};
    return true;
}

bool JobRecords::next_run(LinearRun& out)
{
    out.count = 0;
    return laid_out_.empty() && open_ && !open_->arranger && open_->reader.next_run(out);
}

Result<Assembly> load_job(const FileSystem& files, const std::string& folder, const std::string& job)
{
    return guarded([&]() -> Result<Assembly> {
        auto opened = open_job(files, folder, job);
        if (!opened) {
            return opened;
        }
        JobRecords records(files, folder, opened->job);
        const Status status = each_record(records, [&](Record&& record) { opened->toolpath.records.push_back(std::move(record)); });
        if (!status) {
            return status.error();
        }
        opened->toolpath.files = records.files();
        return opened;
    });
}

namespace {

/// Whether it has to be chosen which of aligned joints works in some operation.
bool leaves_open(const Assembly& a)
{
    for (std::size_t i = 0; i < a.job.operations.size(); ++i) {
        if (!left_open(a, i).empty()) {
            return true;
        }
    }
    return false;
}

} // namespace

Result<Assembly> open_job(const FileSystem& files, const std::string& folder, const std::string& job, const RunWatch* watch)
{
    return guarded([&]() -> Result<Assembly> {
        Project project;
        if (auto status = load(files, folder, "project.json", read_project, project); !status) {
            return status.error();
        }
        const auto names = job_names(files, folder);
        if (std::find(names.begin(), names.end(), job) == names.end()) {
            return Error{ErrorKind::value,
                         fmt::format("the project has no job \"{}\"", job.substr(0, 80)),
                         {folder, 0, 0},
                         fmt::format("its jobs are: {}", fmt::join(names, ", "))};
        }
        Assembly a;
        a.job_file = "jobs/" + job + ".json";
        JobFile file;
        Status status = load(files, folder, a.job_file, read_job, file);
        a.job = std::move(file.job);
        a.writing = std::move(file.writing);
        status = status ? load(files, folder, a.job.post, read_post, a.post) : status;
        status = status ? load(files, folder, a.post.machine, read_machine, a.machine) : status;
        if (status && !a.job.overlay.empty()) {
            status = load(
                files, folder, a.job.overlay, [&](const json::Document& d) { return with_overlay(a.machine, a.post.machine, d); },
                a.machine);
        }
        status = status ? load(files, folder, a.post.controller, read_controller, a.controller) : status;
        status = status ? load(files, folder, a.post.dialect, read_dialect, a.dialect) : status;
        status = status ? load(files, folder, a.job.setup, read_setup, a.setup) : status;
        if (status && !a.post.rulebook.empty()) {
            auto rulebook = load_rulebook(files, folder, a.post.rulebook);
            status = rulebook ? Status() : Status(rulebook.error());
            a.rulebook = rulebook ? std::move(*rulebook) : RulebookText();
        }
        for (std::vector<Body>* bodies : {&a.machine.bodies, &a.setup.stock, &a.setup.kept}) {
            status = status ? load_surfaces(files, folder, *bodies) : status;
        }
        status = status ? take_centres(a.setup, a.machine) : status;
        status = status ? settle_zeros(a) : status;
        status = status ? check_witnesses(a.controller, a.post.controller) : status;
        if (status && leaves_open(a)) {
            JobRecords records(files, folder, a.job);
            status = choose_aligned(a, records, watch);
        }
        status = status ? link(a) : status;
        if (!status) {
            return status.error();
        }
        return a;
    });
}

Status sole_output(const FileSystem& files, const std::string& folder, const Job& job, const std::string& job_file)
{
    for (const std::string& name : job_names(files, folder)) {
        const std::string path = "jobs/" + name + ".json";
        if (path == job_file) {
            continue;
        }
        const auto other = load_document(files, folder, path);
        const json::Node* title = other ? other->root().find("name") : nullptr;
        if (title != nullptr && title->kind == json::Kind::string && title->text == job.name) {
            return Error{ErrorKind::value,
                         fmt::format("the job {} has the name \"{}\" as well: one program would replace the other", path, job.name),
                         {job_file, 0, 0},
                         "give one of them another \"name\""};
        }
    }
    return {};
}

Result<CheckedFile> check_file(const FileSystem& files, const std::string& path)
{
    return guarded([&]() -> Result<CheckedFile> {
        if (path.ends_with(".cl")) {
            return check_toolpath(files, path);
        }
        if (path.ends_with(".lua")) {
            return check_rules(files, path);
        }
        auto document = load_document(files, "", path);
        if (!document) {
            return document.error();
        }
        CheckedFile out{json::format_of(*document), "", {}};
        const auto summary = [&](auto result, const auto& say) -> Result<CheckedFile> {
            if (!result) {
                return result.error();
            }
            out.summary = say(*result);
            return out;
        };
        if (out.format == "machine/1") {
            auto machine = read_machine(*document);
            if (const Status status = machine ? load_surfaces(files, project_of(path), machine->bodies) : Status(); !status) {
                return status.error();
            }
            return summary(std::move(machine), [&](const Machine& m) {
                out.remarks = reach_remarks(m);
                for (std::string& remark : witness_remarks(m, units_of(*document))) {
                    out.remarks.push_back(std::move(remark));
                }
                return fmt::format("machine {}: {}, {} hold", m.name, counted(m.joints.size(), "joint"),
                                   counted(m.witnesses.size(), "witness reading"));
            });
        }
        if (out.format == "controller/1") {
            auto controller = read_controller(*document);
            if (controller) {
                if (auto status = check_witnesses(*controller, path); !status) {
                    return status.error();
                }
            }
            return summary(std::move(controller), [](const Controller& c) {
                return fmt::format("controller {}: {}, {} hold", c.name, counted(c.words.size(), "word"),
                                   counted(c.witnesses.size(), "witness reading"));
            });
        }
        if (out.format == "dialect/1") {
            return summary(read_dialect(*document), [](const Dialect& d) {
                return fmt::format("dialect {}: {}, {}", d.name, counted(d.words.size(), "word"), counted(d.sections.size(), "section"));
            });
        }
        if (out.format == "setup/1") {
            return summary(read_setup(*document), [](const Setup& s) {
                return fmt::format("setup {}: {}, {}", s.name, counted(s.tools.size(), "tool"),
                                   counted(s.offsets.size(), "offset register"));
            });
        }
        if (out.format == "job/1") {
            Result<std::vector<std::string>> remarks = std::vector<std::string>();
            auto job = read_job(*document);
            if (job) {
                remarks = remarks_on_job(files, path, *document);
                if (!remarks) {
                    return remarks.error();
                }
            }
            return summary(std::move(job), [&](const JobFile& j) {
                out.remarks = std::move(*remarks);
                return fmt::format("job {}: {}", j.job.name, counted(j.job.operations.size(), "operation"));
            });
        }
        if (out.format == "post/1") {
            return check_post(files, path, *document);
        }
        if (out.format == "overlay/1") {
            return check_overlay(files, path, *document);
        }
        if (out.format == "project/1") {
            return summary(read_project(*document), [](const Project& p) { return fmt::format("project {}", p.name); });
        }
        return Error{
            ErrorKind::value, fmt::format("\"{}\" is no format of this program", out.format.substr(0, 40)), document->place_of(0),
            "the first key of a file is \"format\": machine/1, overlay/1, controller/1, dialect/1, setup/1, job/1, post/1 or project/1; "
            "toolpaths end in .cl"};
    });
}

} // namespace wexilum
