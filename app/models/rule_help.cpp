#include "app/models/rule_help.hpp"

#include "core/dialect/section.hpp"
#include "core/rules/description.hpp"

#include <algorithm>
#include <cctype>

namespace wexilum::app {
namespace {

bool in_name(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; }
QString shown(std::string_view text) { return QString::fromUtf8(text.data(), qsizetype(text.size())); }

/// Where the name that ends at `at` begins.
std::size_t name_begin(const std::string& text, std::size_t at)
{
    while (at > 0 && in_name(text[at - 1])) {
        --at;
    }
    return at;
}

/// The event whose handler the place is in and the name of its parameter: the last "on.NAME" before it that takes a function.
struct Handler {
    const EventDescription* event = nullptr;
    std::string parameter;
};

Handler handler_at(const std::string& text, std::size_t at)
{
    Handler out;
    for (std::size_t found = text.rfind("on.", at); found != std::string::npos && found <= at;
         found = found == 0 ? std::string::npos : text.rfind("on.", found - 1)) {
        if (found > 0 && in_name(text[found - 1])) {
            continue;
        }
        std::size_t end = found + 3;
        while (end < text.size() && in_name(text[end])) {
            ++end;
        }
        const auto kind = event_named(text.substr(found + 3, end - found - 3));
        const std::size_t open = text.find('(', end);
        if (!kind || open == std::string::npos || open >= at) {
            continue;
        }
        std::size_t close = open + 1;
        while (close < text.size() && in_name(text[close])) {
            ++close;
        }
        out.event = &rule_events()[static_cast<std::size_t>(*kind)];
        out.parameter = text.substr(open + 1, close - open - 1);
        return out;
    }
    return out;
}

void add_library(QStringList& out, std::string_view table)
{
    for (const LibraryDescription& library : rule_libraries()) {
        if (library.table == table) {
            out += shown(library.names).split(QLatin1Char(' '));
        }
    }
}

QStringList after_point(const std::string& text, std::size_t begin, const std::string& owner, bool method, const QStringList& options)
{
    QStringList out;
    const Handler handler = handler_at(text, begin);
    if (handler.event != nullptr && owner == handler.parameter) {
        for (const FunctionDescription& function : rule_functions()) {
            if (function.method) {
                out.push_back(shown(function.name));
            }
        }
        for (const FieldDescription& field : handler.event->fields) {
            if (!method) {
                out.push_back(shown(field.name));
            }
        }
    } else if (owner == "on") {
        for (const EventDescription& event : rule_events()) {
            out.push_back(shown(event.name));
        }
    } else if (owner == "state") {
        for (const expr::Name& name : state_names()) {
            out.push_back(QString::fromStdString(name.name));
        }
    } else if (owner == "option") {
        out = options;
    } else {
        add_library(out, owner);
    }
    return out;
}

QStringList plain_names()
{
    QStringList out{QStringLiteral("on"),       QStringLiteral("state"),  QStringLiteral("option"), QStringLiteral("local"),
                    QStringLiteral("function"), QStringLiteral("return"), QStringLiteral("then"),   QStringLiteral("else"),
                    QStringLiteral("elseif"),   QStringLiteral("while")};
    for (const FunctionDescription& function : rule_functions()) {
        if (!function.method) {
            out.push_back(shown(function.name));
        }
    }
    for (const LibraryDescription& library : rule_libraries()) {
        if (!library.table.empty()) {
            out.push_back(shown(library.table));
        }
    }
    add_library(out, "");
    return out;
}

} // namespace

RuleOffer rule_offer(const std::string& text, std::size_t at, const QStringList& options)
{
    at = std::min(at, text.size());
    const std::size_t begin = name_begin(text, at);
    RuleOffer out;
    out.typed = int(at - begin);
    const char before = begin > 0 ? text[begin - 1] : '\0';
    if (before == '.' || before == ':') {
        const std::size_t owner = name_begin(text, begin - 1);
        out.words = after_point(text, begin, text.substr(owner, begin - 1 - owner), before == ':', options);
    } else if (out.typed >= 2) {
        out.words = plain_names();
    }
    const QString typed = QString::fromStdString(text.substr(begin, at - begin));
    out.words.erase(
        std::remove_if(out.words.begin(), out.words.end(), [&](const QString& word) { return !word.startsWith(typed) || word == typed; }),
        out.words.end());
    out.words.sort();
    out.words.removeDuplicates();
    return out;
}

QString rule_signature(const std::string& text, std::size_t at)
{
    int depth = 0;
    for (std::size_t i = std::min(at, text.size()); i-- > 0 && text[i] != '\n';) {
        depth += text[i] == ')' ? 1 : 0;
        if (text[i] != '(' || --depth >= 0) {
            continue;
        }
        const std::size_t begin = name_begin(text, i);
        const std::string name = text.substr(begin, i - begin);
        const bool method = begin > 0 && text[begin - 1] == ':';
        for (const FunctionDescription& function : rule_functions()) {
            if (function.name == name && function.method == method) {
                return shown(function.signature) + QLatin1Char('\n') + shown(function.help);
            }
        }
        return {};
    }
    return {};
}

} // namespace wexilum::app
