#include "core/base/plain_text.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

constexpr std::size_t longest_word = 200;
constexpr std::size_t longest_extension = 20;

} // namespace

std::size_t first_unplain(std::string_view text)
{
    const auto found = std::find_if(text.begin(), text.end(), [](char c) { return !is_plain(c); });
    return found == text.end() ? std::string_view::npos : std::size_t(found - text.begin());
}

std::string code_of(char c) { return fmt::format("0x{:02X}", unsigned(static_cast<unsigned char>(c))); }

std::optional<std::string> unfit_word(std::string_view text)
{
    if (text.empty()) {
        return "a word has no character at all";
    }
    if (text.size() > longest_word) {
        return fmt::format("a word has {} characters, {} are the most", text.size(), longest_word);
    }
    if (const std::size_t at = first_unplain(text); at != std::string_view::npos) {
        return fmt::format("a word has the character {}, which is not a plain one", code_of(text[at]));
    }
    if (text.front() == ' ' || text.back() == ' ') {
        return "a word begins or ends with a blank";
    }
    return std::nullopt;
}

std::optional<std::string> unfit_file_name(std::string_view name)
{
    if (name.empty()) {
        return "a file can't be without a name";
    }
    if (name.size() > longest_file_name) {
        return fmt::format("a file's name of {} bytes is too long, {} are the most", name.size(), longest_file_name);
    }
    if (name.front() == '.') {
        return "a file's name can't begin with a dot";
    }
    for (const char c : name) {
        if (c == '/' || c == '\\') {
            return fmt::format("a file's name can't have \"{}\", which leads to another folder", c);
        }
        if (static_cast<unsigned char>(c) < 0x20 || c == 127) {
            return fmt::format("a file's name can't have the character {}", code_of(c));
        }
    }
    return std::nullopt;
}

std::optional<std::string> unfit_extension(std::string_view extension)
{
    const auto is_fit = [](char c) {
        return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '.' || c == '_' || c == '-';
    };
    if (extension.empty()) {
        return std::nullopt;
    }
    if (extension == ".json" || extension == ".lua" || extension == ".cl" || extension == ".wtp") {
        return fmt::format("\"{}\" is the extension of a project's own files", extension);
    }
    if (extension.front() != '.' || extension.back() == '.' || extension.size() > longest_extension ||
        !std::all_of(extension.begin(), extension.end(), is_fit)) {
        return fmt::format("an extension is a dot with up to {} letters, digits, \"-\", \"_\" and dots behind it", longest_extension - 1);
    }
    return std::nullopt;
}

} // namespace wexilum
