// One replay: code read by the controller's definition, moved through the machine, held against the job's toolpath.
#pragma once

#include "core/base/watch.hpp"
#include "core/compare/report.hpp"
#include "core/follow/code_run.hpp"
#include "core/follow/contact_report.hpp"
#include "core/path/excursion.hpp"
#include "core/toolpath/code_file.hpp"
#include "core/toolpath/record_source.hpp"

#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

struct Controller;
struct Task;

struct ReplayInput {
    std::string name; ///< of the code's file, for places
    std::string_view text;
};

/// Replays a linked assembly's code. Several files are read one after the other, each by a control fresh from
/// its start; together they have to cover the path. `excursions` are those that the run made (excursions_of()).
[[nodiscard]] ReplayReport replay(const Task& task, const std::vector<ReplayInput>& code, bool from_unknown,
                                  const std::vector<Excursion>& excursions = {});

/// The same from streams of records and code, in memory that does not grow with them. `excursions` are those that the run made
/// (excursions_of()). An Error where a source fails.
/// `watch` may be null. Observers get the motions before they are compared, and what is measured. With two threads the toolpath and the
/// code's words are read beside the rest; the report is the same.
Result<ReplayReport> replay(const Task& task, RecordSource& records, const std::vector<Excursion>& excursions,
                            const std::vector<CodeStream>& code, bool from_unknown, RunWatch* watch = nullptr,
                            const std::vector<MotionListener*>& observers = {}, int threads = 1);

/// Runs a linked task's programs from power-on and watches what meets what; as check_contacts() in core/follow.
Result<ContactReport> check_contacts(const Task& task, const std::vector<CodeFile>& code, RunWatch* watch = nullptr);

/// Calls `line` for each line of a text, without its end.
template <typename F>
void for_each_line(std::string_view text, const F& line)
{
    while (!text.empty()) {
        const std::size_t end = text.find('\n');
        std::string_view one = text.substr(0, end);
        if (!one.empty() && one.back() == '\r') {
            one.remove_suffix(1);
        }
        line(one);
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    }
}

/// Checks a controller's witnesses: their lines must lead to their readings, on a machine without travel limits that has just the
/// controller's axes (A, B and C turn). The first that is missed is the error. `file` goes into places of the code.
Status check_witnesses(const Controller& controller, const std::string& file);

} // namespace wexilum
