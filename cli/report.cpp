#include "cli/report.hpp"

#include "cli/commands.hpp"
#include "cli/json_print.hpp"

#include <fmt/format.h>

#include <cstdio>
#include <set>
#include <vector>

namespace wexilum::cli {
namespace {

constexpr std::size_t most_shown = 120; // characters of a line

std::string where(const Place& place, std::uint32_t last, std::uint32_t worst)
{
    if (place.file.empty() && place.line == 0) {
        return {};
    }
    std::string out = place.file.empty() ? fmt::format("block {}", place.line) : place.text();
    if (last > place.line) {
        out += fmt::format(" to {}", last);
    }
    if (worst != place.line) {
        out += fmt::format(" (worst at {})", worst);
    }
    return out;
}

} // namespace

int fail(const Error& error, bool json)
{
    fmt::print(stderr, "wexilum-cli: {}\n", error.text());
    if (json) {
        const nlohmann::ordered_json out{{"error",
                                          {{"kind", name_of(error.kind)},
                                           {"message", error.message},
                                           {"cure", error.cure},
                                           {"file", error.place.file},
                                           {"line", error.place.line},
                                           {"column", error.place.column}}}};
        fmt::print("{}\n", json_text(out));
    }
    return error.kind == ErrorKind::cancelled ? exit_stopped : exit_usage;
}

nlohmann::ordered_json place_json(const Place& place) { return {{"file", place.file}, {"line", place.line}}; }

nlohmann::ordered_json findings_json(const FindingList& findings)
{
    auto out = nlohmann::ordered_json::array();
    for (const Finding& f : findings.list()) {
        out.push_back({{"severity", name_of(f.severity)},
                       {"kind", f.kind},
                       {"message", f.message},
                       {"cure", f.cure},
                       {"count", f.count},
                       {"source", place_json(f.source)},
                       {"code", place_json(f.code)},
                       {"rule", place_json(f.rule)},
                       {"last", {{"source_line", f.last_source_line}, {"code_line", f.last_code_line}}},
                       {"worst", {{"source", place_json(f.worst_source)}, {"code", place_json(f.worst_code)}}}});
    }
    return out;
}

Status read_lines(ByteSource& source, const std::string& file, const FindingList& findings, CodeLines& out)
{
    std::set<std::uint32_t> wanted;
    for (const Finding& f : findings.list()) {
        if (f.worst_code.file == file && f.worst_code.line > 0) {
            wanted.insert(f.worst_code.line);
        }
    }
    std::vector<char> chunk(std::size_t{1} << 16);
    std::uint32_t line = 1;
    while (!wanted.empty() && line <= *wanted.rbegin()) {
        const auto got = source.read(chunk);
        if (!got || *got == 0) {
            return got ? Status() : Status(got.error());
        }
        for (std::size_t i = 0; i < *got; ++i) {
            if (chunk[i] == '\n') {
                ++line;
            } else if (chunk[i] != '\r' && wanted.contains(line)) {
                std::string& text = out[{file, line}];
                if (text.size() < most_shown) {
                    text += chunk[i];
                }
            }
        }
    }
    return {};
}

namespace {

/// What one cause has brought about: findings that say the same but for their figures.
struct Cause {
    const Finding* worst = nullptr;
    std::size_t count = 0;
    std::vector<const Finding*> places;
};

std::vector<Cause> causes_of(const FindingList& findings, Severity severity)
{
    std::vector<Cause> out;
    std::map<std::string, std::size_t> by_words;
    for (const Finding& f : findings.list()) {
        if (f.severity != severity) {
            continue;
        }
        std::string words = f.kind + ' ';
        std::copy_if(f.message.begin(), f.message.end(), std::back_inserter(words),
                     [](char c) { return std::string_view("0123456789.-").find(c) == std::string_view::npos; });
        const auto [found, is_new] = by_words.try_emplace(words, out.size());
        if (is_new) {
            out.emplace_back();
        }
        Cause& cause = out[found->second];
        cause.worst = cause.worst == nullptr || f.worst > cause.worst->worst ? &f : cause.worst;
        cause.count += f.count;
        cause.places.push_back(&f);
    }
    return out;
}

/// The other places of a cause, a few of them, by the program or else by the toolpath.
std::string also_at(const Cause& cause)
{
    constexpr std::size_t most = 6;
    std::string out;
    std::string file; // said last
    std::size_t listed = 0;
    for (const Finding* f : cause.places) {
        const Place& place = f->code.line > 0 ? f->code : f->source;
        if (f == cause.worst || place.line == 0) {
            continue;
        }
        if (listed < most) {
            const std::uint32_t last = f->code.line > 0 ? f->last_code_line : f->last_source_line;
            const std::string range = last > place.line ? fmt::format("{} to {}", place.line, last) : fmt::format("{}", place.line);
            out += fmt::format("{}{}{}", listed == 0 ? "" : ", ",
                               place.file == file   ? ""
                               : place.file.empty() ? "block "
                                                    : place.file + ':',
                               range);
            file = place.file;
        }
        ++listed;
    }
    return listed > most ? fmt::format("{} and {} more", out, listed - most) : out;
}

} // namespace

void print_findings(const FindingList& findings, const CodeLines& lines)
{
    for (const Severity severity : {Severity::error, Severity::warning, Severity::remark}) {
        for (const Cause& cause : causes_of(findings, severity)) {
            const Finding& f = *cause.worst;
            fmt::print("  {:<8} {:<18} {}{}\n", name_of(f.severity), f.kind, f.message,
                       cause.count > 1 ? fmt::format(" (the worst of {})", cause.count) : "");
            const std::string source = where(f.source, f.last_source_line, f.worst_source.line);
            const std::string code = where(f.code, f.last_code_line, f.worst_code.line);
            if (!source.empty() || !code.empty()) {
                fmt::print("  {:<27} at {}{}{}\n", "", source, source.empty() || code.empty() ? "" : ", ", code);
            }
            if (const std::string others = also_at(cause); !others.empty()) {
                fmt::print("  {:<27} and at {}\n", "", others);
            }
            if (const auto text = lines.find({f.worst_code.file, f.worst_code.line}); text != lines.end()) {
                fmt::print("  {:<27} text: {}\n", "", text->second);
            }
            if (f.rule.line > 0) {
                fmt::print("  {:<27} rule: {}\n", "", f.rule.text());
            }
            if (!f.cure.empty()) {
                fmt::print("  {:<27} cure: {}\n", "", f.cure);
            }
        }
    }
}

void print_contact(const ContactReport& report, const std::string& name, const std::string& machine, bool json)
{
    if (json) {
        fmt::print("{}\n",
                   json_text({{"moves", report.moves}, {"distances", report.measured}, {"findings", findings_json(report.findings)}}));
        return;
    }
    fmt::print("contact of {} on {}: {} motions, {} distances measured\n", name, machine, report.moves, report.measured);
    print_findings(report.findings);
    if (report.findings.list().empty()) {
        fmt::print("  nothing comes too close\n");
    }
}

} // namespace wexilum::cli
