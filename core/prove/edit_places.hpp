// Where two versions of one of the project's texts differ, in the words of whoever edits it.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

/// The places at which `after` is not as `before`, in the text's order, at most `most` and then "…". Of JSON texts the names from the top
/// down to what differs ("numbers.feed.decimals", "cycles[2].word"), where both can be read; of others, and of those that can't, the
/// lines of `after` ("line 12", "lines 12 to 14"). Empty where only spaces of a JSON text differ, and where nothing does.
[[nodiscard]] std::vector<std::string> edited_places(std::string_view before, std::string_view after, bool is_json, std::size_t most = 3);

} // namespace wexilum
