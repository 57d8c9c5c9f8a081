// Feeds texts in the place of one of the files that a job is made of to what brings them together, and posts and replays what comes of it.
// The first byte chooses the job, the second the file; what is thrown inside the core is a mistake.
#include "core/base/json_document.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/mutation.hpp"
#include "tests/support/overlay_files.hpp"

#include <cstdint>
#include <cstdlib>

using namespace wexilum;
using namespace wexilum::test;

namespace {

constexpr std::array<const char*, 4> jobs{"pier-cap", "mirror-cell-sides", "focuser-hub", "mirror-cell-batch"};

const std::string& folder()
{
    static const std::string demo = WEXILUM_DEMO;
    return demo;
}

std::vector<std::string> files_of(const char* job)
{
    OverlayFiles files;
    const Assembly a = open_job(files, folder(), job).value();
    return {a.job_file, a.job.post, a.job.setup, a.post.machine, a.post.controller, a.post.dialect};
}

std::string text_of(const std::string& path)
{
    OverlayFiles files;
    return files.read_all(folder() + "/" + path, json::max_bytes).value();
}

void check(bool holds)
{
    if (!holds) {
        std::abort();
    }
}

} // namespace

extern "C" size_t LLVMFuzzerCustomMutator(std::uint8_t* data, size_t size, size_t most, unsigned int seed)
{
    std::mt19937_64 random(seed);
    const std::uint8_t job = size > 0 && random() % 8 != 0 ? data[0] : std::uint8_t(random());
    const std::uint8_t file = size > 1 && random() % 8 != 0 ? data[1] : std::uint8_t(random());
    const bool fresh = size < 3 || random() % 4 == 0;
    const auto files = files_of(jobs[job % jobs.size()]);
    std::string text = fresh ? text_of(files[file % files.size()]) : std::string(reinterpret_cast<char*>(data) + 2, size - 2);
    text = mutated(text, random).substr(0, most - 2);
    data[0] = job;
    data[1] = file;
    text.copy(reinterpret_cast<char*>(data) + 2, text.size());
    return text.size() + 2;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    if (size < 3) {
        return 0;
    }
    const char* job = jobs[data[0] % jobs.size()];
    static std::map<std::string, std::vector<std::string>> known;
    auto& files = known[job];
    if (files.empty()) {
        files = files_of(job);
    }
    OverlayFiles with;
    with.replaced[folder() + "/" + files[data[1] % files.size()]] = std::string(reinterpret_cast<const char*>(data) + 2, size - 2);
    const auto opened = load_job(with, folder(), job);
    if (!opened) {
        check(opened.error().kind != ErrorKind::fault && !opened.error().message.empty() && !opened.error().cure.empty());
        return 0;
    }
    MemoryRecords records(opened->toolpath);
    MemoryScratch scratch;
    CodeText code;
    const auto run = post(*opened, records, scratch, code);
    check(run.ok() || run.error().kind != ErrorKind::fault);
    MemoryRecords again(opened->toolpath);
    TextSource text(code.file.text);
    TextSource ahead(code.file.text);
    const auto report =
        replay(*opened, again, run.ok() ? run->excursions : std::vector<Excursion>(), {{"code.nc", &text, &ahead}}, false, nullptr);
    check(report.ok() || report.error().kind != ErrorKind::fault);
    return 0;
}
