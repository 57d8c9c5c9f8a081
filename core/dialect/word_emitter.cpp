#include "core/dialect/word_emitter.hpp"

#include <algorithm>

namespace wexilum {
namespace {

bool is_letter(char c) { return c >= 'A' && c <= 'Z'; }

} // namespace

WordEmitter::WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names, CodeSink& sink,
                         bool own_thread)
    : dialect_(dialect), rounding_(dialect, controller), writer_(dialect, rounding_, sink, own_thread), sequence_(dialect.sequence_start)
{
    for (const auto& [function, word] : dialect.words) {
        words_[static_cast<std::size_t>(function)] = &word;
    }
    for (std::size_t i = 0; i < rank_.size(); ++i) {
        rank_[i] = static_cast<std::uint8_t>(std::min({dialect.order.find(static_cast<char>(i)), dialect.order.size(), std::size_t{255}}));
    }
    const std::map<Role, char> addresses{{Role::radius, dialect.radius},
                                         {Role::feed, dialect.feed},
                                         {Role::inverse_feed, dialect.feed},
                                         {Role::speed, dialect.speed},
                                         {Role::tool, dialect.tool},
                                         {Role::length_register, dialect.length_register},
                                         {Role::dwell, dialect.dwell},
                                         {Role::cycle_clearance, dialect.cycle_clearance},
                                         {Role::cycle_step, dialect.cycle_step},
                                         {Role::cycle_dwell, dialect.cycle_dwell}};
    for (std::size_t i = 0; i < role_count; ++i) {
        const auto role = static_cast<Role>(i);
        first_[i] = memory_.size();
        if (role == Role::axes || role == Role::cycle_depth) {
            for (const std::string& name : joint_names) {
                const auto found = dialect.axes.find(name);
                const AxisWord axis = found == dialect.axes.end() ? AxisWord{'?', 1} : found->second;
                memory_.push_back(made(role, axis.address));
                memory_.back().turned = axis.sign < 0;
            }
        } else if (role == Role::centre) {
            for (const char address : dialect.centre) {
                memory_.push_back(made(role, address));
            }
        } else {
            const auto address = addresses.find(role);
            memory_.push_back(made(role, address == addresses.end() ? '?' : address->second));
        }
    }
    first_[role_count] = memory_.size();
    axes_ = words_of(Role::axes);
}

WordEmitter::Word WordEmitter::made(Role role, char address) const
{
    Word word;
    word.modal = dialect_.modal.contains(role);
    word.address = address;
    word.rank = rank_[static_cast<unsigned char>(address)];
    return word;
}

bool WordEmitter::emit(const Statement& statement)
{
    std::array<DecidedWord, SlotList::most> words;
    std::array<std::uint8_t, SlotList::most> ranks;
    std::size_t count = 0;
    for (const Slot& slot : statement.slots) {
        Word& word = word_of(slot);
        const bool same = word.known && word.counts == slot.counts &&
                          (word.text == slot.text || (word.text != nullptr && slot.text != nullptr && *word.text == *slot.text));
        word.known = true;
        word.counts = slot.counts;
        word.text = slot.text;
        if (slot.role == Role::cycle_depth) {
            words_of(Role::axes)[std::size_t(slot.index)].known = false;
        }
        if (same && word.modal) {
            continue;
        }
        std::uint8_t rank = word.rank;
        if (slot.text != nullptr) {
            rank = slot.text->empty() ? rank_['?'] : rank_[static_cast<unsigned char>((*slot.text)[0])];
        }
        std::size_t at = count++;
        for (; at > 0 && ranks[at - 1] > rank; --at) {
            words[at] = words[at - 1];
            ranks[at] = ranks[at - 1];
        }
        words[at] = {word.turned ? -slot.counts : slot.counts, slot.text, word.address, slot.quantity};
        ranks[at] = rank;
    }
    if (count == 0) {
        return false;
    }
    writer_.words(words.data(), count, sequence_, source_);
    sequence_ += dialect_.sequence_step;
    ++lines_;
    return true;
}

void WordEmitter::emit_cut(std::span<const JointCounts> axes, const Slot& feed)
{
    Word& feed_word = word_of(feed);
    bool due = !feed_word.known || !feed_word.modal || feed_word.counts != feed.counts;
    feed_word.known = true;
    feed_word.counts = feed.counts;
    writer_.begin_line(sequence_);
    for (const auto& [joint, counts, quantity] : axes) {
        Word& word = axes_[joint];
        if (due && word.rank > feed_word.rank) {
            writer_.add(feed_word.address, feed.quantity, feed.counts);
            due = false;
        }
        word.known = true;
        word.counts = counts;
        writer_.add(word.address, quantity, word.turned ? -counts : counts);
    }
    if (due) {
        writer_.add(feed_word.address, feed.quantity, feed.counts);
    }
    writer_.end_line(source_);
    sequence_ += dialect_.sequence_step;
    ++lines_;
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

void WordEmitter::add_line(std::string line)
{
    writer_.text(std::move(line), source_);
    ++lines_;
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

void WordEmitter::hold(Role role, const std::string& text)
{
    Word& word = words_of(role)[0];
    word.known = true;
    word.counts = 0;
    word.text = &text;
}

void WordEmitter::learn_literal(const std::string& word)
{
    const std::string normal = normalised_word(word);
    for (const auto& [function, text] : dialect_.words) {
        if (normalised_word(text) == normal) {
            const Role role = role_of(group_of(function));
            if (role != Role::once) {
                hold(role, text);
            }
            return;
        }
    }
    for (const auto& [name, text] : dialect_.work_offsets) {
        if (normalised_word(text) == normal) {
            hold(Role::offset, text);
            return;
        }
    }
    const char letter = word[0];
    for (Word& axis : words_of(Role::axes)) {
        if (axis.address == letter) {
            axis.known = false;
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
    for (Word& word : words_of(role)) {
        word.known = false;
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
