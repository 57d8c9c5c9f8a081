// Everything one run needs, loaded and linked: what is to be made, and the post that writes it.
#pragma once

#include "core/dialect/dialect.hpp"
#include "core/job/post_options.hpp"
#include "core/rules/rulebook_text.hpp"
#include "core/task/task.hpp"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// What a job says of how its code is written, which only dialect and post can judge.
struct JobWriting {
    using Sections = std::map<std::string, std::optional<Section>>;
    Sections sections;                  ///< of the dialect's, replaced; nothing inside: switched off
    std::vector<Sections> by_operation; ///< the same, while an operation is on
    std::map<std::string, JobOption> options;

    /// Those of an operation, by its number from 0.
    [[nodiscard]] const Sections& of_operation(std::size_t operation) const
    {
        static const Sections none;
        return operation < by_operation.size() ? by_operation[operation] : none;
    }
};

/// A job's file.
struct JobFile {
    Job job;
    JobWriting writing;
};
/// Reads a "job/1" document.
Result<JobFile> read_job(const json::Document& document);

struct Post {
    std::string name;
    std::string version;
    std::vector<std::string> changes; ///< what each version brought, newest first
    std::string machine;
    std::string controller;
    std::string dialect;
    std::string rulebook; ///< its folder; empty: none
    std::vector<OptionDescription> options;
};
/// Reads a "post/1" document.
Result<Post> read_post(const json::Document& document);

struct Assembly : Task {
    Post post;
    Dialect dialect;
    JobWriting writing;
    RulebookText rulebook; ///< empty: none
    RuleOptions options;   ///< the post's, as the job sets them
    std::string date;      ///< of the run, YYYY-MM-DD; may be empty

    /// How far the lines that are written may be from the path. Where rows come by a clock, what they leave of those lines comes on top.
    [[nodiscard]] Tolerance line_tolerance() const;
    /// The latter.
    [[nodiscard]] Tolerance row_tolerance() const;
    /// The coordinates in which an operation is written, by its number from 0; `turns`: its cuts turn the tool.
    [[nodiscard]] FrameKind frame_of(std::size_t operation, bool turns) const;
};

/// Checks that the parts fit each other and makes the solver. Errors name the file that has to change.
Status link(Assembly& assembly);

} // namespace wexilum
