// Everything one run needs, loaded and linked: job, post and setup, and the toolpath of its operations.
#pragma once

#include "core/controller/controller.hpp"
#include "core/dialect/dialect.hpp"
#include "core/machine/kinematics.hpp"
#include "core/setup/setup.hpp"
#include "core/solve/inverse.hpp"
#include "core/solve/subdivide.hpp"
#include "core/toolpath/record.hpp"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct JobOperation {
    std::string id;
    std::string name;
    std::string toolpath; ///< path from the project's folder
    Place place;
};

struct Job {
    std::string name;
    std::string program;  ///< title in the code
    long long number = 1; ///< program number
    std::string post;
    std::string setup;
    std::string work_offset = "1"; ///< register
    Tolerance tolerance;
    std::vector<JobOperation> operations;
    std::map<std::string, std::optional<std::vector<std::string>>> sections; ///< replaced lines; nothing inside: switched off
};
/// Reads a "job/1" document.
Result<Job> read_job(const json::Document& document);

struct Post {
    std::string name;
    std::string version;
    std::vector<std::string> changes; ///< what each version brought, newest first
    std::string machine;
    std::string controller;
    std::string dialect;
};
/// Reads a "post/1" document.
Result<Post> read_post(const json::Document& document);

struct Assembly {
    Job job;
    Post post;
    Machine machine;
    Controller controller;
    Dialect dialect;
    Setup setup;
    Toolpath toolpath;                   ///< all operations in order; each begins with record::Operation
    std::optional<InverseSolver> solver; ///< set by link()
    std::string job_file;

    [[nodiscard]] std::vector<std::string> joint_names() const;
    /// Offset of a joint in the job's register, mm or rad.
    [[nodiscard]] double offset(JointIndex joint) const;
};

/// Checks that the parts fit each other and makes the solver. Errors name the file that has to change.
Status link(Assembly& assembly);

} // namespace wexilum
