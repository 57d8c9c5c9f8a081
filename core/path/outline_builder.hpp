// Makes the outline of a job.
#pragma once

#include "core/base/finding.hpp"
#include "core/path/kerf.hpp"
#include "core/path/outline.hpp"
#include "core/toolpath/linear_run.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Makes the outline while the records go by. Reports tools that are missing or have no length, words that were not understood, and
/// motion before the first tool.
class OutlineBuilder {
public:
    /// All must outlive the builder; `files` are those that sources point into.
    OutlineBuilder(const Task& task, FindingList& findings, const std::vector<std::string>& files)
        : task_(task), findings_(findings), files_(files), kerf_(task)
    {}
    void add(const Record& record);
    /// The same for each record of a run.
    void add(const LinearRun& run);
    [[nodiscard]] const Outline& outline() const { return out_; }
    [[nodiscard]] Outline take() { return std::move(out_); }

private:
    void add_motion(const RecordData& data, const Pose& pose, const Source& source);
    void check_kerf(const Pose& to, const Source& source);

    const Task& task_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    KerfWatch kerf_;
    Outline out_;
    bool moved_without_tool_ = false;
    double hole_bottom_ = 0;
    double hole_retreat_ = 0;
    std::optional<Pose> here_;
};

} // namespace wexilum
