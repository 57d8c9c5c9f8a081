#include "core/controller/addresses.hpp"

#include "core/base/json_document.hpp"
#include "core/base/plain_text.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

bool is_letter(const std::string& text) { return text.size() == 1 && text[0] >= 'A' && text[0] <= 'Z'; }

} // namespace

void read_letter(json::Fields& fields, const char* key, char& out)
{
    std::string text;
    if (!fields.text(key, text)) {
        return;
    }
    if (!is_letter(text)) {
        fields.problem(*fields.here().find(key), fmt::format("\"{}\" is not one capital letter", key), "write one of A to Z");
        return;
    }
    out = text[0];
}

void read_comment(json::Fields& fields, char& open, char& close)
{
    std::vector<std::string> comment;
    if (!fields.texts("comment", comment)) {
        return;
    }
    if (comment.size() != 2 || comment[0].size() != 1 || comment[1].size() != 1) {
        fields.problem(*fields.here().find("comment"), "a comment needs two characters, open and close", "write [\"(\", \")\"]");
        return;
    }
    for (const std::string& one : comment) {
        if (!is_plain(one[0]) || one[0] == ' ' || is_letter(one) || (one[0] >= '0' && one[0] <= '9')) {
            fields.problem(*fields.here().find("comment"), "what opens and closes a comment is neither a letter, a digit nor a blank",
                           "write [\"(\", \")\"]");
            return;
        }
    }
    open = comment[0][0];
    close = comment[1][0];
}

void read_addresses(json::Fields& fields, Addresses& out)
{
    read_letter(fields, "feed", out.feed);
    read_letter(fields, "speed", out.speed);
    read_letter(fields, "tool", out.tool);
    read_letter(fields, "length_register", out.length_register);
    read_letter(fields, "radius", out.radius);
    read_letter(fields, "dwell", out.dwell);
    read_letter(fields, "cycle_clearance", out.cycle_clearance);
    read_letter(fields, "cycle_step", out.cycle_step);
    read_letter(fields, "cycle_dwell", out.cycle_dwell);
    read_letter(fields, "loop_count", out.loop_count);
    read_letter(fields, "subprogram", out.subprogram);
    read_letter(fields, "rotation", out.rotation);
    std::size_t unit = 0;
    if (fields.choice("dwell_unit", unit, {"s", "ms"})) {
        out.dwell_in_milliseconds = unit == 1;
    }
    std::vector<std::string> centre;
    if (fields.texts("centre", centre)) {
        if (centre.size() != 3 || !std::all_of(centre.begin(), centre.end(), is_letter)) {
            fields.problem(*fields.here().find("centre"), "the centre needs three capital letters", "write [\"I\", \"J\", \"K\"]");
            return;
        }
        out.centre = {centre[0][0], centre[1][0], centre[2][0]};
    }
}

} // namespace wexilum
