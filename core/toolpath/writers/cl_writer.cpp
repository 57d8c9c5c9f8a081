#include "core/toolpath/writers/cl_writer.hpp"

#include "core/toolpath/readers/cl_reader_state.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <tuple>
#include <type_traits>
#include <utility>

namespace wexilum {
namespace {

/// Whether a text behind a word is read as it is.
bool keeps(const std::string& text)
{
    const auto code = [](char c) { return static_cast<unsigned char>(c); };
    return text.size() < cl::max_line_bytes - 16 && (text.empty() || (code(text.front()) > ' ' && code(text.back()) > ' ')) &&
           std::none_of(text.begin(), text.end(), [&](char c) { return code(c) < ' '; });
}

/// Whether CL can have the numbers of a statement.
bool in_range(std::string_view statement)
{
    for (std::size_t begin = 0; begin < statement.size();) {
        const std::size_t end = std::min(statement.find_first_of(",/\n", begin), statement.size());
        double value = 0;
        const auto [stop, problem] = std::from_chars(statement.data() + begin, statement.data() + end, value);
        if (problem == std::errc() && stop == statement.data() + end && std::abs(value) > 1e9) {
            return false;
        }
        begin = end + 1;
    }
    return true;
}

/// The word of a record in one of the tables; nothing where none has it.
template <typename T, typename... Known>
std::string_view word_of(const std::tuple<cl::Word<Known>...>& table)
{
    std::string_view out;
    const auto look = [&]<typename One>(const cl::Word<One>& one) {
        if (std::is_same_v<T, One> && out.empty()) {
            out = one.word;
        }
    };
    std::apply([&](const auto&... one) { (look(one), ...); }, table);
    return out;
}

/// The record's statements; empty where it has no form.
template <typename T>
std::string statements(const T& record)
{
    if constexpr (requires { cl::written(record); }) {
        return cl::written(record);
    } else if constexpr (requires { record.text; }) {
        const std::string_view word = word_of<T>(cl::text_words);
        return !word.empty() && keeps(record.text) ? fmt::format("{} {}", word, record.text) : std::string();
    } else {
        return std::string(word_of<T>(cl::bare_words));
    }
}

} // namespace

Result<bool> ClWriter::put(const Record& record)
{
    const std::string text = std::visit([](const auto& data) { return statements(data); }, record.data);
    if (text.empty()) {
        if (const auto* start = std::get_if<record::CycleStart>(&record.data)) {
            return Error{ErrorKind::value,
                         fmt::format("CL data text has no words for the cycle \"{}\" and its parameters", start->kind.substr(0, 80)),
                         {},
                         "keep the toolpath as .wtp, or name kind and parameters in capital letters"};
        }
        if (motion_kind(record.data) == MotionKind::curve) {
            return Error{ErrorKind::value,
                         fmt::format("CL data text has no words for this: {}", record_kinds[record.data.index()].event),
                         {},
                         "keep the toolpath as .wtp"};
        }
        return false;
    }
    if (const bool is_text = std::visit(
            [](const auto& data) {
                return requires { data.text; };
            },
            record.data);
        !is_text && !in_range(text)) {
        return Error{
            ErrorKind::value, "a number of the record is beyond 1e9, which CL data text can't have", {}, "keep the toolpath as .wtp"};
    }
    return write(text + "\n");
}

} // namespace wexilum
