// The first pass's plan: records become targets, a choice over the whole path settles what the joints read, and what stands in its way is
// reported at its record.
#pragma once

#include "core/job/assembly.hpp"
#include "core/solve/path_choice.hpp"
#include "core/task/postures.hpp"
#include "core/toolpath/record_source.hpp"
#include "core/write/feed_words.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Paths are chosen over sheets while they are read. What an operation cuts with a joint left free is kept until it ends, and chosen over a
/// ladder then: memory grows with such operations alone.
class PathPlanner {
public:
    /// All must outlive the planner; `steps` and `decisions` are empty and take what PlanReader reads. `files`: of the records.
    PathPlanner(const Assembly& assembly, const std::vector<std::string>& files, Spool& steps, Spool& decisions, FindingList& findings);

    /// `index`: of the record, or the first of the run, among all.
    void add(const Record& record, std::size_t index);
    void add(const LinearRun& run, std::size_t index);
    /// Settles the choice. Nothing may be added afterwards.
    Status finish();

private:
    /// A target that waits for the end of its operation.
    struct Waiting {
        Source source;
        std::size_t index = 0;
        std::optional<PathPiece> curve;
    };

    const PathTarget* target_of(const Record& record);
    void take(const PathTarget& target, const Source& source, std::size_t index);
    void change_posture(const Posture& posture);
    void choose_waiting();
    void report_way(const Source& source, const std::vector<Choice>& choices);
    void note(const PathChooser::Seen& seen, const Source& source, std::size_t index);
    void report(Finding finding, const std::string& subject, const Source& source, std::size_t index);

    const Assembly& a_;
    const std::vector<std::string>& files_;
    FindingList& findings_;
    SolverBook solvers_;
    const InverseSolver* solver_;
    PathChooser chooser_;
    Readings standing_; ///< of joints that have not moved so far, and those held
    std::vector<PathTarget> waiting_;
    std::vector<Waiting> waiting_for_; ///< the same
    // Where the records are:
    PoseMap in_work_;
    LinearRun run_;
    PathTarget target_;
    FeedSpec feed_;
    std::optional<PathPiece> curve_;
    std::optional<Pose> here_; ///< part's frame
    std::size_t operations_ = 0;
    bool fresh_ = true;
};

} // namespace wexilum
