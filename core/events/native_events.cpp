#include "core/events/native_events.hpp"

#include "core/base/plain_text.hpp"

#include <fmt/format.h>

namespace wexilum {

NativeEvents::NativeEvents(const Assembly& assembly, const Outline& outline, PlanReader& plan, FindingList& findings,
                           const std::vector<std::string>& files, CodeSink& sink, bool own_thread, const RunWatch* watch)
    : assembly_(assembly), outline_(outline), findings_(findings), files_(files), joint_names_(assembly.joint_names()),
      emitter_(assembly.dialect, assembly.controller, joint_names_, sink, own_thread), motion_(assembly, emitter_, findings, files),
      cycles_(assembly, emitter_, motion_), subprograms_(assembly, emitter_, motion_, findings), notes_(emitter_, findings, files),
      excursions_(assembly.setup.part()), course_(assembly, outline, motion_.log()), spindle_(assembly, emitter_, motion_, notes_),
      path_(assembly, plan, motion_, cycles_, course_, notes_, excursions_, [this] { records_.ready(); }),
      statements_(assembly, emitter_, motion_, cycles_, spindle_), state_(assembly, emitter_, course_, spindle_, path_),
      sections_(assembly, emitter_, statements_, state_, course_, notes_, *this),
      rules_({assembly, emitter_, motion_, cycles_, statements_, sections_, state_, course_, path_, notes_, excursions_, *this}, watch),
      records_({assembly, emitter_, motion_, cycles_, course_, spindle_, path_, statements_, sections_, rules_, notes_, *this,
                [this] { leave_work(); }}),
      runs_(
          motion_, path_, rules_, notes_, *this, [this](const Record& record) { handle(record); }, [this] { records_.ready(); })
{
    if (rules_.any()) {
        motion_.set_retract([this] { leave_work(); });
    }
}

void NativeEvents::set_probe(EventProbe* probe)
{
    notes_.set_probe(probe);
    emitter_.set_probe(&probe->words);
    motion_.note_exact(&probe->words.exact);
    subprograms_.set_exact(&probe->words.exact);
    cycles_.on_hole([this](const char* how) { notes_.rule(notes_.rule() + ", " + how); });
}

void NativeEvents::begin()
{
    notes_.event("program head", nullptr, motion_.place());
    rules_.load(findings_);
    happen_or_hand_over(EventKind::program_start);
}

void NativeEvents::handle(const Record& record)
{
    const auto* change = std::get_if<record::ToolChange>(&record.data);
    const auto* operation = std::get_if<record::Operation>(&record.data);
    const bool in_spindle = change != nullptr && course_.tool() != nullptr && course_.tool()->number == change->number;
    if ((change != nullptr && !in_spindle) || operation != nullptr || std::holds_alternative<record::PostureChange>(record.data)) {
        end_subprogram();
    }
    if (notes_.probe() != nullptr) [[unlikely]] {
        notes_.event(record_kinds[record.data.index()].event, &record, motion_.place());
    }
    const std::size_t index = notes_.index();
    notes_.set(record.source, index);
    motion_.log().set_source(record.source, index);
    const bool moves = end_pose(record.data) != nullptr;
    if (moves && !std::holds_alternative<record::From>(record.data)) {
        path_.next_choice();
    }
    if (operation != nullptr) {
        cycles_.end();
        course_.begin_operation(*operation);
    }
    const auto kind = event_of(record.data.index());
    if (notes_.probe() != nullptr && notes_.probe()->asked == index) [[unlikely]] {
        rules_.answer(kind, record);
        return;
    }
    if (in_spindle) {
        notes_.set_index(index + 1);
        return;
    }
    if (kind && rules_.offered(*kind)) [[unlikely]] {
        rules_.hand_over(*kind, record);
    } else {
        records_.happen(record);
    }
    if (moves && course_.operations() > 0 && course_.settings().subprogram != 0 && !subprograms_.begun()) [[unlikely]] {
        subprograms_.begin(course_.operations() - 1);
    }
    notes_.set_index(index + 1);
}

void NativeEvents::finish()
{
    end_subprogram();
    emitter_.set_source(no_source);
    notes_.event("program end", nullptr, motion_.place());
    cycles_.end();
    end_subprogram();
    happen_or_hand_over(EventKind::program_end);
    subprograms_.write();
    if (outline_.motions == 0) {
        findings_.add(Finding::make(Severity::error, "nothing-moves", "the job's toolpaths have no motion: its program would move nothing",
                                    "give the job an operation whose toolpath moves"));
    } else if (!motion_.moved() && !findings_.has_errors()) {
        findings_.add(Finding::make(Severity::error, "nothing-moves", "the toolpaths have motion, and the program has none of it",
                                    "see the rules that take its events: a motion that no event:native() does is left out"));
    }
    emitter_.finish();
    check_written();
}

/// What only the finished text shows.
void NativeEvents::check_written()
{
    const std::size_t most = assembly_.controller.line_most;
    const LineWriter& written = emitter_.written();
    if (most > 0 && written.longest() > most) {
        Finding finding = Finding::make(Severity::error, "line-too-long",
                                        fmt::format("a line has {} characters, the control takes {}", written.longest(), most),
                                        "shorten comments, write fewer decimals or no blanks");
        finding.code.line = written.longest_line();
        findings_.add(std::move(finding));
    }
    for (const WordEmitter::Unplain& met : emitter_.unplain()) {
        Finding finding =
            Finding::make(Severity::error, "text-character",
                          fmt::format("a text for the program has the character {}, which no control reads", code_of(met.character)),
                          "take it out of the text: of the section, the rule or the toolpath that brings it");
        finding.source = place_of(files_, met.source);
        finding.code.line = met.line;
        findings_.add(std::move(finding), "", met.line);
    }
}

/// The work of an operation is done, as far as its subprogram goes.
void NativeEvents::end_subprogram()
{
    if (subprograms_.begun()) [[unlikely]] {
        cycles_.interrupt();
        subprograms_.end();
    }
}

void NativeEvents::section(const std::string& name, std::optional<Function> fallback)
{
    catch_up();
    sections_.write(name, fallback);
}

// --- events that are no records -------------------------------------------------------------------------------------

void NativeEvents::happen_or_hand_over(EventKind kind, const std::string* field)
{
    if (!rules_.taken(kind, field)) {
        happen(kind);
    }
}

void NativeEvents::happen(EventKind kind)
{
    switch (kind) {
    case EventKind::program_start:
        section("program-head", std::nullopt);
        section("safe-start", std::nullopt);
        return;
    case EventKind::program_end:
        section("wind-down", std::nullopt);
        section("program-end", Function::program_end);
        return;
    case EventKind::retract: motion_.retract(); return;
    case EventKind::rotary_home: motion_.rotary_home(); return;
    case EventKind::work_offset: {
        const std::string& word = assembly_.dialect.work_offsets.at(register_here());
        emitter_.emit({StatementKind::state, {{Role::offset, 0, Quantity::whole, 0, &word}}});
        emitter_.forget(Role::axes);
        return;
    }
    default: return;
    }
}

void NativeEvents::act(SectionAction action)
{
    catch_up();
    rules_.note_rule_here();
    switch (action) {
    case SectionAction::retract:
        cycles_.interrupt();
        leave_work();
        return;
    case SectionAction::rotary_home:
        cycles_.interrupt();
        happen_or_hand_over(EventKind::rotary_home);
        return;
    case SectionAction::spindle_off: spindle_.switch_spindle_off(); return;
    case SectionAction::coolant_off: spindle_.switch_coolant_off(); return;
    case SectionAction::message: records_.write_tasks(); return;
    case SectionAction::subprograms:
        end_subprogram();
        subprograms_.write();
        return;
    case SectionAction::work_offset: happen_or_hand_over(EventKind::work_offset, &register_here()); return;
    }
}

} // namespace wexilum
