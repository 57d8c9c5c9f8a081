#include "core/project/project.hpp"

#include "core/advice/aligned_choice.hpp"
#include "core/base/guarded.hpp"
#include "core/base/json_document.hpp"
#include "core/machine/overlay.hpp"
#include "core/machine/surface_file.hpp"
#include "core/machine/witness_advice.hpp"
#include "core/project/load_part.hpp"
#include "core/replay/replay_run.hpp"
#include "core/rules/rulebook.hpp"
#include "core/task/arrange.hpp"
#include "core/task/zero_taken.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/toolpath_formats.hpp"

#include <fmt/format.h>

#include <utility>

namespace wexilum {
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
        auto text = files.read_all(fmt::format("{}/{}", place, name), most_rulebook_bytes);
        if (!text) {
            Error error = text.error();
            error.place = {fmt::format("{}/{}", path, name), 0, 0};
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
    std::unique_ptr<RecordReader> reader;
    std::optional<Arranger> arranger;
    Pose here; ///< of the records as they are read; nothing is known of it before a file has said where the tool is
    void arrive(const Record& record)
    {
        if (const Pose* end = end_pose(record.data)) {
            here = *end;
        }
    }
    Open(std::unique_ptr<ByteSource> bytes, const std::string& name, std::uint32_t index)
        : source(std::move(bytes)), reader(open_toolpath(*source, name, index))
    {}
};

JobRecords::JobRecords(const FileSystem& files, std::string folder, const Job& job) : files_(files), folder_(std::move(folder)), job_(job)
{
    for (const JobOperation& operation : job.operations) {
        names_.push_back(operation.toolpath);
    }
}
JobRecords::~JobRecords() = default;

/// As the operation is arranged.
void JobRecords::lay_out(Record record)
{
    if (open_->arranger) {
        open_->arranger->arrange(std::move(record), laid_out_);
    } else {
        laid_out_.push_back(std::move(record));
    }
}

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
        auto more = open_->reader->next(out);
        const auto* ruled = more && *more ? std::get_if<record::Ruled>(&out.data) : nullptr;
        if (!more || (*more && !open_->arranger && ruled == nullptr)) {
            open_->arrive(out);
            return more;
        }
        if (ruled != nullptr) {
            for (const record::Ruled& part : parts_of(open_->here, *ruled)) {
                lay_out({part, out.source});
            }
            open_->arrive(out);
        } else if (*more) {
            open_->arrive(out);
            lay_out(std::exchange(out, {}));
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
    out.clear();
    if (!laid_out_.empty() || !open_ || open_->arranger || !open_->reader->next_run(out)) {
        return false;
    }
    open_->here = out.pose(out.count - 1);
    return true;
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
        status = status ? load_surfaces(files, folder, a.machine.bodies) : status;
        status = status ? load_surfaces(files, folder, a.setup) : status;
        a.machine_file = a.post.machine;
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

} // namespace wexilum
