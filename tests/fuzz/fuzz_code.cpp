// Feeds program text to the simulated controls of three demo jobs, one with coordinates of the tip and one that reads a table, and compares
// the motion with the path.
#include "core/io/real_files.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/toolpath/readers/cl_reader.hpp"

#include <cstdint>
#include <cstdio>
#include <cstdlib>

using namespace wexilum;

namespace {

Assembly load(const char* name, const std::string& tool)
{
    const RealFileSystem files;
    auto job = open_job(files, WEXILUM_DEMO, name);
    if (!job) {
        std::fprintf(stderr, "%s\n", job.error().text().c_str());
        std::exit(1);
    }
    const std::string path = "LOADTL/" + tool +
                             "\nSPINDL/5000,CLW\nFEDRAT/600,MMPM\nRAPID\nGOTO/10,0,40,0.6,0,0.8\nGOTO/10,0,20,0.6,0,0.8\n"
                             "GOTO/20,0,20,0,0,1\nCYCLE/DRILL,10,FEDTO,1\nGOTO/30,0,20\nCYCLE/OFF\nFINI\n";
    TextSource source(path);
    job->toolpath.records.push_back({record::Operation{"1", "x"}, {}});
    (void)read_cl(source, "x.cl", job->toolpath);
    return std::move(*job);
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    static const Assembly joints = load("mirror-back-face", "5");
    static const Assembly frames = load("focuser-hub", "41");
    static const Assembly table = load("mirror-back-rows", "5");
    static const Assembly clocked = load("mirror-back-table", "5");
    const Assembly* const assemblies[] = {&joints, &frames, &table, &clocked};
    const Assembly& assembly = *assemblies[size / 2 % std::size(assemblies)];
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const ReplayReport report = replay(assembly, {{"x.nc", text}}, size % 2 == 1);
    for (const Finding& finding : report.findings.list()) {
        if (finding.message.empty() || finding.cure.empty()) {
            std::abort();
        }
    }
    return 0;
}
