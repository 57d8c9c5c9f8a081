// A project is a folder: project.json, machines/, controllers/, dialects/, posts/, setups/, jobs/, toolpaths/.
#pragma once

#include "core/base/watch.hpp"
#include "core/base/world.hpp"
#include "core/job/assembly.hpp"
#include "core/toolpath/record_source.hpp"

#include <deque>
#include <memory>
#include <string>
#include <vector>

namespace wexilum {

struct Project {
    std::string name;
    std::string description;
};
/// Reads a "project/1" document.
Result<Project> read_project(const json::Document& document);

/// The records of a job's operations, one toolpath after the other, each begun by record::Operation.
class JobRecords final : public RecordSource {
public:
    /// All must outlive the source.
    JobRecords(const FileSystem& files, std::string folder, const Job& job);
    ~JobRecords() override;
    JobRecords(const JobRecords&) = delete;
    JobRecords& operator=(const JobRecords&) = delete;
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;
    [[nodiscard]] const std::vector<std::string>& files() const override { return names_; }

private:
    struct Open;
    void lay_out(Record record);

    const FileSystem& files_;
    std::string folder_;
    const Job& job_;
    std::vector<std::string> names_;
    std::unique_ptr<Open> open_;
    std::deque<Record> laid_out_; ///< what the job's arrangement has made of the last record
    std::size_t next_ = 0;        ///< operation
};

/// Loads everything a job needs but its toolpaths and links it; JobRecords streams those. A watch can stop what takes long in it.
Result<Assembly> open_job(const FileSystem& files, const std::string& folder, const std::string& job, const RunWatch* watch = nullptr);

/// The same with the toolpaths in memory. Paths in errors and records are from the project's folder, so that they read the
/// same wherever the project lies. Controller and machine witnesses are checked.
Result<Assembly> load_job(const FileSystem& files, const std::string& folder, const std::string& job);

/// Reads the texts of a rulebook's folder, whose path is from the project's folder.
Result<RulebookText> load_rulebook(const FileSystem& files, const std::string& folder, const std::string& path);
inline constexpr std::size_t most_rulebook_bytes = std::size_t{4} << 20;

/// The names of a project's jobs, sorted.
[[nodiscard]] std::vector<std::string> job_names(const FileSystem& files, const std::string& folder);

/// Whether no other job of the project has the job's name, which is that of its program: an Error otherwise.
Status sole_output(const FileSystem& files, const std::string& folder, const Job& job, const std::string& job_file);

/// What `check` says of one file.
struct CheckedFile {
    std::string format;  ///< "machine/1", "cl", …
    std::string summary; ///< one line for a person
    std::vector<std::string> remarks;
};
/// Reads one file of any of the project's formats by itself, by its "format" key or, for toolpaths, its extension.
Result<CheckedFile> check_file(const FileSystem& files, const std::string& path);

} // namespace wexilum
