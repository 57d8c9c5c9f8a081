// What can be checked of a rulebook without a job: its grammar, and names that are not there.
#include "core/rules/rulebook.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

namespace wexilum {
namespace {

struct Token {
    enum class Kind : std::uint8_t { name, text, number, sign } kind = Kind::sign;
    std::string_view text;
    std::uint32_t line = 1;
    std::uint32_t column = 1;
    [[nodiscard]] bool is(std::string_view wanted) const { return kind != Kind::text && text == wanted; }
};

bool starts_name(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0 || c == '_'; }
bool in_name(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; }

/// The tokens of a text whose grammar has been checked.
class Lexer {
public:
    explicit Lexer(std::string_view text) : text_(text) {}

    std::vector<Token> all()
    {
        std::vector<Token> out;
        while (at_ < text_.size()) {
            const char c = text_[at_];
            const std::size_t begin = at_;
            if (std::isspace(static_cast<unsigned char>(c)) != 0) {
                ++at_;
            } else if (text_.substr(at_, 2) == "--") {
                at_ += 2;
                if (!long_bracket()) {
                    at_ = std::min(text_.find('\n', at_), text_.size());
                }
            } else if (starts_name(c)) {
                while (at_ < text_.size() && in_name(text_[at_])) {
                    ++at_;
                }
                out.push_back(token(Token::Kind::name, begin));
            } else if (std::isdigit(static_cast<unsigned char>(c)) != 0) {
                while (at_ < text_.size() && (in_name(text_[at_]) || text_[at_] == '.')) {
                    ++at_;
                }
                out.push_back(token(Token::Kind::number, begin));
            } else if (c == '"' || c == '\'') {
                for (++at_; at_ < text_.size() && text_[at_] != c; ++at_) {
                    at_ += text_[at_] == '\\' ? 1 : 0;
                }
                ++at_;
                out.push_back(token(Token::Kind::text, begin));
            } else if (c == '[' && long_bracket()) {
                out.push_back(token(Token::Kind::text, begin));
            } else {
                const std::string_view two = text_.substr(at_, 2);
                at_ += two == "==" || two == "~=" || two == "<=" || two == ">=" || two == ".." || two == "::" ? 2 : 1;
                out.push_back(token(Token::Kind::sign, begin));
            }
        }
        return out;
    }

private:
    /// Passes over [[…]] or [=[…]=]; whether there was one.
    bool long_bracket()
    {
        std::size_t equal = at_ + 1;
        if (at_ >= text_.size() || text_[at_] != '[') {
            return false;
        }
        while (equal < text_.size() && text_[equal] == '=') {
            ++equal;
        }
        if (equal >= text_.size() || text_[equal] != '[') {
            return false;
        }
        const std::string close = "]" + std::string(equal - at_ - 1, '=') + "]";
        const std::size_t end = text_.find(close, equal);
        at_ = end == std::string_view::npos ? text_.size() : end + close.size();
        return true;
    }
    Token token(Token::Kind kind, std::size_t begin)
    {
        at_ = std::min(at_, text_.size());
        for (; counted_ < begin; ++counted_) {
            if (text_[counted_] == '\n') {
                ++line_;
                line_begin_ = counted_ + 1;
            }
        }
        return {kind, text_.substr(begin, at_ - begin), line_, std::uint32_t(begin - line_begin_ + 1)};
    }

    std::string_view text_;
    std::size_t at_ = 0;
    std::size_t counted_ = 0;
    std::size_t line_begin_ = 0;
    std::uint32_t line_ = 1;
};

class NameCheck {
public:
    NameCheck(std::string_view text, std::string file, const std::vector<std::string>* options)
        : tokens_(Lexer(text).all()), file_(std::move(file)), options_(options)
    {
        for (const expr::Name& name : state_names()) {
            states_.push_back(name.name);
        }
    }

    std::vector<Error> run()
    {
        for (std::size_t i = 0; i < tokens_.size(); ++i) {
            if (!free_name(i)) {
                continue;
            }
            if (tokens_[i].is("on") && dotted(i)) {
                handler(i);
            } else if (tokens_[i].is("state") && dotted(i)) {
                check("the state has no", tokens_[i + 2], states_);
            } else if (tokens_[i].is("option") && dotted(i) && options_ != nullptr) {
                check("the post declares no option", tokens_[i + 2], *options_);
            }
        }
        return std::move(errors_);
    }

private:
    [[nodiscard]] bool is(std::size_t i, std::string_view wanted) const { return i < tokens_.size() && tokens_[i].is(wanted); }
    /// A name that is not a field of something else.
    [[nodiscard]] bool free_name(std::size_t i) const
    {
        return tokens_[i].kind == Token::Kind::name && (i == 0 || (!tokens_[i - 1].is(".") && !tokens_[i - 1].is(":")));
    }
    [[nodiscard]] bool dotted(std::size_t i) const
    {
        return is(i + 1, ".") && i + 2 < tokens_.size() && tokens_[i + 2].kind == Token::Kind::name;
    }

    void fail(const Token& at, std::string message, std::string cure)
    {
        errors_.push_back({ErrorKind::value, std::move(message), {file_, at.line, at.column}, std::move(cure)});
    }
    void check(const char* what, const Token& name, const std::vector<std::string>& names)
    {
        const std::string wrong(name.text);
        if (std::find(names.begin(), names.end(), wrong) == names.end()) {
            const std::string near = nearest_name(wrong, names);
            fail(name, fmt::format("{} \"{}\"", what, wrong),
                 near.empty() ? fmt::format("there are: {}", fmt::join(names, ", ")) : fmt::format("is \"{}\" meant?", near));
        }
    }
    /// At "on" of on.NAME: where a function with a parameter is given to it, its body is looked through for the event's fields.
    void handler(std::size_t i)
    {
        std::vector<std::string> events;
        for (const EventDescription& event : rule_events()) {
            events.emplace_back(event.name);
        }
        const auto kind = event_named(tokens_[i + 2].text);
        if (!kind) {
            check("there is no event", tokens_[i + 2], events);
            return;
        }
        std::size_t open = 0;
        if (i > 0 && tokens_[i - 1].is("function") && is(i + 3, "(")) {
            open = i + 3;
        } else if (is(i + 3, "=") && is(i + 4, "function") && is(i + 5, "(")) {
            open = i + 5;
        } else {
            return;
        }
        if (open + 1 < tokens_.size() && tokens_[open + 1].kind == Token::Kind::name) {
            body(open + 2, tokens_[open + 1].text, rule_events()[static_cast<std::size_t>(*kind)]);
        }
    }
    void body(std::size_t i, std::string_view event, const EventDescription& description)
    {
        std::vector<std::string> names{"native", "axis", "reading"};
        for (const FieldDescription& field : description.fields) {
            names.emplace_back(field.name);
        }
        const std::string what = fmt::format("the event {} has no field", description.name);
        int depth = 1;
        for (; i < tokens_.size() && depth > 0; ++i) {
            const Token& token = tokens_[i];
            if (token.is("function") || token.is("if") || token.is("do") || token.is("repeat")) {
                ++depth;
            } else if (token.is("end") || token.is("until")) {
                --depth;
            }
            if (!free_name(i) || token.text != event) {
                continue;
            }
            if (tokens_[i - 1].is("local") || tokens_[i - 1].is("(") || tokens_[i - 1].is(",")) {
                const bool parameter = tokens_[i - 1].is("local") || is(i - 2, "function");
                if (parameter) {
                    return; // another thing of that name
                }
            }
            if ((is(i + 1, ".") || is(i + 1, ":")) && i + 2 < tokens_.size() && tokens_[i + 2].kind == Token::Kind::name) {
                check(what.c_str(), tokens_[i + 2], names);
                const auto field = description.field(tokens_[i + 2].text);
                if (field && is(i + 3, "=") && !description.fields[*field].settable) {
                    fail(tokens_[i + 2], fmt::format("the field {} of {} can't be set", tokens_[i + 2].text, description.name),
                         "emit what is wanted instead");
                }
            }
        }
    }

    std::vector<Token> tokens_;
    std::string file_;
    const std::vector<std::string>* options_;
    std::vector<std::string> states_;
    std::vector<Error> errors_;
};

/// A run in which nothing happens.
class NoHost final : public RuleHost {
public:
    void native(Event&) override {}
    std::optional<double> axis(std::string_view, bool) override { return std::nullopt; }
    int slot(std::string_view) override { return -1; }
    Problem emit(std::span<const RuleWord>) override { return std::nullopt; }
    void text(const std::string&) override {}
    void text(const std::string&, std::span<const Role>) override {}
    void comment(const std::string&) override {}
    void section(const std::string&) override {}
    void set_section(const std::string&, std::optional<Section>) override {}
    void reset_section(const std::string&) override {}
    void act(SectionAction) override {}
    void stop(bool) override {}
    Problem dwell(double) override { return std::nullopt; }
    void forget(std::span<const Role>) override {}
    void report(RuleSeverity, const std::string&, const std::string&) override {}
    expr::Value state(StateName) override { return {}; }
    std::vector<RuleTool> tools() override { return {}; }
    std::vector<RuleOperation> operations() override { return {}; }
};

Error error_of(const RuleFault& fault) { return {ErrorKind::syntax, fault.text(), fault.place, "correct the rulebook there"}; }

} // namespace

std::vector<Error> check_rule_text(const std::string& text, const std::string& file, const std::vector<std::string>* options)
{
    Sandbox sandbox({});
    if (sandbox.ready()) {
        if (const auto fault = sandbox.compile(sandbox.state(), text, file)) {
            return {error_of(*fault)};
        }
    }
    return NameCheck(text, file, options).run();
}

std::vector<Error> check_rulebook(const RulebookText& text, const RuleOptions& options)
{
    std::vector<std::string> names;
    for (const auto& [name, value] : options) {
        names.push_back(name);
    }
    std::vector<Error> out;
    for (const auto& [name, content] : text.files) {
        for (Error& error : check_rule_text(content, text.folder + "/" + name, &names)) {
            out.push_back(std::move(error));
        }
    }
    if (out.empty()) {
        NoHost host;
        Rulebook rulebook(text, options, host);
        if (const auto fault = rulebook.load()) {
            out.push_back(error_of(*fault));
        }
    }
    return out;
}

} // namespace wexilum
