// One job run for somebody who looks at it: code, records, findings and what the replay did, all in memory.
#pragma once

#include "core/base/watch.hpp"
#include "core/compare/report.hpp"
#include "core/follow/program_time.hpp"
#include "core/follow/replay_track.hpp"
#include "core/project/path_state.hpp"
#include "core/project/project.hpp"
#include "core/run/code_store.hpp"
#include "core/run/post_run.hpp"

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace wexilum {

struct CodeStream;
struct ContactReport;

/// A job that has been posted.
struct PostedJob {
    Assembly assembly; ///< without the toolpath
    RecordIndex records;
    std::vector<std::string> toolpaths; ///< names of the files that records' sources point into
    CodeStore code;
    std::string code_name; ///< file name with extension, no folder
    RunSummary run;
    double seconds = 0;
};

/// Code of a job that has been replayed.
struct ReplayedCode {
    std::string name; ///< of the code's file
    ReplayReport report;
    ReplayTrack track;
    ProgramTime time;
    double seconds = 0;
    std::size_t posting_errors = 0; ///< of the run that made it; 0 for code from elsewhere
    bool compared = true;           ///< with a toolpath; false: it has been read by itself

    /// A program that would not have been written, or has been compared with nothing, is never proven.
    [[nodiscard]] bool proven() const { return compared && posting_errors == 0 && !report.findings.has_errors(); }
};

/// Lines of the program that somebody looks at, shown before the rest is there.
struct CodePreview {
    std::uint32_t first = 0; ///< from 0
    std::uint32_t last = 0;
    /// Called once, in the thread that runs, with those lines alone; not called where the program ends before the last of them.
    std::function<void(LineTable lines)> show;
};

/// What runs of a job leave to the next ones: reading and choices, by what they depend on.
struct RunCache {
    std::size_t key = 0; ///< of the contents of machine, setup, job and toolpaths
    std::shared_ptr<ReadPass> pass;
    RecordIndex records;
    std::uint64_t reused = 0; ///< how often a run could take it over
};

/// Who follows a run; each may be null, and must outlive it.
struct RunCompany {
    RunWatch* watch = nullptr;
    RunCache* cache = nullptr;
    const CodePreview* preview = nullptr;
};

/// Loads a job and posts it. The first Error met is the outcome; findings of the run are none.
Result<std::shared_ptr<const PostedJob>> post_job(const FileSystem& files, const std::string& folder, const std::string& job,
                                                  Scratch& scratch, const Clock& clock, const RunCompany& company = {});

/// Replays a text of code against the job's toolpath.
Result<std::shared_ptr<const ReplayedCode>> replay_posted(const FileSystem& files, const std::string& folder, const PostedJob& job,
                                                          const std::string& name, std::string_view text, bool from_unknown,
                                                          const Clock& clock, RunWatch* watch = nullptr);

/// How long a job's program takes on its machine, by operation, tool and cause; the code is run by its control, and compared with nothing.
/// An Error where the stream fails, or the watch stops it.
Result<ProgramTime> time_of_program(const Assembly& assembly, const RunSummary& run, const CodeStream& code, RunWatch* watch = nullptr,
                                    int threads = 1);

/// A cut whose nearest end of travel is closer than this share of the travel has a low margin.
inline constexpr double low_margin_share = 0.02;
/// Nearer than this to a direction in which a rotary joint does nothing, the picture marks the path.
inline constexpr double marked_pole_angle = 0.0175; // rad, 1 degree

/// One state a motion; the worst where several hold.
[[nodiscard]] std::vector<PathState> path_states(const Assembly& assembly, const ReplayTrack& track);

/// Checks the posted code for contact. An Error where the machine's "apart" list does not fit, or the watch stops it.
Result<std::shared_ptr<const ContactReport>> check_posted(const PostedJob& job, RunWatch* watch = nullptr);
/// Motions in whose blocks solids meet are in that state, whatever else holds.
void mark_contacts(const ContactReport& report, const ReplayTrack& track, std::vector<PathState>& states);

/// The smallest distance of a joint's readings to an end of its travel over a whole track, negative where it is left; nothing without
/// travel.
[[nodiscard]] std::optional<double> margin_of(const Joint& joint, double lowest, double highest);

} // namespace wexilum
