// The demo project and a small one for tests, with edits, and short ways to post and replay them.
#pragma once

#include "core/job/assembly.hpp"
#include "tests/support/places.hpp"

#include <QString>

#include <string>
#include <vector>

namespace wexilum {
class FindingList;
struct ReplayReport;
} // namespace wexilum

namespace wexilum::test {

/// The folder of the demo project.
[[nodiscard]] std::string demo_folder();
[[nodiscard]] std::string read_file(const std::string& path);

/// One replacement of text in a file of the demo project; the text must be there.
struct Edit {
    std::string file;
    std::string from;
    std::string to;
};

/// Loads a demo job with edits. Ends the test program if an edit's text is missing.
[[nodiscard]] Result<Assembly> load_demo(const std::string& job, const std::vector<Edit>& edits = {});
[[nodiscard]] std::string code_of(const Assembly& assembly);
[[nodiscard]] ReplayReport replay_code(const Assembly& assembly, const std::string& code, bool from_unknown = false);

/// Whether a list holds a finding of a kind; `line` 0: anywhere, otherwise at this line of the code.
[[nodiscard]] bool has_finding(const FindingList& findings, const std::string& kind, std::uint32_t line = 0);
/// The findings as text, for failure messages.
[[nodiscard]] QString shown(const FindingList& findings, std::size_t most = 6);

/// An assembly made in memory: the demo's setup of a job with another toolpath text, laid out as its first operation's.
[[nodiscard]] Result<Assembly> demo_with_toolpath(const std::string& job, const std::string& cl_text, const std::vector<Edit>& edits = {});

/// The job of tests/data/small_mill, for tests that need some machine and control and nothing of the demo: three axes, joints Y, X, Z; the
/// zero of register 1 at X -60, Y 15, Z -578; tool 1 is 96.205 mm long. Edits name its files: machines/mill.json and so on.
[[nodiscard]] Result<Assembly> small_mill(const std::vector<Edit>& edits = {});
[[nodiscard]] Result<Assembly> small_mill_with_toolpath(const std::string& cl_text, const std::vector<Edit>& edits = {});

[[nodiscard]] std::vector<std::string> lines_of(const std::string& text);
[[nodiscard]] std::string joined(const std::vector<std::string>& lines);

} // namespace wexilum::test
