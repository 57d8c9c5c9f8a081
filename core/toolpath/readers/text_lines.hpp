// The lines of a byte source, one after the other.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"

#include <cstddef>
#include <optional>
#include <string_view>
#include <vector>

namespace wexilum {

/// Lends each line, and lets it be looked at before it is passed.
class TextLines {
public:
    static constexpr std::size_t longest = std::size_t{1} << 20; ///< bytes of a line
    /// The source must outlive the object.
    explicit TextLines(ByteSource& source) : source_(source), buffer_(std::size_t{1} << 16) {}
    /// The next line without its end (LF or CR LF), lent until the next call; nothing at the end. An error where the source fails or a
    /// line is longer than `longest`; its place has no file.
    Result<std::optional<std::string_view>> peek();
    /// Passes the line that has been peeked at.
    void pass();
    /// The number of the line that peek() gives, from 1.
    [[nodiscard]] std::uint32_t number() const { return number_; }

private:
    ByteSource& source_;
    std::vector<char> buffer_;
    std::size_t begin_ = 0;  ///< of the next line
    std::size_t end_ = 0;    ///< one past what is passed with it; 0: not searched yet
    std::size_t filled_ = 0; ///< where the text in the buffer ends
    bool ended_ = false;
    Status failed_; ///< of the source
    std::uint32_t number_ = 1;
};

} // namespace wexilum
