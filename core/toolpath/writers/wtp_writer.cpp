#include "core/toolpath/writers/wtp_writer.hpp"

#include "core/toolpath/readers/text_lines.hpp"
#include "core/toolpath/wtp_words.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>
#include <iterator>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <variant>

namespace wexilum {
namespace {

/// A text in quotes.
std::string quoted(const std::string& text) { return nlohmann::json(text).dump(); }

/// "-0" would be read as a whole number, without its sign.
std::string number(double value) { return value == 0 && std::signbit(value) ? "-0.0" : fmt::format("{}", value); }

std::string three(const Vec3& v) { return fmt::format("[{}, {}, {}]", number(v[0]), number(v[1]), number(v[2])); }

/// Writes the fields of a record, each with its name.
struct FieldWriter {
    std::string& to;
    std::string& axis; ///< of the record before, not written again
    bool readable = true;

    void pose(const Pose& pose)
    {
        field("tip", three(pose.tip));
        if (std::string text = three(pose.axis); text != axis) {
            field("axis", text);
            axis = std::move(text);
        }
    }
    void point(const char* key, const Vec3& value) { field(key, three(value)); }
    void direction(const char* key, const char*, const Vec3& value) { field(key, three(value)); }
    void known_direction(const char* key, const char*, const Vec3& value)
    {
        if (!value.isZero()) {
            field(key, three(value));
        }
    }
    void above_zero_length(const char* key, double value) { field(key, value); }
    void ends_of_rulings(const Pose& to, const Vec3& upper_from, const Vec3& upper_to)
    {
        field("tip", three(to.tip));
        field("upper_from", three(upper_from));
        field("upper", three(upper_to));
        axis.clear(); // that of the last ruling: the next one says its own
    }
    void round(const char* centre, const char* normal, const char* turns, const std::optional<record::Round>& round)
    {
        if (round) {
            field(centre, three(round->centre));
            field(normal, three(round->normal));
            arrivals(turns, round->extra_turns);
        }
    }
    void arrivals(const char* key, int beyond_first)
    {
        if (beyond_first > 0) {
            field(key, beyond_first + 1);
        }
    }
    void text(const char* key, const std::string& value)
    {
        readable = readable && wtp::is_one_line(value);
        field(key, quoted(value));
    }
    void cycle_parameters(const char* key, const std::string&, const std::map<std::string, double>& parameters)
    {
        std::string all;
        for (const auto& [name, value] : parameters) {
            const wtp::CycleParameter* known = wtp::cycle_parameter(name);
            all += fmt::format("{}{}: {}", all.empty() ? "" : ", ", quoted(name),
                               known != nullptr && known->a_minute ? a_minute(value) : value);
        }
        field(key, "{" + all + "}");
    }
    void tool_number(const char* key, std::uint32_t value) { field(key, value); }
    void optional_length(const char* key, const std::optional<double>& value)
    {
        if (value) {
            field(key, *value);
        }
    }
    template <std::size_t N, typename E>
    void choice(const char* key, const std::array<const char*, N>& names, E value)
    {
        field(key, fmt::format("\"{}\"", names[std::size_t(value)]));
    }
    void feed(const char* key, FeedMode mode, double value) { field(key, mode == FeedMode::per_revolution ? value : a_minute(value)); }
    void amount(const char* key, double value, bool) { field(key, value); }
    void seconds_or_revolutions(double amount, bool revolutions) { field(revolutions ? "revolutions" : "seconds", amount); }

private:
    template <typename T>
    void field(const char* key, const T& value)
    {
        fmt::format_to(std::back_inserter(to), ", \"{}\": {}", key, value);
    }
};

} // namespace

WtpWriter::WtpWriter(ByteSink& sink)
    : TextRecordWriter(sink, fmt::format("{{\"format\": \"{}\", \"units\": {{\"length\": \"mm\", \"angle\": \"deg\"}}}}\n", wtp::format))
{}

Result<bool> WtpWriter::put(const Record& record)
{
    std::string text;
    std::string axis = axis_;
    try {
        std::visit(
            [&]<typename T>(const T& data) {
                if constexpr (T::tag != nullptr) {
                    text = fmt::format("{{\"record\": \"{}\"", T::tag);
                    FieldWriter fields{text, axis};
                    T::fields(fields, data);
                    text += "}\n";
                    if (!fields.readable || text.size() > TextLines::longest) {
                        text.clear();
                    }
                }
            },
            record.data);
    } catch (const nlohmann::json::type_error&) { // a text that is not UTF-8
        text.clear();
    }
    if (text.empty()) {
        if (std::holds_alternative<record::CycleStart>(record.data)) { // without it its holes would be none
            return Error{ErrorKind::value,
                         "kind or parameters of the cycle are not one line of UTF-8",
                         {},
                         "correct the text there, or remove the cycle with its holes"};
        }
        return false;
    }
    axis_ = std::move(axis);
    return write(text);
}

} // namespace wexilum
