// What checking for contact costs against posting: 10,000 records of the bench path, the tool and its holder against 20 bodies of 2,000
// triangles each. One JSON object: name, post_s, contact_s, ratio, distances.
#include "core/base/units.hpp"
#include "core/collide/contact_watch.hpp"
#include "core/control/simulated_control.hpp"
#include "core/io/real_files.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/readers/cl_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

using namespace wexilum;

namespace {

constexpr int records = 10000;

std::string path_text()
{
    std::string out = "UNITS/MM\nMULTAX/ON\nLOADTL/1\nSPINDL/8000,CLW\nFEDRAT/2000,MMPM\nRAPID\n";
    for (int i = 0; i < records; ++i) {
        const double x = -100 + 200.0 * double(i % 141) / 141;
        const double y = -100 + 200.0 * double(i / 141) / 71;
        const Vec3 normal =
            Vec3(-12.0 / 37 * std::cos(x / 37) * std::cos(y / 41) + 0.3, 12.0 / 41 * std::sin(x / 37) * std::sin(y / 41), 1).normalized();
        out += fmt::format("GOTO/{:.4f},{:.4f},{:.4f},{:.7f},{:.7f},{:.7f}\n", x, y, 40 + 12 * std::sin(x / 37) * std::cos(y / 41),
                           normal.x(), normal.y(), normal.z());
    }
    return out + "FINI\n";
}

/// A ball of about 2,000 triangles, dented so that nothing about it is simple.
Triangles lump(double radius)
{
    constexpr int around = 40;
    constexpr int up = 26;
    Triangles out;
    for (int k = 0; k <= up; ++k) {
        for (int i = 0; i < around; ++i) {
            const double a = 2 * pi * i / around;
            const double b = pi * k / up;
            const double r = radius * (1 + 0.1 * std::sin(3 * a) * std::sin(4 * b));
            out.points.emplace_back(r * std::sin(b) * std::cos(a), r * std::sin(b) * std::sin(a), r * std::cos(b));
        }
    }
    for (int k = 0; k < up; ++k) {
        for (int i = 0; i < around; ++i) {
            const auto at = [&](int row, int column) { return std::uint32_t(row * around + column % around); };
            out.faces.push_back({at(k, i), at(k + 1, i), at(k + 1, i + 1)});
            out.faces.push_back({at(k, i), at(k + 1, i + 1), at(k, i + 1)});
        }
    }
    return out;
}

/// Follows the code's motions.
class Watched final : public ReplaySink {
public:
    explicit Watched(ContactWatch& watch) : watch_(watch) {}
    void move(const ReplayMove& move) override
    {
        watch_.along(move.from, move.to, 0, met);
        ++moves;
    }
    std::vector<Meeting> met;
    std::size_t moves = 0;

private:
    ContactWatch& watch_;
};

double seconds_since(std::chrono::steady_clock::time_point begin)
{
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

} // namespace

int main()
{
    const RealFileSystem files;
    auto assembly = open_job(files, WEXILUM_BENCH_PROJECT, "parts").value();
    assembly.toolpath = {};
    assembly.toolpath.records.push_back({record::Operation{"1", "path"}, {0, LineNumber(0)}});
    const std::string text = path_text();
    TextSource source(text);
    if (auto status = read_cl(source, "path.cl", assembly.toolpath); !status) {
        fmt::print(stderr, "{}\n", status.error().text());
        return 1;
    }
    const auto begin = std::chrono::steady_clock::now();
    const RunResult run = post(assembly);
    const double post_s = seconds_since(begin);

    const Mount& spindle = *assembly.machine.first_mount(MountKind::tool);
    const Mount& work = *assembly.machine.first_mount(MountKind::work);
    std::vector<Solid> solids;
    const auto place = [&](const char* id, double diameter, double length, double bottom) {
        Body body;
        body.id = id;
        body.shape = Shape::cylinder;
        body.bottom = body.top = diameter;
        body.length = length;
        body.parent = spindle.parent;
        body.frame = spindle.frame * Eigen::Translation3d(0, 0, bottom);
        solids.emplace_back(body);
    };
    place("cutter", 12, 60, -120);
    place("holder", 50, 60, -60);
    place("spindle", 120, 200, 0);
    std::vector<std::size_t> lumps;
    for (int i = 0; i < 20; ++i) { // in two rows round the part, on the work
        Body body;
        body.id = "lump";
        body.parent = work.parent;
        const double a = 2 * pi * i / 10;
        const double radius = i < 10 ? 160 : 230;
        body.frame = work.frame * Eigen::Translation3d(radius * std::cos(a), radius * std::sin(a), i < 10 ? 20 : 60);
        lumps.push_back(solids.size());
        solids.emplace_back(body, lump(i < 10 ? 30 : 45));
    }
    ContactWatch watch(assembly.machine, std::move(solids), {{"tool", "lumps", {0, 1, 2}, lumps, 2}});
    Watched sink(watch);
    FindingList findings;
    const auto checked = std::chrono::steady_clock::now();
    MachineState machine(assembly.machine);
    TextSource code(run.files.front().text);
    CodeLines lines(assembly.controller, code);
    SimulatedControl control(assembly.controller, assembly.machine, machine, control_memory(assembly.machine, assembly.setup),
                             {"path.nc", false, 1, true}, lines, findings);
    while (const Happening* happening = control.step()) {
        hand_to(*happening, sink);
    }
    const double contact_s = seconds_since(checked);
    fmt::print(
        R"({{"name": "contact", "records": {}, "motions": {}, "post_s": {:.4f}, "contact_s": {:.4f}, "ratio": {:.1f}, "distances": {}, "meetings": {}}})"
        "\n",
        records, sink.moves, post_s, contact_s, contact_s / post_s, watch.measured(), sink.met.size());
    return 0;
}
