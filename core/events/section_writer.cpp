#include "core/events/section_writer.hpp"

#include <fmt/format.h>

namespace wexilum {

void SectionWriter::write(const std::string& name, std::optional<Function> fallback)
{
    if (const auto own = own_.find(name); own != own_.end()) {
        const auto kept = own->second; // a rule that the section calls may replace it
        if (*kept) {
            write(name, "rulebook", **kept);
        }
        return;
    }
    for (const auto& [sections, whose] : {std::pair(&of_operation(), "operation"), std::pair(&assembly_.writing.sections, "job"),
                                          std::pair(&assembly_.dialect.sections, "dialect")}) {
        if (const auto found = sections->find(name); found != sections->end()) {
            if (found->second) {
                write(name, whose, *found->second);
            }
            return;
        }
    }
    if (fallback) {
        notes_.say(*fallback);
    }
}

const JobWriting::Sections& SectionWriter::of_operation() const
{
    static const JobWriting::Sections none;
    return course_.operations() > 0 ? assembly_.writing.of_operation(course_.operations() - 1) : none;
}

bool SectionWriter::has(const std::string& name) const
{
    return of_operation().contains(name) || own_.contains(name) || assembly_.writing.sections.contains(name) ||
           assembly_.dialect.sections.contains(name);
}

void SectionWriter::set(const std::string& name, std::optional<Section> section)
{
    own_[name] = std::make_shared<const std::optional<Section>>(std::move(section));
}

void SectionWriter::write(const std::string& name, const char* whose, const Section& section)
{
    const std::string rule = notes_.rule();
    for (std::size_t i = 0; i < section.size(); ++i) {
        if (notes_.probe() != nullptr) {
            notes_.rule(fmt::format("section {} of the {}, line {}", name, whose, i + 1));
        }
        write(section[i]);
    }
    notes_.rule(rule);
}

void SectionWriter::report(const Error& error) { notes_.error("section-value", "a section asks for " + error.message, error.cure); }

void SectionWriter::write(const StatementTemplate& item)
{
    if (item.kind == StatementTemplate::Kind::action && !item.when) {
        actions_.act(item.action);
        return;
    }
    actions_.catch_up(); // the block at hand is part of the state
    const StateValues values = state_.all();
    const auto on = applies(item, values);
    if (!on) {
        report(on.error());
        return;
    }
    if (!*on) {
        return;
    }
    switch (item.kind) {
    case StatementTemplate::Kind::action: actions_.act(item.action); return;
    case StatementTemplate::Kind::line:
    case StatementTemplate::Kind::comment: write_text(item, values); return;
    case StatementTemplate::Kind::words: write_words(item, values); return;
    }
}

void SectionWriter::write_text(const StatementTemplate& item, const StateValues& values)
{
    const auto text = text_of(item.parts, values, assembly_.dialect.inches);
    if (!text) {
        report(text.error());
    } else if (*text && item.kind == StatementTemplate::Kind::comment) {
        emitter_.comment(**text);
    } else if (*text) {
        statements_.line(**text);
    }
}

void SectionWriter::write_words(const StatementTemplate& item, const StateValues& values)
{
    std::vector<RuleWord> words;
    for (const Function function : item.functions) {
        words.push_back({function, -1, 0});
    }
    for (const ValueTemplate& value : item.values) {
        const auto read = value.value.evaluate(values);
        if (!read) {
            report(read.error());
            return;
        }
        if (!expr::present(*read)) {
            return; // a statement about something that is not there
        }
        const double number = expr::shown(std::get<double>(*read), value.value.dimension(), false);
        words.push_back({std::nullopt, statements_.slot(value.slot), number});
    }
    if (const auto wrong = statements_.emit(words)) {
        notes_.error("section-statement", "a statement of a section can't be written: " + *wrong, "correct it in its file");
    }
}

} // namespace wexilum
