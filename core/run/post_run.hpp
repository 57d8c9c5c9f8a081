// One run: job + post -> code and findings.
#pragma once

#include "core/base/finding.hpp"
#include "core/base/watch.hpp"
#include "core/base/world.hpp"
#include "core/dialect/aside_place.hpp"
#include "core/path/excursion.hpp"
#include "core/path/outline.hpp"
#include "core/rules/rule_counts.hpp"
#include "core/task/link_mark.hpp"
#include "core/toolpath/code_file.hpp"
#include "core/toolpath/code_sink.hpp"
#include "core/toolpath/record_source.hpp"

#include <string>
#include <vector>

namespace wexilum {

struct Assembly;
struct ReadPass;

/// What a run reports beside the code.
struct RunSummary {
    Outline outline;
    FindingList findings;
    std::uint32_t blocks = 0;
    std::uint64_t bytes = 0;
    std::string channel = "1";
    std::vector<EventTally> events;             ///< in the order in which they first came; those that never came but have a handler last
    std::vector<AsidePlace> asides;             ///< where lines that had been kept aside were written
    std::vector<LinkMark> links;                ///< where partial moves of links were written; none of lines kept aside
    std::vector<std::uint32_t> operation_lines; ///< of the program, from 1: from which on each operation's are
    std::vector<Excursion> excursions;          ///< motion that the code has beyond the toolpath, as its operations allow
};

/// The name of the job's program, with extension, no folder.
[[nodiscard]] std::string program_file_name(const Assembly& assembly);

/// Posts a linked assembly's job from a stream of its records, in memory that does not grow with the path: records and choices are
/// put aside in spools of `scratch`, the code goes to `sink` line by line. The code is complete even where findings are errors;
/// whoever keeps it then throws it away. An Error where the source, a spool or the sink's own medium failed. With two threads
/// reading and writing run beside the rest; the code is the same. With a watch the run can be followed and stopped.
/// `pass`: where it holds what an earlier run of the same machine, setup, job and toolpaths has read, that is taken over and `records`
/// is not touched; otherwise it gets what this run reads.
Result<RunSummary> post(const Assembly& assembly, RecordSource& records, Scratch& scratch, CodeSink& sink, int threads = 1,
                        RunWatch* watch = nullptr, std::shared_ptr<ReadPass>* pass = nullptr);

/// Code in memory.
class CodeText final : public CodeSink {
public:
    void line(std::string_view text, const Source& source) override
    {
        file.text += text;
        file.text += '\n';
        file.sources.push_back(source);
        ++file.blocks;
    }
    CodeFile file;
};

/// How often each line of the assembly's rulebook runs, found without keeping the code; `pass` is what a run of the same machine, setup,
/// job and toolpaths has read. Takes longer than a run, as each line is counted.
Result<RuleLineCounts> rule_line_counts(const Assembly& assembly, const std::shared_ptr<ReadPass>& pass, RunWatch* watch = nullptr);

/// The excursions that a run makes, found without keeping its code. Costs nothing where no operation allows any.
Result<std::vector<Excursion>> excursions_of(const Assembly& assembly, RecordSource& records, Scratch& scratch, RunWatch* watch = nullptr);

struct RunResult {
    std::vector<CodeFile> files;
    Outline outline;
    FindingList findings;
};

/// The same from the assembly's toolpath in memory, with the code kept in memory. What would be an Error is the one finding, and there is
/// no code.
[[nodiscard]] RunResult post(const Assembly& assembly);

} // namespace wexilum
