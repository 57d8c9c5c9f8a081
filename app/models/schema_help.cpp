#include "app/models/schema_help.hpp"

#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>

#include <algorithm>
#include <cctype>

namespace wexilum::app {
namespace {

/// The schema of the files of a folder of the project; empty where there is none.
QJsonObject schema_of(const QString& path)
{
    static constexpr std::array<std::pair<const char*, const char*>, 8> names{{{"dialects/", "dialect"},
                                                                               {"controllers/", "controller"},
                                                                               {"machines/", "machine"},
                                                                               {"overlays/", "overlay"},
                                                                               {"setups/", "setup"},
                                                                               {"jobs/", "job"},
                                                                               {"posts/", "post"},
                                                                               {"project.json", "project"}}};
    for (const auto& [folder, name] : names) {
        if (path.startsWith(QLatin1String(folder))) {
            QFile file(QStringLiteral(":/schema/%1.schema.json").arg(QLatin1String(name)));
            return file.open(QIODevice::ReadOnly) ? QJsonDocument::fromJson(file.readAll()).object() : QJsonObject();
        }
    }
    return {};
}

/// An object or array that the place is inside of.
struct Level {
    bool object = false;
    QStringList keys;   ///< so far; the last is the one whose value comes
    bool value = false; ///< behind the colon
};

struct Where {
    std::vector<Level> levels;
    std::size_t begin = 0; ///< of the word or string that ends at the place
    bool quoted = false;   ///< it is in a string
    bool done = false;     ///< a value or key stands before the place already
};

Where where(const std::string& text, std::size_t at)
{
    Where out;
    out.begin = at;
    std::string last;
    for (std::size_t i = 0; i < at; ++i) {
        const char c = text[i];
        if (c == '"') {
            std::size_t end = i + 1;
            while (end < at && text[end] != '"') {
                end += text[end] == '\\' ? 2 : 1;
            }
            if (end >= at) {
                out.begin = i;
                out.quoted = true;
                return out;
            }
            last = text.substr(i + 1, end - i - 1);
            i = end;
            out.done = true;
        } else if (c == '{' || c == '[') {
            out.levels.push_back({c == '{', {}, c == '['});
            out.done = false;
        } else if (c == '}' || c == ']') {
            if (!out.levels.empty()) {
                out.levels.pop_back();
            }
            out.done = true;
        } else if (c == ':' && !out.levels.empty()) {
            out.levels.back().keys.push_back(QString::fromStdString(last));
            out.levels.back().value = true;
            out.done = false;
        } else if (c == ',' && !out.levels.empty()) {
            out.levels.back().value = !out.levels.back().object;
            out.done = false;
        } else if (std::isspace(static_cast<unsigned char>(c)) == 0) {
            std::size_t end = i;
            while (end < at && (std::isalnum(static_cast<unsigned char>(text[end])) != 0 || text[end] == '_' || text[end] == '-' ||
                                text[end] == '.' || text[end] == '+')) {
                ++end;
            }
            if (end == at) {
                out.begin = i;
                return out;
            }
            i = std::max(end, i + 1) - 1;
            out.done = true;
        }
    }
    return out;
}

/// The schemas that may hold at once: itself, and what it gives a choice of.
std::vector<QJsonObject> spread(const QJsonObject& schema)
{
    std::vector<QJsonObject> out{schema};
    for (const char* key : {"anyOf", "oneOf", "allOf"}) {
        for (const QJsonValue& part : schema[QLatin1String(key)].toArray()) {
            const auto inner = spread(part.toObject());
            out.insert(out.end(), inner.begin(), inner.end());
        }
    }
    return out;
}

/// The schemas of a member, or of the items where `key` is empty.
std::vector<QJsonObject> below(const std::vector<QJsonObject>& schemas, const QString& key)
{
    std::vector<QJsonObject> out;
    const auto add = [&](const QJsonValue& value) {
        if (value.isObject()) {
            const auto parts = spread(value.toObject());
            out.insert(out.end(), parts.begin(), parts.end());
        }
    };
    for (const QJsonObject& schema : schemas) {
        if (key.isNull()) {
            add(schema[QLatin1String("items")]);
            continue;
        }
        const QJsonObject properties = schema[QLatin1String("properties")].toObject();
        add(properties.contains(key) ? properties[key] : schema[QLatin1String("additionalProperties")]);
    }
    return out;
}

/// The schemas of the innermost object or array, or with `value` of the value that stands or comes there.
std::vector<QJsonObject> schemas_at(const QJsonObject& root, const Where& place, bool value)
{
    std::vector<QJsonObject> out = spread(root);
    for (std::size_t i = 0; i < place.levels.size(); ++i) {
        const Level& level = place.levels[i];
        if (i + 1 < place.levels.size() || value) {
            out = below(out, level.object ? (level.keys.isEmpty() ? QStringLiteral("") : level.keys.back()) : QString());
        }
    }
    return out;
}

QStringList values_of(const QJsonObject& schema)
{
    QStringList out;
    QJsonArray choices = schema[QLatin1String("enum")].toArray();
    if (schema.contains(QLatin1String("const"))) {
        choices.push_back(schema[QLatin1String("const")]);
    }
    for (const QJsonValue& choice : choices) {
        if (choice.isString()) {
            out.push_back(QLatin1Char('"') + choice.toString() + QLatin1Char('"'));
        }
    }
    if (schema[QLatin1String("type")] == QLatin1String("boolean")) {
        out += {QStringLiteral("true"), QStringLiteral("false")};
    }
    return out;
}

QString number_of(const QJsonValue& value) { return QString::number(value.toDouble(), 'g', 12); }

/// One way a value can be, in words.
QString described(const QJsonObject& schema)
{
    const QStringList values = values_of(schema);
    if (!values.isEmpty()) {
        return QStringLiteral("one of ") + values.join(QStringLiteral(", "));
    }
    const QString type = schema[QLatin1String("type")].toString();
    QString out = type == QLatin1String("integer")  ? QStringLiteral("a whole number")
                  : type == QLatin1String("number") ? QStringLiteral("a number")
                  : type == QLatin1String("string") ? QStringLiteral("a text")
                  : type == QLatin1String("array")  ? QStringLiteral("a list")
                  : type == QLatin1String("object") ? QStringLiteral("an object")
                                                    : QString();
    const QJsonValue low = schema[QLatin1String("minimum")];
    const QJsonValue high = schema[QLatin1String("maximum")];
    const QJsonValue above = schema[QLatin1String("exclusiveMinimum")];
    if (low.isDouble()) {
        out += QStringLiteral(" from %1").arg(number_of(low)) + (high.isDouble() ? QString() : QStringLiteral(" on"));
    } else if (above.isDouble()) {
        out += QStringLiteral(" above %1").arg(number_of(above));
    }
    if (high.isDouble()) {
        out += QStringLiteral(" to %1").arg(number_of(high));
    }
    return out;
}

} // namespace

RuleOffer schema_offer(const QString& path, const std::string& text, std::size_t at)
{
    at = std::min(at, text.size());
    const QJsonObject root = schema_of(path);
    const Where place = where(text, at);
    RuleOffer out;
    if (root.isEmpty() || place.levels.empty() || (place.done && place.begin == at)) {
        return out;
    }
    out.typed = int(at - place.begin);
    const Level& level = place.levels.back();
    for (const QJsonObject& schema : schemas_at(root, place, level.value)) {
        if (level.value) {
            out.words += values_of(schema);
            continue;
        }
        for (const QString& key : schema[QLatin1String("properties")].toObject().keys()) {
            if (!level.keys.contains(key)) {
                out.words.push_back(QLatin1Char('"') + key + QLatin1Char('"'));
            }
        }
    }
    const QString typed = QString::fromStdString(text.substr(place.begin, at - place.begin));
    const QString wanted = typed.isEmpty() || typed.startsWith(QLatin1Char('"')) || level.value ? typed : QLatin1Char('"') + typed;
    out.words.erase(
        std::remove_if(out.words.begin(), out.words.end(),
                       [&](const QString& word) { return !word.startsWith(wanted) || word == wanted || word.contains(QLatin1Char(' ')); }),
        out.words.end());
    if (place.quoted && at < text.size() && text[at] == '"') { // the closing quote is there
        for (QString& word : out.words) {
            word.chop(word.endsWith(QLatin1Char('"')) ? 1 : 0);
        }
    }
    out.words.sort();
    out.words.removeDuplicates();
    return out;
}

QString schema_tip(const QString& path, const std::string& text, std::size_t at)
{
    const Where place = where(text, std::min(at, text.size()));
    if (place.levels.empty() || !place.levels.back().value) {
        return {};
    }
    QStringList ways;
    for (const QJsonObject& schema : schemas_at(schema_of(path), place, true)) {
        const QString way = described(schema);
        if (!way.isEmpty() && !ways.contains(way)) {
            ways.push_back(way);
        }
    }
    const Level& level = place.levels.back();
    const QString name = level.object && !level.keys.isEmpty() ? level.keys.back() : QStringLiteral("item");
    return ways.isEmpty() ? QString() : name + QStringLiteral(": ") + ways.join(QStringLiteral(", or "));
}

} // namespace wexilum::app
