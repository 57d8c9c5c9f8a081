// Small complete files to begin with: those of a new project, and one more of a kind for a project that there is.
#pragma once

#include "core/base/result.hpp"
#include "core/machine/machine.hpp"

#include <string>
#include <vector>

namespace wexilum {

enum class FirstKind { machine, controller, dialect, post, rulebook, setup, job, toolpath };
inline constexpr std::size_t first_kind_count = 8;
/// "machine"
[[nodiscard]] const char* name_of(FirstKind kind);

struct FirstFile {
    std::string path; ///< from the project's folder
    std::string text;
};

/// What a new file is to name: paths from the project's folder; empty: as in a new project.
struct FirstParts {
    std::string machine;
    std::string controller;
    std::string dialect;
    std::string post;
    std::string setup;
    std::string toolpath;
    const Machine* drawn = nullptr; ///< that a setup is for; may be null
};

/// A file of a kind with a name of its own. An Error without place where the name is none for a file.
Result<FirstFile> first_file(FirstKind kind, const std::string& name, const FirstParts& parts);

/// All files of a new project: a job of a plate on a mill with three axes, which is proven as it is.
[[nodiscard]] std::vector<FirstFile> first_project(const std::string& name);
/// The text of project.json alone.
[[nodiscard]] std::string project_head(const std::string& name);

} // namespace wexilum
