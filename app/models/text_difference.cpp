#include "app/models/text_difference.hpp"

#include <QCoreApplication>

#include <algorithm>
#include <string_view>
#include <vector>

namespace wexilum::app {
namespace {

constexpr std::size_t most_cells = 4'000'000; // of the table of common lines; larger texts count as one changed block

std::vector<std::string_view> lines_of(const std::string& text)
{
    std::vector<std::string_view> out;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        out.emplace_back(text.data() + at, end - at);
        at = end + 1;
    }
    return out;
}

} // namespace

QStringList text_difference(const std::string& before, const std::string& after, int most)
{
    const auto a = lines_of(before);
    const auto b = lines_of(after);
    std::size_t head = 0;
    while (head < a.size() && head < b.size() && a[head] == b[head]) {
        ++head;
    }
    std::size_t tail = 0;
    while (tail < a.size() - head && tail < b.size() - head && a[a.size() - 1 - tail] == b[b.size() - 1 - tail]) {
        ++tail;
    }
    const std::size_t rows = a.size() - head - tail;
    const std::size_t columns = b.size() - head - tail;
    // The longest common run of lines from each pair on to the end.
    const bool small = rows * columns <= most_cells;
    std::vector<std::uint32_t> common(small ? (rows + 1) * (columns + 1) : 0);
    const auto cell = [&](std::size_t i, std::size_t j) -> std::uint32_t& { return common[i * (columns + 1) + j]; };
    for (std::size_t i = rows; small && i-- > 0;) {
        for (std::size_t j = columns; j-- > 0;) {
            cell(i, j) = a[head + i] == b[head + j] ? cell(i + 1, j + 1) + 1 : std::max(cell(i + 1, j), cell(i, j + 1));
        }
    }
    QStringList out;
    int listed = 0;
    const auto list = [&](char sign, std::size_t number, std::string_view line) {
        if (listed++ < most) {
            out.push_back(QStringLiteral("%1 %2  %3")
                              .arg(QLatin1Char(sign))
                              .arg(number + 1, 4)
                              .arg(QString::fromUtf8(line.data(), qsizetype(std::min<std::size_t>(line.size(), 300)))));
        }
    };
    std::size_t i = 0;
    std::size_t j = 0;
    while (i < rows || j < columns) {
        if (small && i < rows && j < columns && a[head + i] == b[head + j]) {
            ++i;
            ++j;
        } else if (i < rows && (!small || j == columns || cell(i + 1, j) >= cell(i, j + 1))) {
            list('-', head + i, a[head + i]);
            ++i;
        } else {
            list('+', head + j, b[head + j]);
            ++j;
        }
    }
    if (listed > most) {
        out.push_back(QCoreApplication::translate("TextDifference", "… and %1 lines more").arg(listed - most));
    } else if (listed == 0 && before != after) {
        out.push_back(QCoreApplication::translate("TextDifference", "They differ in the last line's end alone."));
    }
    return out;
}

} // namespace wexilum::app
