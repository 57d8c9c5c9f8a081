#include "core/events/event_notes.hpp"

#include "core/path/outline.hpp"

#include <fmt/format.h>

namespace wexilum {

void EventNotes::error(const char* kind, std::string message, std::string cure)
{
    Finding finding = Finding::make(Severity::error, kind, std::move(message), std::move(cure));
    finding.source = place_of(files_, source_);
    findings_.add(std::move(finding), "", index_);
}

void EventNotes::add(Finding finding, const std::string& subject, std::size_t gap)
{
    finding.source = place_of(files_, source_);
    finding.code.line = emitter_.lines() + 1;
    findings_.add(std::move(finding), subject, index_, gap);
}

void EventNotes::say(Function function)
{
    if (auto word = emitter_.function(function)) {
        emitter_.emit({StatementKind::state, {*word}});
    } else {
        error("word-missing", fmt::format("the dialect has no word for {}", name_of(function)), "add it under \"words\" in the dialect");
    }
}

void EventNotes::event(const char* event, const Record* record, const WrittenPlace& place)
{
    if (!watched()) {
        return;
    }
    probe_->event = event;
    probe_->rule = std::string("native ") + event;
    probe_->record = record != nullptr ? std::optional(index_) : std::nullopt;
    probe_->source = record != nullptr ? record->source : no_source;
    const Pose* pose = record != nullptr ? end_pose(record->data) : nullptr;
    probe_->pose = pose != nullptr ? std::optional(*pose) : std::nullopt;
    probe_->stand = place.now();
    probe_->tool_length = place.tool_length;
    probe_->posture = place.posture();
}

void EventNotes::rule(const std::string& rule)
{
    if (watched()) {
        probe_->rule = rule;
    }
}

} // namespace wexilum
