// Turns statements into blocks of words: addresses, modality, order, numbering, comments.
#pragma once

#include "core/dialect/rounding.hpp"
#include "core/toolpath/record.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// One typed value of a statement. For function roles `text` is the word; for the others `counts` in the quantity's last decimal.
struct Slot {
    Role role = Role::once;
    int index = 0; ///< joint of an axis, 0..2 of a centre
    Quantity quantity = Quantity::whole;
    std::int64_t counts = 0;
    std::string text;
};

enum class StatementKind { motion, cycle, state, tool_change, dwell, stop, text };

struct Statement {
    StatementKind kind = StatementKind::state;
    std::vector<Slot> slots;
};

/// The emitter for controls that read blocks of words. It holds what the control is known to hold (modal values); a value
/// that is not known is always restated.
class WordEmitter {
public:
    /// `joint_names` gives the joint ids by index. All arguments must outlive the emitter.
    WordEmitter(const Dialect& dialect, const Controller& controller, const std::vector<std::string>& joint_names);

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
    [[nodiscard]] std::optional<Slot> function(Function function) const;

    [[nodiscard]] const std::string& text() const { return text_; }
    [[nodiscard]] std::uint32_t lines() const { return lines_; }
    [[nodiscard]] std::uint32_t longest_line() const { return longest_line_; }
    [[nodiscard]] std::size_t longest() const { return longest_; }

private:
    struct Known {
        bool known = false;
        std::int64_t counts = 0;
        std::string text;
    };
    [[nodiscard]] char address_of(const Slot& slot) const;
    [[nodiscard]] Known& memory(const Slot& slot);
    void add_line(const std::string& line);
    [[nodiscard]] std::string numbered(const std::string& words);
    void learn_literal(const std::string& word);

    const Dialect& dialect_;
    Rounding rounding_;
    std::vector<AxisWord> axis_words_;
    std::array<Known, role_count> known_;
    std::vector<Known> known_axes_;
    std::array<Known, 3> known_centre_;
    std::string text_;
    std::uint32_t lines_ = 0;
    std::uint32_t longest_line_ = 0;
    std::size_t longest_ = 0;
    long long sequence_;
};

} // namespace wexilum
