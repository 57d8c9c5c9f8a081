// What is known of a job, or of a program that is read by itself, once it has been run. Immutable, shared between threads.
#pragma once

#include "core/base/finding.hpp"
#include "core/project/path_state.hpp"
#include "core/rules/rule_counts.hpp"

#include <QString>

#include <memory>
#include <string>
#include <vector>

namespace wexilum {
struct Assembly;
struct CodeReading;
struct ContactReport;
class LineTable;
struct PostedJob;
struct ProgramDiff;
struct ReplayedCode;
} // namespace wexilum

namespace wexilum::app {

struct PathPaint;
struct PathShape;
class SnapshotFiles;

struct JobResults {
    std::uint64_t revision = 0; ///< of the files and edits it was made from
    std::shared_ptr<const SnapshotFiles> files;
    std::shared_ptr<const PostedJob> posted;
    std::vector<std::shared_ptr<const LineTable>> toolpaths; ///< text of each file that records point into; may hold null
    std::shared_ptr<const ReplayedCode> replayed;            ///< null until the code has been read back
    std::vector<PathState> states;                           ///< one a motion of the replay
    RuleLineCounts rule_lines;                               ///< how often each line of the rulebook ran; with the replay
    std::shared_ptr<const PathShape> shape;                  ///< of its path, and
    std::shared_ptr<const PathPaint> paint;                  ///< its colours by state; with the replay
    std::shared_ptr<const ContactReport> contact;            ///< null until somebody has asked for it
    std::shared_ptr<const CodeReading> reading;              ///< of a program that is read by itself; null for a job
    std::shared_ptr<const PostedJob> base;   ///< before the unsaved edits; null without any, or where the path is another one
    std::shared_ptr<const ProgramDiff> diff; ///< from that to this; null without, and until it has been made
    std::vector<std::string> remarks;        ///< of the reading

    [[nodiscard]] const Assembly& assembly() const;
    /// Of the job, from the project's folder; empty for a program that is read by itself.
    [[nodiscard]] QString setup_path() const;
};

/// A program that is read by itself, and what it is read with; absolute paths.
struct ReadFiles {
    QString code;
    QString machine;
    QString controller;
    QString setup; ///< empty: none
};

/// A code file from outside, compared with the job's toolpath.
struct LoadedCode {
    QString path;
    std::shared_ptr<const LineTable> lines;
    std::shared_ptr<const ReplayedCode> replayed; ///< null until it has been read
};

/// A finding and what found it.
struct FoundAt {
    enum class By { file, run, replay, contact, loaded };
    By by = By::run;
    Finding finding;

    /// Whether its lines of code are those of the posted program; of a compared file they are its own.
    [[nodiscard]] bool in_posted_code() const { return by != By::loaded; }
};

/// All findings, the worst first; each cause once. Every argument may be null.
[[nodiscard]] std::vector<FoundAt> all_findings(const Error* error, const JobResults* results, const LoadedCode* loaded);

} // namespace wexilum::app
