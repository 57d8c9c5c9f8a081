#include "core/control/control_log.hpp"

#include <fmt/format.h>

#include <utility>

namespace wexilum {

ControlLog::ControlLog(FindingList& findings, std::string file, std::uint32_t channel, bool from_unknown)
    : findings_(findings), file_(std::move(file)), channel_(channel), from_unknown_(from_unknown)
{}

void ControlLog::report(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                        double worst)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    finding.code = {file_, block_.value, 0};
    findings_.add(std::move(finding), subject, block_.value);
}

void ControlLog::rely_on(const std::string& subject, const std::string& what, const char* cure)
{
    const bool by_loop = loop_.value != 0 && !unknown_outside_; // its first pass is as stated
    Finding finding = Finding::make(by_loop ? Severity::warning : Severity::error, "relies-on-unknown",
                                    what + (loop_.value != 0 ? " the loop" : " the program"),
                                    fmt::format("{} in the {}", cure, loop_.value != 0 ? "loop" : "program's head"));
    finding.code = {file_, block_.value, 0};
    findings_.add(std::move(finding), subject, block_.value, SIZE_MAX);
}

void ControlLog::begin_loop()
{
    loop_ = block_;
    unknown_outside_ = from_unknown_;
    from_unknown_ = true;
}

void ControlLog::end_loop()
{
    loop_ = BlockNumber(0);
    from_unknown_ = unknown_outside_;
}

Happening& ControlLog::happens(Happening::Kind kind)
{
    Happening& out = happenings_.emplace_back();
    out.kind = kind;
    out.channel = channel_;
    out.block = block_;
    out.called_by = called_by_;
    return out;
}

void ControlLog::moves(ReplayMove&& move) { happens(Happening::Kind::motion).move = &moves_.emplace_back(std::move(move)); }

ControlPart::ControlPart(ControlLog& log) : log_(log) { log.parts_.push_back(this); }

} // namespace wexilum
