// Sections: what the dialect, the job, the operation at hand or a rule make of them.
#pragma once

#include "core/events/event_actions.hpp"
#include "core/events/run_state.hpp"
#include "core/events/statement_writer.hpp"

#include <map>
#include <memory>
#include <string>

namespace wexilum {

class SectionWriter {
public:
    /// All must outlive the object.
    SectionWriter(const Assembly& assembly, WordEmitter& emitter, StatementWriter& statements, const RunState& state,
                  const RunCourse& course, EventNotes& notes, EventActions& actions)
        : assembly_(assembly), emitter_(emitter), statements_(statements), state_(state), course_(course), notes_(notes), actions_(actions)
    {}

    /// EventActions::section().
    void write(const std::string& name, std::optional<Function> fallback);
    /// One that is given.
    void write(const std::string& name, const char* whose, const Section& section);
    /// Whether somebody supplies it, or switches it off.
    [[nodiscard]] bool has(const std::string& name) const;
    /// A rule wants it so from here on, or as it would be without rules.
    void set(const std::string& name, std::optional<Section> section);
    void reset(const std::string& name) { own_.erase(name); }

private:
    [[nodiscard]] const JobWriting::Sections& of_operation() const;
    void write(const StatementTemplate& item);
    void write_text(const StatementTemplate& item, const StateValues& values);
    void write_words(const StatementTemplate& item, const StateValues& values);
    void report(const Error& error);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    StatementWriter& statements_;
    const RunState& state_;
    const RunCourse& course_;
    EventNotes& notes_;
    EventActions& actions_;
    std::map<std::string, std::shared_ptr<const std::optional<Section>>> own_; ///< as rules want them
};

} // namespace wexilum
