#include "core/dialect/word_emitter.hpp"

#include "core/base/plain_text.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {
WordEmitter::WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names, CodeSink& sink,
                         bool own_thread)
    : dialect_(dialect), controller_(controller), joint_names_(joint_names), rounding_(dialect, controller),
      writer_(dialect, rounding_, sink, own_thread), sequence_(dialect.sequence_start)
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
                                         {Role::cycle_dwell, dialect.cycle_dwell},
                                         {Role::loop_count, dialect.loop_count},
                                         {Role::subprogram, dialect.subprogram},
                                         {Role::rotation_angle, dialect.rotation}};
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
        } else if (role == Role::plane_zero || role == Role::plane_number) {
            const PlaneForm form = dialect.plane ? PlaneForm(*dialect.plane) : PlaneForm();
            for (const char address : role == Role::plane_zero ? form.origin : form.letters) {
                memory_.push_back(made(role, address));
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
    const std::span<const Slot> slots(statement.slots.begin(), statement.slots.size());
    return probe_ == nullptr ? emit_slots(slots) : probed(slots, [&] { return emit_slots(slots); });
}

[[gnu::always_inline]] inline bool WordEmitter::emit_slots(std::span<const Slot> slots)
{
    std::array<DecidedWord, SlotList::most> words;
    std::array<std::uint8_t, SlotList::most> ranks;
    std::size_t count = 0;
    for (const Slot& slot : slots) {
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
    ++stamp_;
    if (aside_) [[unlikely]] {
        keep(slots, words.data(), count);
        return true;
    }
    writer_.words(words.data(), count, sequence_, source_);
    sequence_ += dialect_.sequence_step;
    ++lines_;
    return true;
}

void WordEmitter::emit_cut(std::span<const JointCounts> axes, const Slot& feed)
{
    if (probe_ == nullptr) {
        write_cut(axes, feed);
        return;
    }
    std::vector<Slot> slots{feed};
    for (const auto& [joint, counts, quantity] : axes) {
        slots.push_back({Role::axes, std::uint8_t(joint), quantity, counts, nullptr});
    }
    probed(slots, [&] {
        write_cut(axes, feed);
        return true;
    });
}

[[gnu::always_inline]] inline void WordEmitter::write_cut(std::span<const JointCounts> axes, const Slot& feed)
{
    Word& feed_word = word_of(feed);
    bool due = !feed_word.known || !feed_word.modal || feed_word.counts != feed.counts;
    feed_word.known = true;
    feed_word.counts = feed.counts;
    ++stamp_;
    const auto each = [&](const auto& add) {
        for (const auto& [joint, counts, quantity] : axes) {
            Word& word = axes_[joint];
            if (due && word.rank > feed_word.rank) {
                add(feed.role, 0, feed_word.address, feed.quantity, feed.counts);
                due = false;
            }
            word.known = true;
            word.counts = counts;
            add(Role::axes, joint, word.address, quantity, word.turned ? -counts : counts);
        }
        if (due) {
            add(feed.role, 0, feed_word.address, feed.quantity, feed.counts);
        }
    };
    if (aside_) [[unlikely]] {
        AsideLine& line = aside_->lines.emplace_back();
        line.source = source_;
        each([&](Role role, std::size_t index, char address, Quantity quantity, std::int64_t counts) {
            line.words.push_back(kept_word(role, index, {counts, nullptr, address, quantity}));
        });
        return;
    }
    writer_.begin_line(sequence_);
    each([&](Role, std::size_t, char address, Quantity quantity, std::int64_t counts) { writer_.add(address, quantity, counts); });
    writer_.end_line(source_);
    sequence_ += dialect_.sequence_step;
    ++lines_;
}

void WordEmitter::emit_cuts(const Cuts& cuts)
{
    LineRun& out = writer_.begin_run();
    out.count = 0;
    out.number = sequence_;
    out.step = dialect_.sequence_step;
    out.file = cuts.file;
    Word& feed = word_of({cuts.feed_role, 0, cuts.feed_quantity, 0, nullptr});
    // The feed stands before the first axis that comes later.
    const std::size_t axes = cuts.joints.size();
    std::size_t feed_at = 0;
    while (feed_at < axes && axes_[cuts.joints[feed_at]].rank <= feed.rank) {
        ++feed_at;
    }
    out.words = axes + 1;
    out.word[feed_at] = {feed.address, cuts.feed_quantity};
    for (std::size_t k = 0; k < axes; ++k) {
        const std::size_t joint = cuts.joints[k];
        out.word[k < feed_at ? k : k + 1] = {axes_[joint].address, cuts.quantities[k]};
    }
    const auto below = std::uint8_t((1U << feed_at) - 1);
    std::size_t lines = 0;
    std::array<std::uint8_t, longest_run> from; // the cut of each block
    for (std::size_t i = 0; i < cuts.moved.size(); ++i) {
        if (cuts.moved[i] == 0) {
            continue;
        }
        const bool due = !feed.known || !feed.modal || feed.counts != cuts.feed[i];
        feed.known = true;
        feed.counts = cuts.feed[i];
        out.counts[feed_at][lines] = cuts.feed[i];
        const unsigned moved = cuts.moved[i];
        out.due[lines] = std::uint8_t((moved & below) | (moved & ~below) << 1 | unsigned{due} << feed_at);
        out.line[lines] = cuts.line[i];
        from[lines++] = std::uint8_t(i);
    }
    if (lines == 0) {
        return;
    }
    for (std::size_t k = 0; k < axes; ++k) {
        Word& word = axes_[cuts.joints[k]];
        LineRun::Counts& to = out.counts[k < feed_at ? k : k + 1];
        const std::int64_t sign = word.turned ? -1 : 1;
        for (std::size_t n = 0; n < lines; ++n) {
            to[n] = sign * cuts.counts[k][from[n]];
        }
        word.counts = cuts.counts[k][from[lines - 1]];
    }
    out.count = lines;
    stamp_ += lines;
    sequence_ += static_cast<long long>(lines) * dialect_.sequence_step;
    lines_ += static_cast<std::uint32_t>(lines);
    writer_.end_run();
}

// --- lines kept aside -----------------------------------------------------------------------------------------------

void WordEmitter::put_aside(const ExactValues& exact)
{
    aside_ = Aside{++asides_, {}};
    aside_exact_ = &exact;
}

AsideWord WordEmitter::kept_word(Role role, std::size_t index, const DecidedWord& word) const
{
    AsideWord out{role, std::uint8_t(index), word.address, word.quantity, word.counts, word.text, std::nullopt};
    const auto exact = role == Role::axes ? aside_exact_->find(role, index) : std::nullopt;
    if (exact) {
        const double counts = *exact / rounding_.step(word.quantity) * (axes_[index].turned ? -1 : 1);
        if (std::abs(counts - double(word.counts)) < 0.500001) { // not one of another block
            out.exact = counts;
        }
    }
    return out;
}

Aside WordEmitter::take_aside()
{
    Aside out = std::move(*aside_);
    aside_.reset();
    return out;
}

[[gnu::noinline, gnu::cold]] void WordEmitter::keep(std::span<const Slot> slots, const DecidedWord* words, std::size_t count)
{
    AsideLine& line = aside_->lines.emplace_back();
    line.source = source_;
    for (const DecidedWord* word = words; word != words + count; ++word) {
        const auto slot = std::find_if(slots.begin(), slots.end(), [&](const Slot& s) {
            const Word& held = word_of(s);
            return s.text == word->text && s.quantity == word->quantity && (s.text != nullptr || held.address == word->address) &&
                   (held.turned ? -s.counts : s.counts) == word->counts;
        });
        line.words.push_back(kept_word(slot->role, slot->index, *word));
    }
}

void WordEmitter::write(const Aside& kept, bool called)
{
    const Source before = source_;
    aside_places_.push_back({kept.id, lines_ + 1, std::uint32_t(kept.lines.size()), called, kept.copies});
    for (const AsideLine& line : kept.lines) {
        source_ = line.source;
        ++stamp_;
        if (line.words.empty()) {
            const bool plain = is_plain(line.text);
            writer_.text(plain ? line.text : numbered(line.text), source_);
        } else {
            std::array<DecidedWord, SlotList::most> words;
            std::transform(line.words.begin(), line.words.end(), words.begin(), [](const AsideWord& word) {
                return DecidedWord{word.counts, word.text, word.address, word.quantity};
            });
            writer_.words(words.data(), line.words.size(), sequence_, source_);
            sequence_ += dialect_.sequence_step;
        }
        ++lines_;
    }
    source_ = before;
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
    const bool wanted = probe_ != nullptr && probe_wants_next();
    ++stamp_;
    text_bytes_ += line.size();
    for (char& c : line) {
        if (!wexilum::is_plain(c)) [[unlikely]] {
            if (unplain_.size() < most_unplain) {
                unplain_.push_back({source_, aside_ ? 0 : lines_ + 1, c});
            }
            c = '-';
        }
    }
    if (aside_) {
        AsideLine& kept = aside_->lines.emplace_back();
        kept.text = std::move(line);
        kept.source = source_;
    } else {
        writer_.text(std::move(line), source_);
        ++lines_;
    }
    if (wanted) {
        probe_->seen = probe_->is_text = true;
        note_held();
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

bool WordEmitter::is_plain(const std::string& line) const
{
    return line.empty() || line[0] == '%' || line[0] == controller_.program_number || line[0] == dialect_.comment_open;
}

bool WordEmitter::add_literal(const std::string& line)
{
    const bool plain = is_plain(line);
    add_line(plain || aside_ ? line : numbered(line)); // one kept aside gets its number where it is written in the end
    return !plain;
}

TextEffect WordEmitter::literal(const std::string& line)
{
    TextEffect effect = add_literal(line) ? effect_of(controller_, line) : TextEffect();
    for (const WordMeaning* word : effect.words) {
        learn(*word);
    }
    for (const char letter : effect.addresses) {
        learn_address(letter);
    }
    const bool calls = std::any_of(effect.words.begin(), effect.words.end(),
                                   [](const WordMeaning* word) { return word->function == Function::subprogram_call; });
    if (!effect.unknown.empty() || calls) {
        forget_all(); // a word that the control's definition does not explain, or a subprogram, may have changed anything
    }
    return effect;
}

void WordEmitter::literal(const std::string& line, std::span<const Role> changes)
{
    add_literal(line);
    for (const Role role : changes) {
        forget(role);
    }
}

void WordEmitter::hold(Role role, const std::string& text)
{
    Word& word = words_of(role)[0];
    if (probe_ != nullptr && !(word.known && word.text != nullptr && *word.text == text)) {
        history_[std::size_t(&word - memory_.data())] = happened(Quantity::whole);
    }
    word.known = true;
    word.counts = 0;
    word.text = &text;
}

void WordEmitter::learn(const WordMeaning& meaning)
{
    const Role role = role_of(group_of(meaning.function));
    if (meaning.function == Function::cycle) {
        for (const Role lost : {Role::motion, Role::axes, Role::cycle_clearance, Role::cycle_depth, Role::cycle_step, Role::cycle_dwell}) {
            forget(lost);
        }
    } else if (meaning.function == Function::work_offset) {
        const auto word = dialect_.work_offsets.find(meaning.work_register);
        word == dialect_.work_offsets.end() ? forget(role) : hold(role, word->second);
    } else if (role != Role::once) {
        const auto word = dialect_.words.find(meaning.function);
        word == dialect_.words.end() ? forget(role) : hold(role, word->second);
    }
}

void WordEmitter::learn_address(char letter)
{
    if (const auto axis = controller_.axes.find(letter); axis != controller_.axes.end()) {
        const auto at = std::find(joint_names_.begin(), joint_names_.end(), axis->second) - joint_names_.begin();
        if (std::size_t(at) < axes_.size()) {
            axes_[std::size_t(at)].known = false;
            ++forgotten_;
        }
    } else if (letter == controller_.feed) {
        forget(Role::feed);
        forget(Role::inverse_feed);
    } else if (letter == controller_.speed) {
        forget(Role::speed);
    } else if (letter == controller_.length_register) {
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

// --- probing --------------------------------------------------------------------------------------------------------

void WordEmitter::set_probe(EmitProbe* probe)
{
    probe_ = probe;
    history_.assign(memory_.size(), {});
}

WordEmitter::History WordEmitter::happened(Quantity quantity) const
{
    return {lines_, quantity, aside_ ? aside_->id : 0, aside_ ? std::uint32_t(aside_->lines.size()) : 0};
}

/// Lines that were kept aside are reported where they were written in the end; so are copies that calls have replaced.
std::uint32_t WordEmitter::line_of(const History& history) const
{
    const auto stands = history.aside != 0 ? probe_->asides.find(history.aside) : probe_->asides.end();
    return stands != probe_->asides.end() ? stands->second + history.among - 1 : history.since;
}

WordTrace WordEmitter::traced(std::size_t at, const Word& word) const
{
    const History& history = history_[at];
    WordTrace out;
    out.role = static_cast<Role>(std::upper_bound(first_.begin(), first_.end(), at) - first_.begin() - 1);
    out.index = at - first_[static_cast<std::size_t>(out.role)];
    out.quantity = history.quantity;
    out.modal = word.modal;
    out.since = line_of(history);
    if (word.text != nullptr) {
        out.text = *word.text;
        return out;
    }
    out.is_number = true;
    out.text = word.address + rounding_.text(history.quantity, word.turned ? -word.counts : word.counts);
    out.value = rounding_.value(history.quantity, word.counts);
    out.increment = rounding_.step(history.quantity);
    return out;
}

void WordEmitter::note_held()
{
    for (std::size_t at = 0; at < memory_.size(); ++at) {
        const Word& word = memory_[at];
        if (word.known && word.modal && (word.text == nullptr || !word.text->empty())) {
            probe_->held.push_back(traced(at, word));
        }
    }
}

template <typename Write>
bool WordEmitter::probed(std::span<const Slot> slots, const Write& write)
{
    std::vector<std::optional<WordTrace>> before;
    std::vector<Word> words;
    const bool wanted = probe_wants_next();
    for (const Slot& slot : slots) {
        const Word& word = word_of(slot);
        words.push_back(word);
        before.push_back(wanted && word.known ? std::optional(traced(place_of(slot), word)) : std::nullopt);
    }
    const bool added = write();
    std::vector<std::size_t> written; // places in memory_
    std::vector<std::uint8_t> ranks;
    for (std::size_t i = 0; i < slots.size() && added; ++i) {
        const Slot& slot = slots[i];
        const std::size_t at = place_of(slot);
        const bool same_text =
            words[i].text == slot.text || (words[i].text != nullptr && slot.text != nullptr && *words[i].text == *slot.text);
        const bool same = words[i].known && words[i].counts == slot.counts && same_text;
        if (!same) {
            history_[at] = happened(slot.quantity);
        }
        if (!wanted || (same && words[i].modal)) {
            continue;
        }
        WordTrace word = traced(at, memory_[at]);
        // A value noted for another block does not come to this word.
        const auto exact = probe_->exact.find(slot.role, slot.index);
        if (exact && rounding_.counts(slot.quantity, *exact) == slot.counts) {
            word.exact = exact;
        }
        if (before[i] && words[i].modal) { // otherwise nothing was in force
            word.was = before[i]->text;
            word.was_since = before[i]->since;
        }
        const auto first = static_cast<unsigned char>(word.text.empty() ? '?' : word.text[0]);
        const auto place = std::upper_bound(ranks.begin(), ranks.end(), rank_[first]) - ranks.begin();
        ranks.insert(ranks.begin() + place, rank_[first]);
        written.insert(written.begin() + place, at);
        probe_->written.insert(probe_->written.begin() + place, std::move(word));
    }
    if (wanted && added) {
        probe_->seen = true;
        note_held();
        std::erase_if(probe_->held, [&](const WordTrace& held) {
            return std::find(written.begin(), written.end(), first_[static_cast<std::size_t>(held.role)] + held.index) != written.end();
        });
    }
    return added;
}

} // namespace wexilum
