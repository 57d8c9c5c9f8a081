// The lines in which two texts differ.
#pragma once

#include <QStringList>

#include <string>

namespace wexilum::app {

/// The lines of `before` that are gone ("- 12  text"), and those of `after` that have come ("+ 12  text"), each with its number in its
/// text, in the order of the texts. At most `most` of them; a last line says how many more there are.
[[nodiscard]] QStringList text_difference(const std::string& before, const std::string& after, int most = 400);

} // namespace wexilum::app
