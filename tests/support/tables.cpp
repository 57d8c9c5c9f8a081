#include "tests/support/tables.hpp"

#include "tests/support/demo.hpp"

#include <QStringList>

namespace wexilum::test {

std::vector<Row> rows_of(const std::string& code)
{
    std::vector<Row> out;
    std::uint32_t line = 0;
    bool named = false;
    for (const QString& text : QString::fromStdString(code).split('\n')) {
        ++line;
        if (text.isEmpty() || text.startsWith('#')) {
            continue;
        }
        if (!named) {
            named = true;
            continue;
        }
        Row& row = out.emplace_back();
        row.line = line;
        for (const QString& cell : text.split(',')) {
            bool ok = false;
            row.cells.push_back(cell.toDouble(&ok));
            if (!ok) {
                qFatal("%s", qPrintable(text));
            }
        }
    }
    return out;
}

std::string with_line(const std::string& code, std::uint32_t line, const std::string& text)
{
    std::vector<std::string> lines = lines_of(code);
    lines[line - 1] = text;
    if (text.empty()) {
        lines.erase(lines.begin() + (line - 1));
    }
    return joined(lines);
}

std::string with_cell(const std::string& code, std::uint32_t line, int cell, const QString& value)
{
    QStringList cells = QString::fromStdString(lines_of(code)[line - 1]).split(',');
    cells[cell] = value;
    return with_line(code, line, cells.join(',').toStdString());
}

} // namespace wexilum::test
