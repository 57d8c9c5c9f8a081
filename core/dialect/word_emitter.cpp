#include "core/dialect/word_emitter.hpp"

#include <algorithm>

namespace wexilum {
namespace {

bool is_letter(char c) { return c >= 'A' && c <= 'Z'; }

} // namespace

WordEmitter::WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names)
    : dialect_(dialect), rounding_(dialect, controller), known_axes_(joint_names.size()), sequence_(dialect.sequence_start)
{
    for (const std::string& name : joint_names) {
        const auto found = dialect.axes.find(name);
        axis_words_.push_back(found == dialect.axes.end() ? AxisWord{'?', 1} : found->second);
    }
}

char WordEmitter::address_of(const Slot& slot) const
{
    switch (slot.role) {
    case Role::axes: return axis_words_[std::size_t(slot.index)].address;
    case Role::centre: return dialect_.centre[std::size_t(slot.index)];
    case Role::radius: return dialect_.radius;
    case Role::feed:
    case Role::inverse_feed: return dialect_.feed;
    case Role::speed: return dialect_.speed;
    case Role::tool: return dialect_.tool;
    case Role::length_register: return dialect_.length_register;
    case Role::dwell: return dialect_.dwell;
    case Role::cycle_clearance: return dialect_.cycle_clearance;
    case Role::cycle_depth: return axis_words_[std::size_t(slot.index)].address;
    case Role::cycle_step: return dialect_.cycle_step;
    case Role::cycle_dwell: return dialect_.cycle_dwell;
    default: return slot.text.empty() ? '?' : slot.text[0];
    }
}

WordEmitter::Known& WordEmitter::memory(const Slot& slot)
{
    if (slot.role == Role::axes) {
        return known_axes_[std::size_t(slot.index)];
    }
    if (slot.role == Role::centre) {
        return known_centre_[std::size_t(slot.index)];
    }
    return known_[static_cast<std::size_t>(slot.role)];
}

bool WordEmitter::emit(const Statement& statement)
{
    struct Word {
        std::size_t rank;
        std::string text;
    };
    std::vector<Word> words;
    for (const Slot& slot : statement.slots) {
        Known& known = memory(slot);
        const bool same = known.known && known.counts == slot.counts && known.text == slot.text;
        known = {true, slot.counts, slot.text};
        if (slot.role == Role::cycle_depth) {
            known_axes_[std::size_t(slot.index)].known = false;
        }
        if (same && dialect_.modal.contains(slot.role)) {
            continue;
        }
        const char address = address_of(slot);
        const std::size_t rank = std::min(dialect_.order.find(address), dialect_.order.size());
        std::string text = slot.text;
        if (text.empty()) {
            const bool turned =
                (slot.role == Role::axes || slot.role == Role::cycle_depth) && axis_words_[std::size_t(slot.index)].sign < 0;
            text = address + rounding_.text(slot.quantity, turned ? -slot.counts : slot.counts);
        }
        words.push_back({rank, std::move(text)});
    }
    if (words.empty()) {
        return false;
    }
    std::stable_sort(words.begin(), words.end(), [](const Word& a, const Word& b) { return a.rank < b.rank; });
    std::string line;
    for (const Word& word : words) {
        if (!line.empty()) {
            line += dialect_.separator;
        }
        line += word.text;
    }
    add_line(numbered(line));
    return true;
}

std::string WordEmitter::numbered(const std::string& words)
{
    if (!dialect_.sequence) {
        return words;
    }
    const std::string number = dialect_.sequence_letter + std::to_string(sequence_);
    sequence_ += dialect_.sequence_step;
    return number + dialect_.separator + words;
}

void WordEmitter::add_line(const std::string& line)
{
    text_ += line;
    text_ += '\n';
    ++lines_;
    if (line.size() > longest_) {
        longest_ = line.size();
        longest_line_ = lines_;
    }
}

void WordEmitter::comment(const std::string& text)
{
    std::string line;
    for (const char c : text) {
        const bool bracket = c == dialect_.comment_open || c == dialect_.comment_close;
        const bool plain = c >= ' ' && c < 127 && !bracket;
        line += plain ? (dialect_.comment_upper && c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c) : '-';
    }
    add_line(dialect_.comment_open + line + dialect_.comment_close);
}

void WordEmitter::literal(const std::string& line)
{
    const bool plain = line.empty() || line[0] == '%' || line[0] == 'O' || line[0] == dialect_.comment_open;
    add_line(plain ? line : numbered(line));
    if (plain) {
        return;
    }
    std::string word;
    bool comment = false;
    for (const char c : line + " ") {
        if (c == dialect_.comment_open) {
            comment = true;
        }
        if (!comment && ((c >= '0' && c <= '9') || c == '.' || c == '-' || c == '+')) {
            word += c;
        } else if (!comment) {
            if (!word.empty()) {
                learn_literal(word);
            }
            word = is_letter(c) ? std::string(1, c) : std::string();
        }
        if (c == dialect_.comment_close) {
            comment = false;
        }
    }
}

void WordEmitter::learn_literal(const std::string& word)
{
    const std::string normal = normalised_word(word);
    for (const auto& [function, text] : dialect_.words) {
        if (normalised_word(text) == normal) {
            const Role role = role_of(group_of(function));
            if (role != Role::once) {
                known_[static_cast<std::size_t>(role)] = {true, 0, text};
            }
            return;
        }
    }
    for (const auto& [name, text] : dialect_.work_offsets) {
        if (normalised_word(text) == normal) {
            known_[static_cast<std::size_t>(Role::offset)] = {true, 0, text};
            return;
        }
    }
    const char letter = word[0];
    for (std::size_t i = 0; i < axis_words_.size(); ++i) {
        if (axis_words_[i].address == letter) {
            known_axes_[i].known = false;
            return;
        }
    }
    if (letter == 'G' || letter == 'M') {
        forget_all(); // a word that this dialect does not explain may have changed anything
    } else if (letter == dialect_.feed) {
        forget(Role::feed);
        forget(Role::inverse_feed);
    } else if (letter == dialect_.speed) {
        forget(Role::speed);
    } else if (letter == dialect_.length_register) {
        forget(Role::length_register);
    }
}

void WordEmitter::forget(Role role)
{
    known_[static_cast<std::size_t>(role)].known = false;
    if (role == Role::axes) {
        for (Known& known : known_axes_) {
            known.known = false;
        }
    }
    if (role == Role::centre) {
        for (Known& known : known_centre_) {
            known.known = false;
        }
    }
}

void WordEmitter::forget_after(const std::string& event)
{
    if (const auto found = dialect_.restate.find(event); found != dialect_.restate.end()) {
        for (const Role role : found->second) {
            forget(role);
        }
    }
}

void WordEmitter::forget_all()
{
    for (std::size_t i = 0; i < role_count; ++i) {
        forget(static_cast<Role>(i));
    }
}

std::optional<Slot> WordEmitter::function(Function function) const
{
    const auto word = dialect_.word(function);
    if (!word) {
        return std::nullopt;
    }
    return Slot{role_of(group_of(function)), 0, Quantity::whole, 0, *word};
}

} // namespace wexilum
