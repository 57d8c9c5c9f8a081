#include "tests/support/demo.hpp"

#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/task/arrange.hpp"
#include "core/toolpath/memory_records.hpp"
#include "core/toolpath/readers/cl_reader.hpp"
#include "tests/support/overlay_files.hpp"

#include <cstdio>
#include <cstdlib>

namespace wexilum::test {

std::string demo_folder() { return (source_folder() + "/demo/observatory").toStdString(); }

std::string read_file(const std::string& path)
{
    auto text = RealFileSystem().read_all(path, std::size_t{1} << 28);
    if (!text) {
        std::fprintf(stderr, "%s\n", text.error().text().c_str());
        std::abort();
    }
    return std::move(text).value();
}

namespace {

std::string small_folder() { return (source_folder() + "/tests/data/small_mill").toStdString(); }

/// The files of a project's folder, some of them edited.
OverlayFiles edited(const std::string& folder, const std::vector<Edit>& edits)
{
    OverlayFiles files;
    for (const Edit& edit : edits) {
        const std::string path = folder + "/" + edit.file;
        const auto found = files.replaced.find(path);
        std::string text = found == files.replaced.end() ? read_file(path) : found->second;
        const std::size_t at = text.find(edit.from);
        if (at == std::string::npos) {
            std::fprintf(stderr, "the edit's text is not in %s: %s\n", path.c_str(), edit.from.c_str());
            std::abort();
        }
        files.replaced[path] = text.replace(at, edit.from.size(), edit.to);
    }
    return files;
}

/// A job with another toolpath than its own, which is not read.
Result<Assembly> with_toolpath(const std::string& folder, const std::string& job, const std::string& cl_text,
                               const std::vector<Edit>& edits)
{
    auto opened = open_job(edited(folder, edits), folder, job);
    if (!opened) {
        return opened;
    }
    opened->toolpath.records.push_back({record::Operation{"1", "test"}, {0, LineNumber(0)}});
    TextSource source(cl_text);
    if (auto status = read_cl(source, "test.cl", opened->toolpath); !status) {
        return status.error();
    }
    if (const Arrangement& arrangement = opened->job.operations.front().arrangement; arrangement.any()) {
        Arranger arranger(arrangement, opened->job.tolerance.tip / 2);
        std::deque<Record> out{opened->toolpath.records.front()};
        for (std::size_t i = 1; i < opened->toolpath.records.size(); ++i) {
            arranger.arrange(opened->toolpath.records[i], out);
        }
        arranger.finish(out);
        opened->toolpath.records.assign(out.begin(), out.end());
    }
    return opened;
}

} // namespace

Result<Assembly> load_demo(const std::string& job, const std::vector<Edit>& edits)
{
    return load_job(edited(demo_folder(), edits), demo_folder(), job);
}

Result<Assembly> demo_with_toolpath(const std::string& job, const std::string& cl_text, const std::vector<Edit>& edits)
{
    return with_toolpath(demo_folder(), job, cl_text, edits);
}

Result<Assembly> small_mill(const std::vector<Edit>& edits) { return load_job(edited(small_folder(), edits), small_folder(), "plate"); }

Result<Assembly> small_mill_with_toolpath(const std::string& cl_text, const std::vector<Edit>& edits)
{
    return with_toolpath(small_folder(), "plate", cl_text, edits);
}

std::string code_of(const Assembly& assembly) { return post(assembly).files.front().text; }

ReplayReport replay_code(const Assembly& assembly, const std::string& code, bool from_unknown)
{
    MemoryRecords records(assembly.toolpath);
    MemoryScratch scratch;
    return replay(assembly, {{"test.nc", code}}, from_unknown, excursions_of(assembly, records, scratch).value());
}

bool has_finding(const FindingList& findings, const std::string& kind, std::uint32_t line)
{
    for (const Finding& f : findings.list()) {
        if (f.kind == kind && (line == 0 || (f.code.line <= line && line <= f.last_code_line))) {
            return true;
        }
    }
    return false;
}

QString shown(const FindingList& findings, std::size_t most)
{
    QString out;
    for (const Finding& f : findings.list()) {
        if (most-- == 0) {
            break;
        }
        out += QString("\n  %1 %2: %3 at %4 / %5")
                   .arg(name_of(f.severity), QString::fromStdString(f.kind), QString::fromStdString(f.message),
                        QString::fromStdString(f.source.text()), QString::fromStdString(f.code.text()));
    }
    return out.isEmpty() ? QString("no findings") : out;
}

std::vector<std::string> lines_of(const std::string& text)
{
    std::vector<std::string> lines;
    for_each_line(text, [&](std::string_view line) { lines.emplace_back(line); });
    return lines;
}

std::string joined(const std::vector<std::string>& lines)
{
    std::string out;
    for (const std::string& line : lines) {
        out += line + "\n";
    }
    return out;
}

} // namespace wexilum::test
