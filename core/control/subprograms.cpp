#include "core/control/subprograms.hpp"

#include <charconv>

namespace wexilum {

SubprogramBook::SubprogramBook(const Controller& controller) : controller_(controller), wanted_(controller.knows(Function::subprogram_call))
{}

std::optional<std::uint64_t> SubprogramBook::number_of(std::string_view text) const
{
    const std::size_t at = text.find_first_not_of(" \t");
    const auto capital = [](char c) { return c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c; };
    if (at == std::string_view::npos || capital(text[at]) != controller_.program_number) {
        return std::nullopt;
    }
    std::uint64_t number = 0;
    const auto read = std::from_chars(text.data() + at + 1, text.data() + text.size(), number);
    return read.ec == std::errc() ? std::optional(number) : std::nullopt;
}

void SubprogramBook::line(std::string_view text)
{
    ++lines_;
    const auto number = number_of(text);
    if (!number) {
        empty_ = empty_ && (text.find_first_not_of(" \t%") == std::string_view::npos || text[0] == controller_.comment_open);
        if (current_ != nullptr) {
            current_->lines.emplace_back(text);
        }
        return;
    }
    if (!main_ && empty_) {
        main_ = true; // the program's own
        return;
    }
    const auto [place, fresh] = all_.try_emplace(*number);
    place->second.twice = !fresh;
    if (fresh) {
        place->second.first = lines_;
    }
    current_ = fresh ? &place->second : nullptr;
}

Subprogram* SubprogramBook::find(std::uint64_t number)
{
    const auto found = all_.find(number);
    return found == all_.end() ? nullptr : &found->second;
}

} // namespace wexilum
