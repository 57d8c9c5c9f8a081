// What the parts of the events have each other done.
#pragma once

#include "core/dialect/section.hpp"
#include "core/rules/description.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <string>

namespace wexilum {

class EventActions {
public:
    EventActions() = default;
    virtual ~EventActions() = default;
    EventActions(const EventActions&) = delete;
    EventActions& operator=(const EventActions&) = delete;

    /// Cuts that have been left to the native way and not been written yet are written: before whatever depends on that.
    virtual void catch_up() = 0;
    /// Whether an event's native way may come later, with others of its kind; then it is noted.
    virtual bool waits(EventKind kind) = 0;
    /// The native way of a record, or of an event that is none.
    virtual void happen(const Record& record) = 0;
    virtual void happen(EventKind kind) = 0;
    /// Writes a section; one that nobody supplies is the one word of `fallback`.
    virtual void section(const std::string& name, std::optional<Function> fallback) = 0;
    virtual void act(SectionAction action) = 0;
};

} // namespace wexilum
