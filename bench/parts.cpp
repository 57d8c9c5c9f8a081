// What one move costs in each part of a run, on the bench project's machine and control (ns a move).
#include "core/control/simulated_control.hpp"
#include "core/dialect/word_emitter.hpp"
#include "core/io/real_files.hpp"
#include "core/motion/way_timer.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "core/solve/path_choice.hpp"
#include "core/solve/subdivide.hpp"
#include "core/toolpath/readers/cl_reader.hpp"

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <cstdlib>

using namespace wexilum;

namespace {

constexpr std::size_t moves = 20000;

/// The bench path's shape: a serpentine over a wave, the tool along the normal and leant.
std::vector<Pose> poses()
{
    std::vector<Pose> out;
    for (std::size_t i = 0; i < moves; ++i) {
        const double x = -100 + 200.0 * double(i % 141) / 141;
        const double y = -100 + 200.0 * double(i / 141) / 142;
        const Vec3 normal(-12.0 / 37 * std::cos(x / 37) * std::cos(y / 41) + 0.3, 12.0 / 41 * std::sin(x / 37) * std::sin(y / 41), 1);
        out.push_back({Vec3(x, y, 40 + 12 * std::sin(x / 37) * std::cos(y / 41)), normal.normalized()});
    }
    return out;
}

std::vector<LinearRun> runs_of(const std::vector<Pose>& path)
{
    std::vector<LinearRun> out;
    for (const Pose& pose : path) {
        if (out.empty() || out.back().count == longest_run) {
            out.emplace_back();
        }
        out.back().add(pose, {});
    }
    return out;
}

std::string cl_text()
{
    std::string out;
    for (const Pose& p : poses()) {
        out += fmt::format("GOTO/ {:.6f}, {:.6f}, {:.6f}, {:.6f}, {:.6f}, {:.6f}\n", p.tip.x(), p.tip.y(), p.tip.z(), p.axis.x(),
                           p.axis.y(), p.axis.z());
    }
    return out;
}

const Assembly& assembly()
{
    static const Assembly loaded = [] {
        const RealFileSystem files;
        auto job = open_job(files, WEXILUM_BENCH_PROJECT, "parts");
        if (!job) {
            std::fprintf(stderr, "%s\n", job.error().text().c_str());
            std::exit(1);
        }
        return std::move(*job);
    }();
    return loaded;
}

class Nowhere final : public CodeSink {
public:
    void line(std::string_view text, const Source&) override { benchmark::DoNotOptimize(text.data()); }
    void many_lines(std::string_view text, std::span<const std::uint32_t>, std::uint32_t, std::span<const std::uint32_t>) override
    {
        benchmark::DoNotOptimize(text.data());
    }
};

void per_move(benchmark::State& state)
{
    state.SetItemsProcessed(state.iterations() * std::int64_t(moves));
    state.counters["ns/move"] =
        benchmark::Counter(double(state.iterations()) * double(moves) * 1e-9, benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}

void reading(benchmark::State& state)
{
    const std::string text = cl_text();
    for (auto _ : state) {
        TextSource source(text);
        ClReader reader(source, "x.cl", 0);
        LinearRun run;
        Record record;
        while (reader.next_run(run) || *reader.next(record)) {
            benchmark::DoNotOptimize(run);
        }
    }
    per_move(state);
}
BENCHMARK(reading);

void candidates(benchmark::State& state)
{
    const auto runs = runs_of(poses());
    const InverseSolver& solver = *assembly().solver;
    BranchRun found;
    for (auto _ : state) {
        for (const LinearRun& run : runs) {
            benchmark::DoNotOptimize(solver.branches_along(run, 0, run.count, 100, found));
            benchmark::DoNotOptimize(found);
        }
    }
    per_move(state);
}
BENCHMARK(candidates);

void choose(benchmark::State& state, const InverseSolver& solver, const Machine& machine, const std::vector<Pose>& path)
{
    const auto runs = runs_of(path);
    PathTarget common;
    common.tool_length = 100;
    for (auto _ : state) {
        MemorySpool steps;
        MemorySpool decisions;
        PathChooser chooser(solver, machine, machine.home(), steps, decisions);
        for (const LinearRun& run : runs) {
            chooser.add_run(run, common, [](std::size_t, const PathChooser::Seen& seen) { benchmark::DoNotOptimize(seen); });
        }
        benchmark::DoNotOptimize(chooser.finish());
    }
    per_move(state);
}

void choice(benchmark::State& state) { choose(state, *assembly().solver, assembly().machine, poses()); }
BENCHMARK(choice);

/// The whole-path choice on the demo's machines, over poses that a wander of their joints comes through: one a kind of arrangement.
void choice_on(benchmark::State& state, const char* job)
{
    const RealFileSystem files;
    const Assembly a = open_job(files, WEXILUM_DEMO_PROJECT, job).value();
    const InverseSolver& solver = *a.solver;
    const Kinematics& kinematics = solver.kinematics();
    std::vector<Pose> path;
    Readings readings = a.machine.home();
    for (std::size_t i = 0; i < moves; ++i) {
        for (const auto& link : kinematics.links()) {
            const Joint& joint = a.machine.joints[link.joint.value];
            const bool rotary = joint.kind == JointKind::rotary;
            const double middle = joint.travel && !rotary ? (joint.travel->low + joint.travel->high) / 2 : rotary ? 0.6 : 0;
            readings[Eigen::Index(link.joint.value)] =
                middle + (rotary ? 0.4 : 40.0) * std::sin(0.0021 * double(i) * (1 + 0.37 * link.joint.value));
        }
        path.push_back(kinematics.pose(readings, 100));
    }
    choose(state, solver, a.machine, path);
}
BENCHMARK_CAPTURE(choice_on, table_table, "mirror-back-face")->Name("choice on Tarn 5T (table-table)");
BENCHMARK_CAPTURE(choice_on, nutating, "focuser-hub")->Name("choice on Tarn 5H (nutating head over a table)");
BENCHMARK_CAPTURE(choice_on, rotary_unit, "setting-circle")->Name("choice on Brae 4R (rotary unit)");
BENCHMARK_CAPTURE(choice_on, aligned, "fork-arm")->Name("choice on Fell 4 (aligned joints, table)");
BENCHMARK_CAPTURE(choice_on, linear, "mirror-cell")->Name("choice on Tarn 3 (linear)");
BENCHMARK_CAPTURE(choice_on, head, "mirror-cell-sides")->Name("choice on Tarn 3 (turning head)");

template <bool bound>
void subdivision(benchmark::State& state)
{
    const auto path = poses();
    const InverseSolver& solver = *assembly().solver;
    LeverBound lever;
    Waypoint a{0, assembly().machine.home()};
    Waypoint b{1, assembly().machine.home()};
    solver.set_turns(a.readings, {0.1, 0.2});
    solver.set_turns(b.readings, {0.102, 0.203});
    for (auto _ : state) {
        for (std::size_t i = 1; i < path.size(); ++i) {
            const PathPiece piece{path[i - 1], path[i], std::nullopt};
            if constexpr (bound) {
                benchmark::DoNotOptimize(
                    deviation_bound(0.005, piece.length(), lever.at(solver, piece.from.tip, 100), Interpolation::joints));
            } else {
                benchmark::DoNotOptimize(chord_deviation(solver, piece, a, b, 100, Interpolation::joints));
            }
        }
    }
    per_move(state);
}
BENCHMARK(subdivision<true>)->Name("subdivision by bound");
BENCHMARK(subdivision<false>)->Name("subdivision exactly");

void formatting(benchmark::State& state)
{
    const Assembly& a = assembly();
    const auto names = a.joint_names();
    for (auto _ : state) {
        Nowhere sink;
        WordEmitter emitter(a.dialect, a.controller, names, sink);
        for (std::size_t i = 0; i < moves; ++i) {
            Statement statement{StatementKind::motion, {*emitter.function(Function::linear)}};
            for (int joint = 0; joint < 5; ++joint) {
                statement.slots.push_back({Role::axes, std::uint8_t(joint), joint < 3 ? Quantity::length : Quantity::angle,
                                           std::int64_t(123456 + 37 * i * std::size_t(joint + 1)), nullptr});
            }
            statement.slots.push_back({Role::inverse_feed, 0, Quantity::inverse_time, std::int64_t(1234567 + i), nullptr});
            benchmark::DoNotOptimize(emitter.emit(statement));
        }
    }
    per_move(state);
}
BENCHMARK(formatting)->Name("formatting block by block");

void formatting_runs(benchmark::State& state)
{
    const Assembly& a = assembly();
    const auto names = a.joint_names();
    std::vector<std::size_t> joints{0, 1, 2, 3, 4};
    std::array<LineRun::Counts, 5> counts;
    std::array<std::int64_t, longest_run> feed;
    std::array<std::uint8_t, longest_run> moved;
    std::array<std::uint32_t, longest_run> line{};
    moved.fill(0x1f);
    for (auto _ : state) {
        Nowhere sink;
        WordEmitter emitter(a.dialect, a.controller, names, sink);
        std::stable_sort(joints.begin(), joints.end(),
                         [&](std::size_t x, std::size_t y) { return emitter.axis_rank(x) < emitter.axis_rank(y); });
        for (std::size_t i = 0; i < moves; i += longest_run) {
            WordEmitter::Cuts cuts;
            cuts.joints = joints;
            for (std::size_t k = 0; k < joints.size(); ++k) {
                cuts.quantities[k] = joints[k] < 3 ? Quantity::length : Quantity::angle;
                cuts.counts[k] = counts[k].data();
                for (std::size_t n = 0; n < longest_run; ++n) {
                    counts[k][n] = std::int64_t(123456 + 37 * (i + n) * (joints[k] + 1));
                    feed[n] = std::int64_t(1234567 + i + n);
                }
            }
            const std::size_t count = std::min(longest_run, moves - i);
            cuts.moved = std::span(moved).first(count);
            cuts.feed = feed;
            cuts.feed_role = Role::inverse_feed;
            cuts.feed_quantity = Quantity::inverse_time;
            cuts.line = line.data();
            emitter.emit_cuts(cuts);
        }
    }
    per_move(state);
}
BENCHMARK(formatting_runs)->Name("formatting");

std::vector<std::string> code_lines()
{
    std::vector<std::string> out;
    for (std::size_t i = 0; i < moves; ++i) {
        out.push_back(fmt::format("N{} X{:.3f} Y{:.3f} Z{:.3f} B{:.3f} C{:.3f} F1553.846", 10 * i + 10, double(i % 997) * 0.1, 20.5, 30.25,
                                  double(i % 89) * 0.01, double(i % 83) * 0.02));
    }
    return out;
}

void lexing(benchmark::State& state)
{
    const auto lines = code_lines();
    CodeBlock block;
    for (auto _ : state) {
        for (const std::string& line : lines) {
            benchmark::DoNotOptimize(read_block(assembly().controller, line, BlockNumber(1), block));
        }
    }
    per_move(state);
}
BENCHMARK(lexing);

class Ignored final : public ReplaySink {
public:
    void move(const ReplayMove& move) override { benchmark::DoNotOptimize(move.seconds); }
};

void interpretation(benchmark::State& state)
{
    std::string code = "G93 G1 X0. F1.\n";
    for (const std::string& line : code_lines()) {
        code += line + '\n';
    }
    const Assembly& a = assembly();
    for (auto _ : state) {
        Ignored sink;
        FindingList findings;
        MachineState machine(a.machine);
        TextSource text(code);
        CodeLines source(a.controller, text);
        SimulatedControl control(a.controller, a.machine, machine, control_memory(a.machine, a.setup), {"x.nc", false, 1, true}, source,
                                 findings);
        while (const Happening* happening = control.step()) {
            hand_to(*happening, sink);
        }
    }
    per_move(state);
}
BENCHMARK(interpretation)->Name("lexing and interpretation");

/// How long a row of moves takes on the demo's control with ramps and jerk.
void timing(benchmark::State& state)
{
    const RealFileSystem files;
    const Assembly a = open_job(files, WEXILUM_DEMO_PROJECT, "mirror-back-face").value();
    struct Sum final : PieceSink {
        double seconds = 0;
        void timed(const PieceTime& piece) override { seconds += piece.seconds; }
    } sum;
    std::vector<std::array<double, 5>> ways;
    const auto path = poses();
    for (std::size_t i = 1; i < path.size(); ++i) {
        const Vec3 way = path[i].tip - path[i - 1].tip;
        const Vec3 turn = path[i].axis - path[i - 1].axis;
        ways.push_back({way.x(), way.y(), way.z(), turn.x(), turn.y()});
    }
    for (auto _ : state) {
        WayTimer timer(way_rules(a.machine, a.controller.timing), sum);
        for (const auto& way : ways) {
            WayPiece piece;
            piece.way = way.data();
            piece.asked = std::sqrt(way[0] * way[0] + way[1] * way[1] + way[2] * way[2]) / 50;
            timer.add(piece);
        }
        timer.stop();
        benchmark::DoNotOptimize(sum.seconds);
    }
    per_move(state);
}
BENCHMARK(timing)->Name("timing with ramps and jerk");

} // namespace

BENCHMARK_MAIN();
