// What the writing of motion reports: findings at the record at hand and the block that comes next.
#pragma once

#include "core/base/finding.hpp"
#include "core/toolpath/record.hpp"

#include <string>
#include <vector>

namespace wexilum {

class WordEmitter;
class WritePart;

class WriteLog {
public:
    /// All must outlive the log. `files` are those that sources point into.
    WriteLog(const WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files)
        : emitter_(emitter), findings_(findings), files_(files)
    {}
    WriteLog(const WriteLog&) = delete;
    WriteLog& operator=(const WriteLog&) = delete;

    void set_source(const Source& source, std::size_t record)
    {
        source_ = source;
        record_ = record;
    }
    /// Findings of one kind and subject at records at most `gap` apart are one range.
    void report(Severity severity, const std::string& kind, const std::string& subject, std::string message, std::string cure, double worst,
                std::size_t gap = 1);
    /// Counts into the range before where it is no worse; false where it has to be reported. Spares the texts of many.
    [[nodiscard]] bool absorb(const char* kind, const std::string& subject, double worst);

    [[nodiscard]] const std::vector<const WritePart*>& parts() const { return parts_; }

private:
    friend class WritePart;

    const WordEmitter& emitter_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    Source source_;
    std::size_t record_ = 0;
    std::vector<const WritePart*> parts_;
};

/// A part of the state that motion is written in. Whatever may act on a cut is a part: it has to say when it leaves cuts plain. Its
/// constructor enters it in the log, so that none can be forgotten.
class WritePart {
public:
    /// The log must outlive the part, and the part whoever asks the log for its parts.
    explicit WritePart(WriteLog& log) : log_(log) { log.parts_.push_back(this); }
    virtual ~WritePart() = default;
    WritePart(const WritePart&) = delete;
    WritePart& operator=(const WritePart&) = delete;

    /// Whether a straight cut that follows on another one is, for this part, a block of nothing but words of axes and a feed, each as the
    /// plan has it.
    [[nodiscard]] virtual bool leaves_cuts_plain() const = 0;

protected:
    WriteLog& log_; // NOLINT(misc-non-private-member-variables-in-classes): every part reports there
};

} // namespace wexilum
