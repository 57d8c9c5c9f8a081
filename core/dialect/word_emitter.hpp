// Turns statements into blocks of words: addresses, modality, order, numbering, comments.
#pragma once

#include "core/dialect/rounding.hpp"
#include "core/dialect/statement.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Receives the program, line by line.
class CodeSink {
public:
    virtual ~CodeSink() = default;
    /// One line without its end, and the record it was written for.
    virtual void line(std::string_view text, const Source& source) = 0;
};

/// The emitter for controls that read blocks of words. It holds what the control is known to hold (modal values); a value
/// that is not known is always restated.
class WordEmitter {
public:
    /// `joint_names` gives the joint ids by index. All arguments must outlive the emitter.
    WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names, CodeSink& sink);

    /// The record that the following lines are written for.
    void set_source(const Source& source) { source_ = source; }

    /// Adds the statement's block, leaving out modal words that are known to hold. Nothing is added where no word is left.
    /// Returns whether a block was added.
    bool emit(const Statement& statement);
    /// Adds a line as written; its words update or forget what the control is known to hold.
    void literal(const std::string& line);
    void comment(const std::string& text);

    void forget(Role role);
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
    /// Bytes written, a line end for each line included.
    [[nodiscard]] std::uint64_t bytes() const { return bytes_; }
    [[nodiscard]] std::uint32_t lines() const { return lines_; }
    [[nodiscard]] std::uint32_t longest_line() const { return longest_line_; }
    [[nodiscard]] std::size_t longest() const { return longest_; }

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
    [[nodiscard]] Word& word_of(const Slot& slot)
    {
        switch (slot.role) {
        case Role::axes: return axis_words_[std::size_t(slot.index)];
        case Role::centre: return centre_words_[std::size_t(slot.index)];
        case Role::cycle_depth: return depth_words_[std::size_t(slot.index)];
        default: return role_words_[static_cast<std::size_t>(slot.role)];
        }
    }
    [[nodiscard]] Word made(Role role, char address) const;
    void add_line(std::string_view line);
    [[nodiscard]] std::string numbered(const std::string& words);
    void learn_literal(const std::string& word);
    void hold(Role role, const std::string& text);

    const Dialect& dialect_;
    Rounding rounding_;
    std::array<std::uint8_t, 256> rank_{};
    std::array<Word, role_count> role_words_;
    std::vector<Word> axis_words_;
    std::vector<Word> depth_words_; ///< the depth of a cycle, by the joint it drills along
    std::array<Word, 3> centre_words_;
    std::array<const std::string*, function_count> words_{};
    CodeSink& sink_;
    Source source_;
    std::string line_; ///< room for one line
    std::uint64_t forgotten_ = 0;
    std::uint64_t bytes_ = 0;
    std::uint32_t lines_ = 0;
    std::uint32_t longest_line_ = 0;
    std::size_t longest_ = 0;
    long long sequence_;
};

} // namespace wexilum
