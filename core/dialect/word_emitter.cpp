#include "core/dialect/word_emitter.hpp"

#include <algorithm>
#include <charconv>

namespace wexilum {
namespace {

bool is_letter(char c) { return c >= 'A' && c <= 'Z'; }

} // namespace

WordEmitter::WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names, CodeSink& sink)
    : dialect_(dialect), rounding_(dialect, controller), known_axes_(joint_names.size()), sink_(sink), sequence_(dialect.sequence_start)
{
    for (const auto& [function, word] : dialect.words) {
        words_[static_cast<std::size_t>(function)] = &word;
    }
    for (const Role role : dialect.modal) {
        modal_[static_cast<std::size_t>(role)] = true;
    }
    for (std::size_t i = 0; i < rank_.size(); ++i) {
        rank_[i] = static_cast<std::uint8_t>(std::min({dialect.order.find(static_cast<char>(i)), dialect.order.size(), std::size_t{255}}));
    }
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
    default: return slot.text == nullptr || slot.text->empty() ? '?' : (*slot.text)[0];
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
        const Slot* slot;
        char address;
        std::uint8_t rank;
    };
    std::array<Word, SlotList::most> words;
    std::size_t count = 0;
    std::size_t room = 32; // for the number, and below for each word
    for (const Slot& slot : statement.slots) {
        Known& known = memory(slot);
        const bool same = known.known && known.counts == slot.counts &&
                          (known.text == slot.text || (known.text != nullptr && slot.text != nullptr && *known.text == *slot.text));
        known = {true, slot.counts, slot.text};
        if (slot.role == Role::cycle_depth) {
            known_axes_[std::size_t(slot.index)].known = false;
        }
        if (same && modal_[static_cast<std::size_t>(slot.role)]) {
            continue;
        }
        const char address = address_of(slot);
        const Word word{&slot, address, rank_[static_cast<unsigned char>(address)]};
        std::size_t at = count++;
        for (; at > 0 && words[at - 1].rank > word.rank; --at) {
            words[at] = words[at - 1];
        }
        words[at] = word;
        room += dialect_.separator.size() + (slot.text != nullptr ? slot.text->size() : 1 + most_decimal_text);
    }
    if (count == 0) {
        return false;
    }
    if (line_.size() < room) {
        line_.resize(room);
    }
    char* out = line_.data();
    const auto add = [&](std::string_view text) { out = std::copy(text.begin(), text.end(), out); };
    if (dialect_.sequence) {
        *out++ = dialect_.sequence_letter;
        out = std::to_chars(out, out + 24, sequence_).ptr;
        sequence_ += dialect_.sequence_step;
    }
    for (std::size_t i = 0; i < count; ++i) {
        const Slot& slot = *words[i].slot;
        if (i > 0 || dialect_.sequence) {
            add(dialect_.separator);
        }
        if (slot.text != nullptr) {
            add(*slot.text);
            continue;
        }
        const bool turned = (slot.role == Role::axes || slot.role == Role::cycle_depth) && axis_words_[std::size_t(slot.index)].sign < 0;
        *out++ = words[i].address;
        out = rounding_.write(out, slot.quantity, turned ? -slot.counts : slot.counts);
    }
    add_line(std::string_view(line_.data(), static_cast<std::size_t>(out - line_.data())));
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

void WordEmitter::add_line(std::string_view line)
{
    sink_.line(line, source_);
    bytes_ += line.size() + 1;
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
                known_[static_cast<std::size_t>(role)] = {true, 0, &text};
            }
            return;
        }
    }
    for (const auto& [name, text] : dialect_.work_offsets) {
        if (normalised_word(text) == normal) {
            known_[static_cast<std::size_t>(Role::offset)] = {true, 0, &text};
            return;
        }
    }
    const char letter = word[0];
    for (std::size_t i = 0; i < axis_words_.size(); ++i) {
        if (axis_words_[i].address == letter) {
            known_axes_[i].known = false;
            ++forgotten_;
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
    ++forgotten_;
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

} // namespace wexilum
