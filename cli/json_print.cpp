#include "cli/json_print.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum::cli {
namespace {

void print(const nlohmann::ordered_json& value, std::string& out)
{
    if (value.is_object()) {
        out += '{';
        const char* comma = "";
        for (const auto& [key, item] : value.items()) {
            out += comma + nlohmann::json(key).dump() + ":";
            print(item, out);
            comma = ",";
        }
        out += '}';
    } else if (value.is_array()) {
        out += '[';
        const char* comma = "";
        for (const auto& item : value) {
            out += comma;
            print(item, out);
            comma = ",";
        }
        out += ']';
    } else if (value.is_number_float()) {
        const double number = value.get<double>();
        out += std::isfinite(number) ? fmt::format("{:.17g}", number) : "null";
    } else {
        out += value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    }
}

} // namespace

std::string json_text(const nlohmann::ordered_json& value)
{
    std::string out;
    print(value, out);
    return out;
}

} // namespace wexilum::cli
