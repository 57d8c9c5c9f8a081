// What findings of events refer to: the record at hand, its findings, and the probe that watches for a block.
#pragma once

#include "core/base/finding.hpp"
#include "core/events/event_probe.hpp"
#include "core/write/written_place.hpp"

#include <string>
#include <vector>

namespace wexilum {

class EventNotes {
public:
    /// All must outlive the object. `files` are those that sources point into.
    EventNotes(WordEmitter& emitter, FindingList& findings, const std::vector<std::string>& files)
        : emitter_(emitter), findings_(findings), files_(files)
    {}

    /// The record at hand: its source, and its number among the agreed path's.
    [[nodiscard]] const Source& source() const { return source_; }
    [[nodiscard]] std::size_t index() const { return index_; }
    void set(const Source& source, std::size_t index)
    {
        source_ = source;
        index_ = index;
        emitter_.set_source(source);
    }
    void set_index(std::size_t index) { index_ = index; }

    /// A finding at the record at hand; add(): and at the block that comes next.
    void error(const char* kind, std::string message, std::string cure);
    void add(Finding finding, const std::string& subject, std::size_t gap = 1);
    /// Writes a function's word; an error where the dialect has none.
    void say(Function function);

    void set_probe(EventProbe* probe) { probe_ = probe; }
    /// Null: nobody watches.
    [[nodiscard]] EventProbe* probe() const { return probe_; }
    /// Whether somebody watches, and has not seen the block yet.
    [[nodiscard]] bool watched() const { return probe_ != nullptr && !probe_->words.seen; }
    [[nodiscard]] bool probe_is_done() const { return probe_ != nullptr && (probe_->words.seen || probe_->answer); }
    /// Tells the probe what the following blocks come from.
    void event(const char* event, const Record* record, const WrittenPlace& place);
    void rule(const std::string& rule);
    [[nodiscard]] std::string rule() const { return probe_ != nullptr ? probe_->rule : std::string(); }

private:
    WordEmitter& emitter_;
    FindingList& findings_;
    const std::vector<std::string>& files_;
    Source source_;
    std::size_t index_ = 0;
    EventProbe* probe_ = nullptr;
};

} // namespace wexilum
