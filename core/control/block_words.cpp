#include "core/control/block_words.hpp"

#include "core/control/control_log.hpp"
#include "core/control/modal_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

void BlockWords::clear()
{
    functions.clear();
    addresses.fill(nullptr);
    used = 0;
    from_known = false;
    commanded_known = true;
    arc_by_centre = false;
    in_cycle = false;
}

bool BlockWords::has(Function function) const
{
    return std::any_of(functions.begin(), functions.end(), [&](const WordMeaning* meaning) { return meaning->function == function; });
}

bool BlockWords::sort(const CodeBlock& block, const ModalWords& modal, ControlLog& log)
{
    for (const CodeWord& word : block.words) {
        if (const WordMeaning* const found = modal.meaning_of(word)) {
            const Group group = group_of(found->function);
            for (const WordMeaning* other : functions) {
                if (group != Group::none && group_of(other->function) == group) {
                    log.report(Severity::error, "code-error", "", fmt::format("two words of the group {} in one block", name_of(group)),
                               "write one of them");
                    return false;
                }
            }
            functions.push_back(found);
            continue;
        }
        if (word.letter == 'G' || word.letter == 'M') {
            log.report(Severity::error, "code-error", "",
                       fmt::format("the control does not know {}{}", word.letter, word.number.substr(0, 12)),
                       "correct the word, or add it to the controller's words");
            return false;
        }
        const CodeWord*& place = addresses[BlockWords::place(word.letter)];
        if (place != nullptr) {
            log.report(Severity::error, "code-error", "", fmt::format("the word {} appears twice in the block", word.letter),
                       "write it once");
            return false;
        }
        place = &word;
        if (std::abs(word.value) > largest_word) {
            log.report(Severity::error, "code-error", "",
                       fmt::format("the word {}{} is beyond 1e7", word.letter, word.number.substr(0, 24)), "correct the number");
            return false;
        }
    }
    return true;
}

void BlockWords::report_unused(const CodeBlock& block, ControlLog& log) const
{
    for (const CodeWord& word : block.words) {
        const auto at = BlockWords::place(word.letter);
        if (addresses[at] == &word && (used >> at & 1U) == 0) {
            log.report(Severity::error, "code-error", "",
                       fmt::format("the word {}{} has no meaning in this block", word.letter, word.number.substr(0, 24)),
                       "remove it, or add what it belongs to");
        }
    }
}

void BlockWords::check_skippable(ControlLog& log) const
{
    const bool words_only = std::any_of(addresses.begin(), addresses.end(), [](const CodeWord* word) { return word != nullptr; });
    const bool harmless = std::all_of(functions.begin(), functions.end(),
                                      [](const WordMeaning* meaning) { return meaning->function == Function::optional_stop; });
    if (words_only || !harmless) {
        log.report(Severity::error, "may-be-skipped", "", "the control may skip this block, and the program is another one without it",
                   "remove the slash; only an optional stop may be skipped");
    }
}

} // namespace wexilum
