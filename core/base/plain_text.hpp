// What a text has to be to get into a program, or to become the name of a file.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace wexilum {

/// Whether a character is one that every control reads: printable ASCII, the blank included.
[[nodiscard]] constexpr bool is_plain(char c) { return c >= ' ' && c < 127; }

/// Where a text has a character that is not plain; npos where it has none.
[[nodiscard]] std::size_t first_unplain(std::string_view text);
/// How such a character is named in messages: its code, "0x0A".
[[nodiscard]] std::string code_of(char c);

/// Why a text can't be a word of a program; nothing where it can. A word is plain, not empty, and has no blank at its ends.
[[nodiscard]] std::optional<std::string> unfit_word(std::string_view text);

inline constexpr std::size_t longest_file_name = 200; ///< bytes; file systems take 255, and temporary names are longer

/// Why a text can't be the name of a file in a folder; nothing where it can. Every name that a file gets by what stands in another file
/// is asked here.
[[nodiscard]] std::optional<std::string> unfit_file_name(std::string_view name);
/// The same of what stands behind a name, as ".nc".
[[nodiscard]] std::optional<std::string> unfit_extension(std::string_view extension);

} // namespace wexilum
