// Texts changed at random: values of a JSON text for other values, and bytes.
#pragma once

#include <random>
#include <string>

namespace wexilum::test {

/// One to three changes. A JSON text mostly gets other values at places of values; whatever can't be parsed gets other bytes and lines.
[[nodiscard]] std::string mutated(const std::string& text, std::mt19937_64& random);

} // namespace wexilum::test
