#include "core/project/read_program.hpp"

#include "core/base/guarded.hpp"
#include "core/machine/kinematics.hpp"
#include "core/solve/inverse.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

constexpr std::size_t most_bytes = std::size_t{2} << 30;

std::string file_name(const std::string& path) { return path.substr(path.rfind('/') + 1); } // npos + 1 is 0

/// A record for each block that moves, in the order of the lines.
void note_blocks(const std::string& text, const ReplayTrack& track, PostedJob& out)
{
    const LineTable lines(text);
    std::vector<std::uint8_t> moves(lines.size() + 1); // by line, from 1; 0: it does not
    const auto rapid = std::uint8_t(RecordData(record::Rapid()).index() + 1);
    const auto linear = std::uint8_t(RecordData(record::Linear()).index() + 1);
    for (const ReplayTrack::Motion& motion : track.motions()) {
        if (motion.block < moves.size()) {
            moves[motion.block] = motion.feed ? linear : rapid;
        }
    }
    for (std::uint32_t line = 1; line <= lines.size(); ++line) {
        const Source source{0, LineNumber(line)};
        out.code.line(lines.line(line - 1), moves[line] != 0 ? source : no_source);
        if (moves[line] != 0) {
            out.records.sources.push_back(source);
            out.records.kinds.push_back(std::uint8_t(moves[line] - 1));
        }
    }
    out.code.link(out.records);
}

/// What each tool does, as operations.
void note_tools(const CodeReading& reading, const Setup& setup, PostedJob& out)
{
    const auto& sources = out.records.sources;
    const auto record_at = [&](BlockNumber block) {
        return std::size_t(std::lower_bound(sources.begin(), sources.end(), block.value,
                                            [](const Source& s, std::uint32_t line) { return s.line.value < line; }) -
                           sources.begin());
    };
    for (std::size_t i = 0; i < reading.tools.size(); ++i) {
        const ToolStretch& stretch = reading.tools[i];
        OperationOutline& operation = out.run.outline.operations.emplace_back();
        const Tool* tool = setup.find_tool(stretch.tool);
        operation.id = std::to_string(i + 1);
        operation.name = tool != nullptr && !tool->name.empty() ? tool->name : fmt::format("tool {}", stretch.tool);
        operation.first_record = record_at(stretch.first_block);
        const std::size_t end = i + 1 < reading.tools.size() ? record_at(reading.tools[i + 1].first_block) : sources.size();
        operation.records = end - std::min(end, operation.first_record);
        operation.tools = {stretch.tool};
        for (int k = 0; k < 3 && stretch.tip[0].any(); ++k) {
            operation.low[k] = stretch.tip[std::size_t(k)].low;
            operation.high[k] = stretch.tip[std::size_t(k)].high;
        }
    }
    out.run.outline.records = sources.size();
}

} // namespace

Result<ReadProgram> read_program(const FileSystem& files, const CodePartFiles& paths, const std::string& code, bool from_unknown,
                                 const Clock& clock, RunWatch* watch)
{
    return guarded([&]() -> Result<ReadProgram> {
        const double begin = clock.seconds();
        auto parts = open_code_parts(files, paths);
        if (!parts) {
            return parts.error();
        }
        auto text = files.read_all(code, most_bytes);
        if (!text) {
            return text.error();
        }
        if (watch != nullptr) {
            watch->lines = std::uint64_t(std::count(text->begin(), text->end(), '\n')) + 1;
        }
        auto replayed = std::make_shared<ReplayedCode>(ReplayedCode{file_name(code), {}, ReplayTrack(parts->assembly.machine), {}});
        replayed->compared = false;
        TextSource source(*text);
        TextSource ahead(*text);
        auto reading = read_code(*parts, {{replayed->name, &source, &ahead}}, {from_unknown, 2, watch, 0}, &replayed->track);
        if (!reading) {
            return reading.error();
        }
        replayed->report.findings = reading->findings;
        replayed->time = reading->time;
        auto posted = std::make_shared<PostedJob>();
        posted->assembly = std::move(parts->assembly);
        posted->assembly.job.name = replayed->name;
        posted->assembly.dialect.comment_open = posted->assembly.controller.comment_open;
        posted->assembly.dialect.comment_close = posted->assembly.controller.comment_close;
        posted->assembly.dialect.sequence_letter = posted->assembly.controller.sequence_number;
        posted->code_name = replayed->name;
        posted->toolpaths = {replayed->name};
        note_blocks(*text, replayed->track, *posted);
        note_tools(*reading, posted->assembly.setup, *posted);
        replayed->seconds = posted->seconds = clock.seconds() - begin;
        return ReadProgram{std::move(posted), std::move(replayed), std::make_shared<const CodeReading>(std::move(*reading)),
                           std::move(parts->remarks)};
    });
}

} // namespace wexilum
