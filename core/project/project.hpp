// A project is a folder: project.json, machines/, controllers/, dialects/, posts/, setups/, jobs/, toolpaths/.
#pragma once

#include "core/base/world.hpp"
#include "core/run/assembly.hpp"

#include <string>
#include <vector>

namespace wexilum {

struct Project {
    std::string name;
    std::string description;
};
/// Reads a "project/1" document.
Result<Project> read_project(const json::Document& document);

/// Loads everything a job needs and links it. Paths in errors and records are from the project's folder, so that they read the
/// same wherever the project lies. Controller and machine witnesses are checked.
Result<Assembly> load_job(const FileSystem& files, const std::string& folder, const std::string& job);

/// The names of a project's jobs, sorted.
[[nodiscard]] std::vector<std::string> job_names(const FileSystem& files, const std::string& folder);

/// What `check` says of one file.
struct CheckedFile {
    std::string format;  ///< "machine/1", "cl", …
    std::string summary; ///< one line for a person
    std::vector<std::string> remarks;
};
/// Reads one file of any of the project's formats by itself, by its "format" key or, for toolpaths, its extension.
Result<CheckedFile> check_file(const FileSystem& files, const std::string& path);

} // namespace wexilum
