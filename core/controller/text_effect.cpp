#include "core/controller/text_effect.hpp"

#include <algorithm>

namespace wexilum {
namespace {

bool is_letter(char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); }
bool in_number(char c) { return (c >= '0' && c <= '9') || c == '.' || c == '-' || c == '+'; }
char upper(char c) { return c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c; }

bool known_address(const Controller& c, char letter)
{
    const std::array letters{c.feed,  c.speed,           c.tool,       c.length_register, c.centre[0],  c.centre[1],  c.centre[2], c.radius,
                             c.dwell, c.cycle_clearance, c.cycle_step, c.cycle_dwell,     c.loop_count, c.subprogram, c.rotation};
    return c.axes.contains(letter) || std::find(letters.begin(), letters.end(), letter) != letters.end();
}

void add_word(const Controller& controller, const std::string& word, TextEffect& out)
{
    const char letter = word[0];
    if (const auto found = controller.words.find(normalised_word(word)); found != controller.words.end()) {
        out.words.push_back(&found->second);
    } else if (letter == controller.sequence_number || letter == controller.program_number) {
        return;
    } else if (known_address(controller, letter)) {
        out.addresses += letter;
    } else if (out.unknown.empty()) {
        out.unknown = word;
    }
}

} // namespace

bool TextEffect::has(Group group) const
{
    return std::any_of(words.begin(), words.end(), [&](const WordMeaning* word) { return group_of(word->function) == group; });
}

bool TextEffect::moves(const Controller& controller) const
{
    return std::any_of(addresses.begin(), addresses.end(), [&](char letter) { return controller.axes.contains(letter); }) ||
           std::any_of(words.begin(), words.end(), [](const WordMeaning* word) {
               return word->function == Function::cycle || word->function == Function::subprogram_call;
           });
}

TextEffect effect_of(const Controller& controller, std::string_view line)
{
    TextEffect out;
    for (std::size_t at = 0; at < line.size();) {
        if (line[at] == controller.comment_open) {
            at = std::min(line.find(controller.comment_close, at), line.size() - 1) + 1;
        } else if (is_letter(line[at])) {
            std::string word(1, upper(line[at++]));
            while (at < line.size() && (in_number(line[at]) || line[at] == ' ')) {
                if (line[at] != ' ') {
                    word += line[at];
                }
                ++at;
            }
            add_word(controller, word, out);
        } else {
            if (line[at] != ' ' && line[at] != '%' && line[at] != '\t' && out.unknown.empty()) {
                out.unknown = line[at];
            }
            ++at;
        }
    }
    return out;
}

} // namespace wexilum
