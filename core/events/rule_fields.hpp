// Events as rules see them: which event a record is, its fields, and the record that a rule has made of it.
#pragma once

#include "core/rules/description.hpp"
#include "core/rules/rulebook.hpp"
#include "core/toolpath/record.hpp"

#include <optional>

namespace wexilum {

/// The event that a kind of record is, by its index in RecordData; nothing where rules don't see it.
[[nodiscard]] std::optional<EventKind> event_of(std::size_t record_kind);
/// Fills an event's fields with those of its record, as far as that has them. Precondition: the record is one of that event.
void fill_fields(Event& event, EventKind kind, const RecordData& data);
/// The record with what the rule has set.
[[nodiscard]] RecordData changed(const RecordData& data, const Event& event);

} // namespace wexilum
