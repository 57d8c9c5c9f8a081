#include "tests/support/mutation.hpp"

#include "core/base/json_document.hpp"

#include <nlohmann/json.hpp>

#include <array>
#include <string_view>
#include <vector>

namespace wexilum::test {
namespace {

/// A value's bytes, or with its key those of a member.
struct Span {
    std::size_t begin = 0;
    std::size_t end = 0;
    json::Kind kind = json::Kind::null;
    double number = 0;
};

void collect(const json::Node& node, std::vector<Span>& out)
{
    out.push_back({node.begin, node.end, node.kind, node.number});
    for (const json::Node& item : node.items) {
        collect(item, out);
    }
    for (const json::Member& member : node.members) {
        collect(member.value, out);
    }
}

constexpr std::array<std::string_view, 34> values{"{}",
                                                  "[]",
                                                  "null",
                                                  "true",
                                                  "false",
                                                  "0",
                                                  "-1",
                                                  "1",
                                                  "2",
                                                  "90",
                                                  "1e-9",
                                                  "1e7",
                                                  "1e9",
                                                  "-1e300",
                                                  "0.5",
                                                  "1e308",
                                                  "\"\"",
                                                  "\"X\"",
                                                  "\"Z\"",
                                                  "\"C\"",
                                                  "\"10\"",
                                                  "\"router\"",
                                                  "[0, 0, 0]",
                                                  "[1, 0, 0]",
                                                  "[0, 0, 1]",
                                                  "[[]]",
                                                  "{\"angle\": 0}",
                                                  "{\"angle\": 90}",
                                                  "\"../../victim\"",
                                                  "\"a\\u0000b\"",
                                                  "\"\\n\"",
                                                  "[1, 1]",
                                                  "99999999",
                                                  "\"machines/tarn-5t.json\""};

/// A value of the same kind, so that more than the reader gets to see it.
std::string like(const Span& span, const std::vector<Span>& all, const std::string& text, std::mt19937_64& random)
{
    if (span.kind == json::Kind::number) {
        static constexpr std::array factors{-1.0, 0.0, 2.0, 0.5, 10.0, 1000.0, 1.001, -0.1};
        const double changed =
            random() % 3 == 0 ? span.number + double(random() % 7) - 3 : span.number * factors[random() % factors.size()];
        return nlohmann::json(changed).dump();
    }
    if (span.kind == json::Kind::boolean) {
        return text.substr(span.begin, span.end - span.begin) == "true" ? "false" : "true";
    }
    for (int tries = 0; tries < 20; ++tries) {
        const Span& other = all[random() % all.size()];
        if (other.kind == span.kind) {
            return text.substr(other.begin, other.end - other.begin);
        }
    }
    return span.kind == json::Kind::object ? "{}" : "[]";
}

std::string with_value(const std::string& text, std::mt19937_64& random)
{
    const auto document = json::Document::parse(text, "");
    if (!document) {
        return {};
    }
    std::vector<Span> spans;
    collect(document->root(), spans);
    const Span place = spans[random() % spans.size()];
    const auto bytes = [&](const Span& span) { return text.substr(span.begin, span.end - span.begin); };
    std::string out = text;
    if (random() % 5 != 0) {
        return out.replace(place.begin, place.end - place.begin, like(place, spans, text, random));
    }
    switch (random() % 4) {
    case 0: { // another value of the same text
        out.replace(place.begin, place.end - place.begin, bytes(spans[random() % spans.size()]));
        break;
    }
    case 1: { // twice in a list, or a member less
        const std::size_t comma = text.find_first_not_of(" \n", place.end);
        if (comma != std::string::npos && text[comma] == ',') {
            random() % 2 == 0 ? out.insert(place.end, ", " + bytes(place)) : out.erase(place.begin, comma + 1 - place.begin);
        }
        break;
    }
    default: out.replace(place.begin, place.end - place.begin, values[random() % values.size()]); break;
    }
    return out;
}

std::string with_bytes(const std::string& text, std::mt19937_64& random)
{
    static constexpr std::string_view nasty{"{}[]\":,0-+.eE$/\n\0\xFF N~9", 23};
    std::string out = text.empty() ? std::string(" ") : text;
    const std::size_t at = random() % out.size();
    switch (random() % 4) {
    case 0: out[at] = nasty[random() % nasty.size()]; break;
    case 1: out.erase(at, 1 + random() % 40); break;
    case 2: out.insert(at, out.substr(random() % out.size(), random() % 200)); break;
    default: out.insert(at, 1, nasty[random() % nasty.size()]); break;
    }
    return out;
}

} // namespace

std::string mutated(const std::string& text, std::mt19937_64& random)
{
    std::string out = text;
    for (std::size_t i = 0, count = 1 + random() % 4 / 2; i < count; ++i) {
        std::string changed = random() % 12 != 0 ? with_value(out, random) : std::string();
        out = changed.empty() ? with_bytes(out, random) : std::move(changed);
    }
    return out;
}

} // namespace wexilum::test
