// The one expression language: conditions of sections, numbers of jobs, values of options. Pure, with units, without loops.
//
//   tool_length > 150 mm and not (operation = "20")        if(has(next_tool), next_tool, tool)        2 in + 0.5 mm
//
// Values are numbers with a dimension, flags and texts. A name may have no value at the time ("the next tool" at the last one); whatever
// is made of it has none either, but for has(x) and first(x, y).
#pragma once

#include "core/base/result.hpp"

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace wexilum::expr {

enum class Type : std::uint8_t { number, flag, text };

/// Exponents of length, angle, time and revolutions.
struct Dimension {
    std::int8_t length = 0;
    std::int8_t angle = 0;
    std::int8_t time = 0;
    std::int8_t turns = 0;
    friend bool operator==(const Dimension&, const Dimension&) = default;
};
inline constexpr Dimension plain{};
inline constexpr Dimension length{1, 0, 0, 0};
inline constexpr Dimension angle{0, 1, 0, 0};
inline constexpr Dimension time{0, 0, 1, 0};
inline constexpr Dimension feed{1, 0, -1, 0};
inline constexpr Dimension feed_per_turn{1, 0, 0, -1};
inline constexpr Dimension speed{0, 0, -1, 1};
/// "a length", "a feed", … for messages.
[[nodiscard]] std::string name_of(const Dimension& dimension);

/// A name that expressions may use.
struct Name {
    std::string name;
    Type type = Type::number;
    Dimension dimension; ///< of a number
    std::string help;    ///< one sentence
};

/// Nothing, or a value. Numbers are in mm, rad, s and revolutions (a speed in revolutions a second).
using Value = std::variant<std::monostate, double, bool, std::string>;
[[nodiscard]] inline bool present(const Value& value) { return value.index() != 0; }

class Expression {
public:
    /// Reads and checks an expression: every name must be among `names`, every operation must fit its values. Errors have the column
    /// (counted in bytes from 1) in their place and no file.
    static Result<Expression> parse(std::string_view text, std::span<const Name> names);

    [[nodiscard]] Type type() const;
    [[nodiscard]] Dimension dimension() const;
    /// The value for the names' values, given in the order of the names it was parsed with. An Error where it can't be computed, such as
    /// a division by zero.
    [[nodiscard]] Result<Value> evaluate(std::span<const Value> values) const;

private:
    struct Node;
    class Parser;
    struct Evaluation;
    explicit Expression(std::shared_ptr<const Node> root) : root_(std::move(root)) {}
    std::shared_ptr<const Node> root_;
};

/// A number as people read it: lengths in mm (or inches), angles in degrees, feeds a minute, speeds in rpm, times in seconds.
[[nodiscard]] double shown(double value, const Dimension& dimension, bool inches);
/// A value as text: numbers as shown() with exactly `decimals` places or, below zero, as few as three places need.
[[nodiscard]] std::string text_of(const Value& value, const Dimension& dimension, int decimals, bool inches);

} // namespace wexilum::expr
