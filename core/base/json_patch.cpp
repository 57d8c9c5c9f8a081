#include "core/base/json_patch.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>

namespace wexilum::json {
namespace {

Error no_such(const Document& document, const Path& path)
{
    std::string said;
    for (const Step& step : path) {
        said +=
            (said.empty() ? "" : " / ") + (step.index() == 0 ? std::get<std::string>(step) : std::to_string(std::get<std::size_t>(step)));
    }
    return {ErrorKind::value, fmt::format("there is no {}", said), {document.file_name(), 0, 0}, "the file has changed; try again"};
}

/// White space between a position and the non-blank before it.
std::string blanks_before(const std::string& text, std::size_t at)
{
    std::size_t begin = at;
    while (begin > 0 && (text[begin - 1] == ' ' || text[begin - 1] == '\t' || text[begin - 1] == '\n' || text[begin - 1] == '\r')) {
        --begin;
    }
    return text.substr(begin, at - begin);
}

/// Where a member begins: at its name's quote.
std::size_t member_begin(const std::string& text, const Node& value)
{
    std::size_t at = text.rfind(':', value.begin);
    at = text.rfind('"', at);
    // Back over the name, whose own quotes are escaped.
    do {
        at = text.rfind('"', at - 1);
    } while (at > 0 && text[at - 1] == '\\');
    return at;
}

} // namespace

std::string applied(std::string text, const Patch& patch)
{
    text.replace(patch.begin, patch.end - patch.begin, patch.text);
    return text;
}

const Node* node_at(const Document& document, const Path& path)
{
    const Node* node = &document.root();
    for (const Step& step : path) {
        if (const auto* name = std::get_if<std::string>(&step)) {
            node = node->find(*name);
        } else {
            const std::size_t index = std::get<std::size_t>(step);
            node = index < node->items.size() ? &node->items[index] : nullptr;
        }
        if (node == nullptr) {
            return nullptr;
        }
    }
    return node;
}

Result<Patch> set_value(const Document& document, const Path& path, const std::string& value)
{
    if (const Node* node = node_at(document, path)) {
        return Patch{node->begin, node->end, value};
    }
    if (path.empty() || path.back().index() != 0) {
        return no_such(document, path);
    }
    const Node* object = node_at(document, Path(path.begin(), path.end() - 1));
    if (object == nullptr || object->kind != Kind::object) {
        return no_such(document, path);
    }
    const std::string member = quoted(std::get<std::string>(path.back())) + ": " + value;
    if (object->members.empty()) {
        return Patch{object->begin, object->end, "{" + member + "}"};
    }
    const Node& last = object->members.back().value;
    const std::string blanks = blanks_before(document.text(), member_begin(document.text(), last));
    return Patch{last.end, last.end, "," + (blanks.find('\n') != std::string::npos ? blanks : std::string(" ")) + member};
}

Result<Patch> append_item(const Document& document, const Path& array, const std::string& item)
{
    const Node* node = node_at(document, array);
    if (node == nullptr || node->kind != Kind::array) {
        return no_such(document, array);
    }
    if (node->items.empty()) {
        return Patch{node->begin, node->end, "[" + item + "]"};
    }
    const Node& last = node->items.back();
    const std::string blanks = blanks_before(document.text(), last.begin);
    return Patch{last.end, last.end, "," + (blanks.find('\n') != std::string::npos ? blanks : std::string(" ")) + item};
}

Result<Patch> remove_value(const Document& document, const Path& path)
{
    const Node* node = node_at(document, path);
    if (node == nullptr || path.empty()) {
        return no_such(document, path);
    }
    const std::string& text = document.text();
    std::size_t begin = path.back().index() == 0 ? member_begin(text, *node) : node->begin;
    std::size_t end = node->end;
    std::size_t comma = end;
    while (comma < text.size() && std::isspace(static_cast<unsigned char>(text[comma])) != 0) {
        ++comma;
    }
    if (comma < text.size() && text[comma] == ',') { // the next one takes this one's place
        end = comma + 1;
        while (end < text.size() && std::isspace(static_cast<unsigned char>(text[end])) != 0) {
            ++end;
        }
        return Patch{begin, end, ""};
    }
    begin -= blanks_before(text, begin).size();
    if (begin > 0 && text[begin - 1] == ',') {
        --begin;
    }
    return Patch{begin, end, ""};
}

Patch renamed_member(const Document& document, const Node& value, const std::string& name)
{
    const std::string& text = document.text();
    const std::size_t begin = member_begin(text, value);
    return {begin, text.rfind(':', value.begin), quoted(name)};
}

std::string number_text(double value)
{
    const double rounded = std::round(value * 1e6) / 1e6;
    return fmt::format("{}", rounded == 0 ? 0.0 : rounded);
}

std::string quoted(const std::string& text) { return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace); }

} // namespace wexilum::json
