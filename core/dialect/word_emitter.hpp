// Turns statements into blocks of words: addresses, modality, order, numbering, comments.
#pragma once

#include "core/controller/text_effect.hpp"
#include "core/dialect/aside.hpp"
#include "core/dialect/emit_probe.hpp"
#include "core/dialect/line_writer.hpp"
#include "core/dialect/rounding.hpp"
#include "core/dialect/statement.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace wexilum {

/// The new value of a joint's word.
struct JointCounts {
    std::size_t joint;
    std::int64_t counts;
    Quantity quantity;
};

/// The emitter for controls that read blocks of words. It holds what the control is known to hold (modal values); a value
/// that is not known is always restated.
class WordEmitter {
public:
    /// `joint_names` gives the joint ids by index. All arguments must outlive the emitter. `own_thread`: the text is
    /// made on a thread of its own; the program is complete after finish().
    WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names, CodeSink& sink,
                bool own_thread = false);

    /// The record that the following lines are written for.
    void set_source(const Source& source) { source_ = source; }

    /// Notes what happens at the probe's line, from the program's first line on; null: no longer. The probe must outlive its use.
    /// Precondition: nothing has been written yet.
    void set_probe(EmitProbe* probe);

    /// Adds the statement's block, leaving out modal words that are known to hold. Nothing is added where no word is left.
    /// Returns whether a block was added.
    bool emit(const Statement& statement);
    /// Adds a motion block in which only axes and the feed may have changed. The axes' counts are new and stand in the order of
    /// axis_rank(); precondition: axes are modal, and all other words of the block are known to hold.
    void emit_cut(std::span<const JointCounts> axes, const Slot& feed);
    /// Many such blocks at once, each for a record of one file.
    struct Cuts {
        std::span<const std::size_t> joints; ///< whose words may be there, in the order of axis_rank(); up to five
        std::array<Quantity, 5> quantities{};
        std::array<const std::int64_t*, 5> counts{}; ///< of each of them, a column
        std::span<const std::uint8_t> moved;         ///< for each cut, a bit for each of the joints whose counts are new; 0: no block
        std::span<const std::int64_t> feed;          ///< for each cut; where there is no block, anything
        Role feed_role = Role::feed;
        Quantity feed_quantity = Quantity::feed;
        std::uint32_t file = 0;
        const std::uint32_t* line = nullptr; ///< of each cut's record
    };
    /// Precondition: can_emit_cuts().
    void emit_cuts(const Cuts& cuts);
    [[nodiscard]] bool can_emit_cuts() const { return probe_ == nullptr && !aside_; }
    /// The place of a joint's word in a block.
    [[nodiscard]] std::uint8_t axis_rank(std::size_t joint) const { return axes_[joint].rank; }
    /// Adds a line as written. What its words do, by the controller's definition, is known to hold from then on or forgotten.
    TextEffect literal(const std::string& line);
    /// Adds a line as written that changes nothing but the given roles.
    void literal(const std::string& line, std::span<const Role> changes);
    void comment(const std::string& text);

    void forget(Role role);
    /// The word of one joint alone.
    void forget_axis(std::size_t joint)
    {
        axes_[joint].known = false;
        ++forgotten_;
    }
    void forget_after(const std::string& event);
    void forget_all();

    /// A slot for a function's word; nothing where the dialect has no such word.
    [[nodiscard]] std::optional<Slot> function(Function function) const
    {
        const std::string* word = words_[static_cast<std::size_t>(function)];
        return word == nullptr ? std::nullopt : std::optional(Slot{role_of(group_of(function)), 0, Quantity::whole, 0, word});
    }

    /// Grows whenever something that was known to hold is forgotten.
    [[nodiscard]] std::uint64_t forgotten() const { return forgotten_; }
    /// Lines of the program so far, without those that are kept aside.
    [[nodiscard]] std::uint32_t lines() const { return lines_; }
    /// Grows with each line, written or kept aside.
    [[nodiscard]] std::uint64_t stamp() const { return stamp_; }
    /// Of all texts so far.
    [[nodiscard]] std::uint64_t text_bytes() const { return text_bytes_; }

    /// From here on lines are kept instead of written; what they do to the control is remembered as ever. `exact` has the values of the
    /// words made so far, and outlives the keeping. Precondition: no lines are kept.
    void put_aside(const ExactValues& exact);
    [[nodiscard]] bool aside() const { return aside_.has_value(); }
    /// The lines kept since put_aside(); lines are written again.
    [[nodiscard]] Aside take_aside();
    /// Writes kept lines here; what the control is known to hold is left as it is. `called`: as in AsidePlace.
    void write(const Aside& kept, bool called);
    /// A line as it stands that begins or ends a part of the program, without a number.
    void mark(std::string line) { add_line(std::move(line)); }
    /// Where kept lines have been written.
    [[nodiscard]] const std::vector<AsidePlace>& aside_places() const { return aside_places_; }
    /// Everything is with the sink when this returns; nothing may be added afterwards.
    void finish() { writer_.finish(); }
    /// Of the finished program.
    [[nodiscard]] const LineWriter& written() const { return writer_; }

    /// A character in a text that no control reads. The program has "-" in its place, so that a line stays one line.
    struct Unplain {
        Source source;
        std::uint32_t line = 0; ///< of the program; 0 where the line is kept aside
        char character = 0;
    };
    /// At most `most_unplain` of them, the first ones.
    [[nodiscard]] const std::vector<Unplain>& unplain() const { return unplain_; }
    static constexpr std::size_t most_unplain = 100;

private:
    /// What is known of one address, and how its word is written.
    struct Word {
        bool known = false;
        bool modal = false;
        bool turned = false; ///< written with the other sign
        char address = '?';
        std::uint8_t rank = 0; ///< place in the block
        std::int64_t counts = 0;
        const std::string* text = nullptr;
    };
    [[nodiscard]] std::size_t place_of(const Slot& slot) const
    {
        return first_[static_cast<std::size_t>(slot.role)] + std::size_t(slot.index);
    }
    [[nodiscard]] Word& word_of(const Slot& slot) { return memory_[place_of(slot)]; }
    /// The words of a role: one, or one for each joint or direction.
    [[nodiscard]] std::span<Word> words_of(Role role)
    {
        const auto at = static_cast<std::size_t>(role);
        return std::span(memory_).subspan(first_[at], first_[at + 1] - first_[at]);
    }
    [[nodiscard]] Word made(Role role, char address) const;
    /// What a probe has to know of a word beside what it holds.
    struct History {
        std::uint32_t since = 0; ///< the program's line
        Quantity quantity = Quantity::whole;
        std::uint32_t aside = 0; ///< where it was one of the lines kept aside: Aside::id,
        std::uint32_t among = 0; ///< and which of them, from 1
    };
    [[nodiscard]] History happened(Quantity quantity) const;
    [[nodiscard]] std::uint32_t line_of(const History& history) const;
    /// Writes by `write` and notes for the probe what that does to the slots' words.
    template <typename Write>
    bool probed(std::span<const Slot> slots, const Write& write);
    [[nodiscard]] WordTrace traced(std::size_t at, const Word& word) const;
    void note_held();
    void keep(std::span<const Slot> slots, const DecidedWord* words, std::size_t count);
    [[nodiscard]] AsideWord kept_word(Role role, std::size_t index, const DecidedWord& word) const;
    /// Whether the line that comes next is the one that the probe wants.
    [[nodiscard]] bool probe_wants_next() const
    {
        return aside_ ? probe_->aside == aside_->id && probe_->line == aside_->lines.size() + 1
                      : probe_->aside == 0 && probe_->line == lines_ + 1;
    }
    bool emit_slots(std::span<const Slot> slots);
    void write_cut(std::span<const JointCounts> axes, const Slot& feed);
    /// The one way by which texts come into the program.
    void add_line(std::string line);
    [[nodiscard]] std::string numbered(const std::string& words);
    void learn(const WordMeaning& meaning);
    void learn_address(char letter);
    /// Adds the line, numbered where it is a block; whether it is one.
    bool add_literal(const std::string& line);
    /// A line without a number of its own: a comment, the program's number, a tape mark.
    [[nodiscard]] bool is_plain(const std::string& line) const;
    void hold(Role role, const std::string& text);

    const Dialect& dialect_;
    const Controller& controller_;
    const std::vector<std::string>& joint_names_;
    Rounding rounding_;
    std::array<std::uint8_t, 256> rank_{};
    std::vector<Word> memory_;                        ///< role after role
    std::array<std::size_t, role_count + 1> first_{}; ///< where each role's words begin
    std::span<Word> axes_;                            ///< those of Role::axes
    std::array<const std::string*, function_count> words_{};
    LineWriter writer_;
    Source source_ = no_source;
    std::uint64_t forgotten_ = 0;
    std::uint32_t lines_ = 0;
    std::uint64_t stamp_ = 0;
    std::uint64_t text_bytes_ = 0;
    std::vector<Unplain> unplain_;
    std::optional<Aside> aside_; ///< lines that are being kept
    const ExactValues* aside_exact_ = nullptr;
    std::uint32_t asides_ = 0; ///< begun
    std::vector<AsidePlace> aside_places_;
    long long sequence_;
    EmitProbe* probe_ = nullptr;
    std::vector<History> history_; ///< one for each of memory_, with a probe only
};

} // namespace wexilum
