#include "core/prove/edit_places.hpp"

#include "core/base/json_document.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

bool same_value(const json::Node& a, const json::Node& b)
{
    return a.kind == b.kind && a.flag == b.flag && a.number == b.number && a.text == b.text;
}

/// Adds the places where two values differ.
void compare(const json::Node& a, const json::Node& b, const std::string& name, std::vector<std::string>& out)
{
    if (a.kind != b.kind || (a.kind != json::Kind::object && a.kind != json::Kind::array)) {
        if (!same_value(a, b)) {
            out.push_back(name);
        }
        return;
    }
    const std::string stem = name.empty() ? name : name + ".";
    for (const json::Member& member : b.members) {
        const json::Node* before = a.find(member.name);
        before != nullptr ? compare(*before, member.value, stem + member.name, out) : out.push_back(stem + member.name);
    }
    for (const json::Member& member : a.members) {
        if (b.find(member.name) == nullptr) {
            out.push_back(stem + member.name);
        }
    }
    const std::size_t common = std::min(a.items.size(), b.items.size());
    for (std::size_t i = 0; i < common; ++i) {
        compare(a.items[i], b.items[i], fmt::format("{}[{}]", name, i + 1), out);
    }
    if (a.items.size() != b.items.size()) {
        out.push_back(name);
    }
}

std::vector<std::string_view> split(std::string_view text)
{
    std::vector<std::string_view> out;
    while (!text.empty()) {
        const std::size_t end = std::min(text.find('\n'), text.size() - 1) + 1;
        out.push_back(text.substr(0, end));
        text.remove_prefix(end);
    }
    return out;
}

/// The lines of `after` between those that both begin with and those that both end with.
std::vector<std::string> lines(std::string_view before, std::string_view after)
{
    const auto a = split(before);
    const auto b = split(after);
    const std::size_t shorter = std::min(a.size(), b.size());
    std::size_t same = 0;
    while (same < shorter && a[same] == b[same]) {
        ++same;
    }
    std::size_t tail = 0;
    while (tail < shorter - same && a[a.size() - 1 - tail] == b[b.size() - 1 - tail]) {
        ++tail;
    }
    if (same == a.size() && same == b.size()) {
        return {};
    }
    const std::size_t first = same + 1;
    const std::size_t last = std::max(first, b.size() - tail); // nothing is left where lines were removed
    return {first == last ? fmt::format("line {}", first) : fmt::format("lines {} to {}", first, last)};
}

} // namespace

std::vector<std::string> edited_places(std::string_view before, std::string_view after, bool is_json, std::size_t most)
{
    std::vector<std::string> out;
    const auto a = is_json ? json::Document::parse(std::string(before), "before") : Result<json::Document>(Error{});
    const auto b = is_json ? json::Document::parse(std::string(after), "after") : Result<json::Document>(Error{});
    if (a && b) {
        compare(a->root(), b->root(), "", out);
    } else {
        out = lines(before, after);
    }
    if (out.size() > most) {
        out.resize(most);
        out.emplace_back("…");
    }
    return out;
}

} // namespace wexilum
