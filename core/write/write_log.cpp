#include "core/write/write_log.hpp"

#include "core/dialect/word_emitter.hpp"
#include "core/path/outline.hpp"

#include <utility>

namespace wexilum {

[[gnu::noinline, gnu::cold]] void WriteLog::report(Severity severity, const std::string& kind, const std::string& subject,
                                                   std::string message, std::string cure, double worst, std::size_t gap)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1; // what is being written
    findings_.add(std::move(finding), subject, record_, gap);
}

bool WriteLog::absorb(const char* kind, const std::string& subject, double worst)
{
    return findings_.absorb(kind, subject, record_, 1, worst, source_.line.value, emitter_.lines() + 1);
}

} // namespace wexilum
