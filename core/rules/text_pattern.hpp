// Lua's text patterns (Lua 5.4 reference manual, 6.4.1), matched within a number of steps: Lua's own matcher can take exponentially
// many, and nothing could stop it.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <stdexcept>
#include <string_view>

namespace wexilum {

/// A pattern that breaks the grammar or takes too many steps. Never leaves the functions that call the matcher.
struct PatternError : std::runtime_error {
    using std::runtime_error::runtime_error;
};

class TextPattern {
public:
    static constexpr std::size_t most_captures = 32;
    static constexpr std::ptrdiff_t position = -2; ///< length of a capture "()"

    struct Capture {
        std::size_t begin = 0;
        std::ptrdiff_t length = 0; ///< or `position`
    };

    /// Both texts must outlive the object. `steps` is counted up; beyond `most` a PatternError is thrown.
    TextPattern(std::string_view subject, std::string_view pattern, std::uint64_t& steps, std::uint64_t most)
        : subject_(subject), pattern_(pattern), steps_(steps), most_(most)
    {}

    /// Whether the pattern, from byte `from` of it, matches at `at`; `end` is then one past the match.
    bool match(std::size_t at, std::size_t from, std::size_t& end);
    [[nodiscard]] std::size_t captures() const { return level_; }
    /// Precondition: index < captures(), after a match.
    [[nodiscard]] Capture capture(std::size_t index) const;

private:
    static constexpr std::size_t none = SIZE_MAX;
    static constexpr std::ptrdiff_t open = -1;

    void step();
    std::size_t run(std::size_t s, std::size_t p);
    std::size_t class_end(std::size_t p) const;
    [[nodiscard]] bool single(std::size_t s, std::size_t p, std::size_t end) const;
    [[nodiscard]] bool in_set(unsigned char c, std::size_t p, std::size_t end) const;
    std::size_t balance(std::size_t s, std::size_t p);
    std::size_t longest(std::size_t s, std::size_t p, std::size_t end);
    std::size_t shortest(std::size_t s, std::size_t p, std::size_t end);
    std::size_t begin_capture(std::size_t s, std::size_t p, std::ptrdiff_t what);
    std::size_t end_capture(std::size_t s, std::size_t p);
    std::size_t repeat_capture(std::size_t s, char which);

    std::string_view subject_;
    std::string_view pattern_;
    std::uint64_t& steps_;
    std::uint64_t most_;
    std::size_t level_ = 0;
    std::array<Capture, most_captures> captures_{};
    int depth_ = 0;
};

} // namespace wexilum
