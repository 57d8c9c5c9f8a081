#include "core/base/json_document.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace wexilum::json {
namespace {

/// Builds the tree from nlohmann's events and finds each token's place by walking the text beside them.
class Builder final : public nlohmann::json_sax<nlohmann::json> {
public:
    Builder(const std::string& text, Node& root) : text_(text) { stack_.push_back(&root); }

    bool null() override
    {
        return leaf([](Node& n) { n.kind = Kind::null; });
    }
    bool boolean(bool value) override
    {
        return leaf([&](Node& n) {
            n.kind = Kind::boolean;
            n.flag = value;
        });
    }
    bool number_integer(number_integer_t value) override { return number(static_cast<double>(value), true); }
    bool number_unsigned(number_unsigned_t value) override { return number(static_cast<double>(value), true); }
    bool number_float(number_float_t value, const string_t& /*text*/) override { return number(value, false); }
    bool string(string_t& value) override
    {
        return leaf([&](Node& n) {
            n.kind = Kind::string;
            n.text = std::move(value);
        });
    }
    bool binary(binary_t& /*value*/) override { return false; }
    bool start_object(std::size_t /*count*/) override { return open(Kind::object); }
    bool end_object() override { return close(); }
    bool start_array(std::size_t /*count*/) override { return open(Kind::array); }
    bool end_array() override { return close(); }
    bool key(string_t& value) override
    {
        const std::size_t at = token();
        if (stack_.back()->find(value) != nullptr) {
            return fail(at, fmt::format("the key \"{}\" appears twice", value), "keep one of the two");
        }
        if (stack_.back()->members.size() == max_members) {
            return fail(at, fmt::format("an object has more than {} keys", max_members), "no file of this project needs so many");
        }
        stack_.back()->members.push_back({value, Node{}});
        return true;
    }
    bool parse_error(std::size_t position, const std::string& /*token*/, const nlohmann::detail::exception& problem) override
    {
        std::string said = problem.what();
        if (const auto start = said.rfind(": "); start != std::string::npos && said.find("syntax error") != std::string::npos) {
            said = said.substr(said.find("syntax error"));
            if (const auto dash = said.find(" - "); dash != std::string::npos) {
                said = said.substr(dash + 3);
            }
        }
        if (said.find("out_of_range") != std::string::npos) {
            said = "a number is too large for a double";
        }
        // Only what was expected is kept: the text last read may be long or unprintable.
        if (const auto semicolon = said.find("; "); semicolon != std::string::npos && said.size() > 120) {
            said = said.substr(said.size() > 400 ? said.rfind("; ") + 2 : 0);
        }
        std::string clean;
        for (const char c : said.substr(0, 160)) {
            clean += c >= ' ' && c < 127 ? c : '?';
        }
        return fail(position > 0 ? position - 1 : 0, "not valid JSON: " + clean, "correct the text here or just before");
    }

    bool failed = false;
    std::size_t failed_at = 0;
    std::string message;
    std::string cure;

private:
    bool fail(std::size_t at, std::string text, std::string how)
    {
        failed = true;
        failed_at = std::min(at, text_.size());
        message = std::move(text);
        cure = std::move(how);
        return false;
    }
    static bool skipped(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == ',' || c == ':'; }
    /// Moves past the next token and returns where it starts.
    std::size_t token()
    {
        while (at_ < text_.size() && (skipped(text_[at_]) || (at_ == 0 && text_.compare(0, 3, "\xEF\xBB\xBF") == 0))) {
            at_ += at_ == 0 && text_[0] == '\xEF' ? 3 : 1;
        }
        const std::size_t begin = at_;
        if (begin == text_.size()) {
            return begin;
        }
        if (text_[at_] == '"') {
            for (++at_; at_ < text_.size() && text_[at_] != '"'; ++at_) {
                at_ += text_[at_] == '\\' ? 1 : 0;
            }
            at_ = std::min(at_ + 1, text_.size());
        } else if (std::string_view("{}[]").find(text_[at_]) != std::string_view::npos) {
            ++at_;
        } else {
            while (at_ < text_.size() && !skipped(text_[at_]) && text_[at_] != '}' && text_[at_] != ']') {
                ++at_;
            }
        }
        return begin;
    }
    Node* place()
    {
        Node* top = stack_.back();
        if (top->kind == Kind::array) {
            return &top->items.emplace_back();
        }
        return top->kind == Kind::object ? &top->members.back().value : top;
    }
    template <typename Fill>
    bool leaf(const Fill& fill)
    {
        Node* n = place();
        n->begin = token();
        n->end = at_;
        fill(*n);
        return true;
    }
    bool number(double value, bool whole)
    {
        return leaf([&](Node& n) {
            n.kind = Kind::number;
            n.number = value;
            n.whole = whole;
        });
    }
    bool open(Kind kind)
    {
        Node* n = place();
        n->begin = token();
        n->kind = kind;
        if (stack_.size() > max_depth) {
            return fail(n->begin, fmt::format("nested deeper than {} levels", max_depth), "no file of this project needs such depth");
        }
        stack_.push_back(n);
        return true;
    }
    bool close()
    {
        token();
        stack_.back()->end = at_;
        stack_.pop_back();
        return true;
    }

    const std::string& text_;
    std::vector<Node*> stack_;
    std::size_t at_ = 0;
};

const char* name_of(Kind kind)
{
    switch (kind) {
    case Kind::null: return "null";
    case Kind::boolean: return "true or false";
    case Kind::number: return "a number";
    case Kind::string: return "a text";
    case Kind::array: return "a list";
    case Kind::object: return "an object";
    }
    return "";
}

std::string joined(const std::vector<std::string>& names) { return fmt::format("{}", fmt::join(names, ", ")); }

} // namespace

const Node* Node::find(std::string_view key) const
{
    const auto found = std::find_if(members.begin(), members.end(), [&](const auto& m) { return m.name == key; });
    return found == members.end() ? nullptr : &found->value;
}

Result<Document> Document::parse(std::string text, std::string file_name)
{
    Document document;
    document.text_ = std::move(text);
    document.file_name_ = std::move(file_name);
    if (document.text_.size() > max_bytes) {
        return Error{ErrorKind::value,
                     fmt::format("the file is larger than {} MiB", max_bytes >> 20),
                     {document.file_name_, 0, 0},
                     "definitions are small texts; check what this file is"};
    }
    for (std::size_t at = 0; (at = document.text_.find('\n', at)) != std::string::npos; ++at) {
        document.ends_.push_back(at);
    }
    Builder builder(document.text_, document.root_);
    nlohmann::json::sax_parse(document.text_, &builder);
    if (builder.failed) {
        return Error{ErrorKind::syntax, builder.message, document.place_of(builder.failed_at), builder.cure};
    }
    return document;
}

Place Document::place_of(std::size_t offset) const
{
    offset = std::min(offset, text_.size());
    const auto before = std::lower_bound(ends_.begin(), ends_.end(), offset);
    const auto line = before - ends_.begin() + 1;
    const std::size_t column = before == ends_.begin() ? offset + 1 : offset - *(before - 1);
    return {file_name_, static_cast<std::uint32_t>(line), static_cast<std::uint32_t>(column)};
}

void Problems::add(const Node& at, std::string message, std::string cure, ErrorKind kind)
{
    if (!failed_) {
        failed_ = true;
        first_ = Error{kind, std::move(message), document_.place_of(at.begin), std::move(cure)};
    }
}

Fields::Fields(const Node& node, std::string what, Problems& problems) : node_(node), what_(std::move(what)), problems_(problems)
{
    if (node.kind != Kind::object) {
        problems_.add(node, fmt::format("{} must be an object, found {}", what_, name_of(node.kind)), "write { \"key\": value, … }");
    }
}

const Node* Fields::node(const char* key, Kind kind, bool required)
{
    known_.emplace_back(key);
    const Node* found = node_.find(key);
    if (found == nullptr) {
        if (required && node_.kind == Kind::object) {
            problems_.add(node_, fmt::format("{} lacks \"{}\"", what_, key), fmt::format("add \"{}\": {}", key, name_of(kind)));
        }
        return nullptr;
    }
    if (found->kind != kind) {
        problems_.add(*found, fmt::format("\"{}\" of {} must be {}, found {}", key, what_, name_of(kind), name_of(found->kind)),
                      fmt::format("write {}", name_of(kind)));
        return nullptr;
    }
    return found;
}

bool Fields::number(const char* key, double& out, Range range, bool required)
{
    const Node* found = node(key, Kind::number, required);
    if (found == nullptr) {
        return false;
    }
    if (found->number < range.low || found->number > range.high) {
        problems_.add(*found, fmt::format("\"{}\" of {} is {:g}, outside {:g} to {:g}", key, what_, found->number, range.low, range.high),
                      "give a value in that range; mind the file's units");
        return false;
    }
    out = found->number;
    return true;
}

bool Fields::integer(const char* key, long long& out, long long low, long long high, bool required)
{
    const Node* found = node(key, Kind::number, required);
    if (found == nullptr) {
        return false;
    }
    const bool fits = found->whole && found->number >= static_cast<double>(low) && found->number <= static_cast<double>(high);
    if (!fits) {
        problems_.add(*found, fmt::format("\"{}\" of {} must be a whole number from {} to {}", key, what_, low, high),
                      "give a whole number in that range");
        return false;
    }
    out = static_cast<long long>(found->number);
    return true;
}

bool Fields::text(const char* key, std::string& out, bool required)
{
    const Node* found = node(key, Kind::string, required);
    if (found != nullptr) {
        out = found->text;
    }
    return found != nullptr;
}

bool Fields::flag(const char* key, bool& out)
{
    const Node* found = node(key, Kind::boolean);
    if (found != nullptr) {
        out = found->flag;
    }
    return found != nullptr;
}

bool Fields::numbers(const char* key, std::vector<double>& out, std::size_t count, Range range, bool required)
{
    const Node* found = node(key, Kind::array, required);
    if (found == nullptr) {
        return false;
    }
    if (found->items.size() != count) {
        problems_.add(*found, fmt::format("\"{}\" of {} needs {} numbers, found {}", key, what_, count, found->items.size()),
                      fmt::format("give {} numbers", count));
        return false;
    }
    std::vector<double> values;
    for (const Node& item : found->items) {
        if (item.kind != Kind::number || item.number < range.low || item.number > range.high) {
            problems_.add(item, fmt::format("\"{}\" of {} needs numbers from {:g} to {:g}", key, what_, range.low, range.high),
                          "give numbers in that range; mind the file's units");
            return false;
        }
        values.push_back(item.number);
    }
    out = std::move(values);
    return true;
}

bool Fields::texts(const char* key, std::vector<std::string>& out, bool required)
{
    const Node* found = node(key, Kind::array, required);
    if (found == nullptr) {
        return false;
    }
    std::vector<std::string> values;
    for (const Node& item : found->items) {
        if (item.kind != Kind::string) {
            problems_.add(item, fmt::format("\"{}\" of {} is a list of texts", key, what_), "write texts in quotes");
            return false;
        }
        values.push_back(item.text);
    }
    out = std::move(values);
    return true;
}

bool Fields::choice(const char* key, std::size_t& out, const std::vector<std::string>& names, bool required)
{
    const Node* found = node(key, Kind::string, required);
    if (found == nullptr) {
        return false;
    }
    const auto at = std::find(names.begin(), names.end(), found->text);
    if (at == names.end()) {
        problems_.add(*found, fmt::format("\"{}\" of {} can't be \"{}\"", key, what_, found->text.substr(0, 40)),
                      fmt::format("use one of: {}", joined(names)));
        return false;
    }
    out = static_cast<std::size_t>(at - names.begin());
    return true;
}

void Fields::each_member(const char* key, const std::function<void(const std::string&, const Node&)>& read, bool required)
{
    if (const Node* found = node(key, Kind::object, required)) {
        for (const auto& [name, value] : found->members) {
            if (!name.starts_with("x-")) {
                read(name, value);
            }
        }
    }
}

void Fields::each_item(const char* key, const std::function<void(const Node&)>& read, bool required)
{
    if (const Node* found = node(key, Kind::array, required)) {
        for (const Node& item : found->items) {
            read(item);
        }
    }
}

void Fields::finish()
{
    for (const auto& [name, value] : node_.members) {
        const bool known = std::find(known_.begin(), known_.end(), name) != known_.end();
        if (!known && !name.starts_with("x-")) {
            problems_.add(value, fmt::format("{} has no key \"{}\"", what_, name.substr(0, 40)),
                          fmt::format("use one of: {}; keys of your own start with x-", joined(known_)));
        }
    }
}

void check_format(Fields& root, const std::string& name)
{
    std::string found;
    if (root.text("format", found, true) && found != name) {
        root.problem(*root.here().find("format"), fmt::format("the format is \"{}\", not \"{}\"", found.substr(0, 40), name),
                     fmt::format("write \"format\": \"{}\", or use another file", name));
    }
}

std::string format_of(const Document& document)
{
    const Node* found = document.root().find("format");
    return found != nullptr && found->kind == Kind::string ? found->text : std::string();
}

} // namespace wexilum::json
