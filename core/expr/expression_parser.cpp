#include "core/base/units.hpp"
#include "core/expr/expression_node.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>

namespace wexilum::expr {
namespace {

constexpr std::size_t most_bytes = 4096;
constexpr int most_depth = 64;

struct Unit {
    std::string_view name;
    double size;
    Dimension dimension;
};
constexpr std::array<Unit, 14> units{{{"mm", 1, length},
                                      {"cm", 10, length},
                                      {"m", 1000, length},
                                      {"in", mm_per_inch, length},
                                      {"deg", pi / 180, angle},
                                      {"rad", 1, angle},
                                      {"s", 1, time},
                                      {"ms", 0.001, time},
                                      {"min", 60, time},
                                      {"h", 3600, time},
                                      {"rev", 1, {0, 0, 0, 1}},
                                      {"rpm", 1.0 / 60, speed},
                                      {"percent", 0.01, plain},
                                      {"ft", 12 * mm_per_inch, length}}};

const Unit* unit_named(std::string_view name)
{
    const auto found = std::find_if(units.begin(), units.end(), [&](const Unit& u) { return u.name == name; });
    return found == units.end() ? nullptr : &*found;
}

struct Function {
    std::string_view name;
    Op op;
    std::size_t least;
    std::size_t most;
};
constexpr std::array<Function, 13> functions{{{"if", Op::choose, 3, 3},
                                              {"has", Op::has, 1, 1},
                                              {"first", Op::first, 2, 2},
                                              {"min", Op::least, 2, 8},
                                              {"max", Op::greatest, 2, 8},
                                              {"abs", Op::absolute, 1, 1},
                                              {"round", Op::round, 1, 2},
                                              {"floor", Op::floor, 1, 2},
                                              {"ceil", Op::ceil, 1, 2},
                                              {"sqrt", Op::root, 1, 1},
                                              {"sin", Op::sine, 1, 1},
                                              {"cos", Op::cosine, 1, 1},
                                              {"tan", Op::tangent, 1, 1}}};

const char* kind_of(Type type) { return type == Type::number ? "a number" : type == Type::flag ? "a flag" : "a text"; }

bool starts_name(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0 || c == '_'; }
bool in_name(char c) { return starts_name(c) || std::isdigit(static_cast<unsigned char>(c)) != 0; }

} // namespace

class Expression::Parser {
public:
    Parser(std::string_view text, std::span<const Name> names) : text_(text), names_(names) {}

    Result<Expression> parse()
    {
        if (text_.size() > most_bytes) {
            fail(0, "the expression is too long", fmt::format("stay below {} characters", most_bytes));
        }
        auto root = either(0);
        blank();
        if (!error_ && at_ < text_.size()) {
            fail(at_, fmt::format("\"{}\" is not expected here", text_.substr(at_, 1)), "the expression is complete before it");
        }
        if (error_) {
            return *error_;
        }
        return Expression(std::move(root));
    }

private:
    using Part = std::shared_ptr<const Node>;

    void fail(std::size_t at, std::string message, std::string cure)
    {
        if (!error_) {
            error_ = Error{ErrorKind::syntax, std::move(message), {"", 0, std::uint32_t(at + 1)}, std::move(cure)};
        }
    }
    void blank()
    {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t')) {
            ++at_;
        }
    }
    bool take(std::string_view sign)
    {
        blank();
        if (text_.substr(at_, sign.size()) != sign) {
            return false;
        }
        if (starts_name(sign[0]) && at_ + sign.size() < text_.size() && in_name(text_[at_ + sign.size()])) {
            return false; // only the beginning of a longer name
        }
        at_ += sign.size();
        return true;
    }
    /// Whether it is safe to go one level down.
    bool deeper(int depth)
    {
        if (depth > most_depth) {
            fail(at_, "the expression is nested too deeply", fmt::format("use at most {} levels", most_depth));
        }
        return !error_;
    }
    Part nothing() { return std::make_shared<const Node>(); }
    static Part made(Op op, Type type, Dimension dimension, std::vector<Part> parts)
    {
        auto node = std::make_shared<Node>();
        node->op = op;
        node->type = type;
        node->dimension = dimension;
        node->parts = std::move(parts);
        return node;
    }
    void want(const Part& part, Type type, std::size_t at)
    {
        if (!error_ && part->type != type) {
            fail(at, fmt::format("{} is needed here, this is {}", kind_of(type), kind_of(part->type)),
                 type == Type::flag ? "compare it with something" : "use a value of the right kind");
        }
    }
    void same(const Part& a, const Part& b, std::size_t at, const char* doing)
    {
        if (error_) {
            return;
        }
        if (a->type != b->type) {
            fail(at, fmt::format("{} and {} can't be {}", kind_of(a->type), kind_of(b->type), doing), "use values of one kind");
        } else if (a->type == Type::number && a->dimension != b->dimension) {
            fail(at, fmt::format("{} and {} can't be {}", name_of(a->dimension), name_of(b->dimension), doing), "give the number its unit");
        }
    }

    Part either(int depth)
    {
        Part left = both(depth);
        while (!error_ && take("or")) {
            left = logic(Op::either, left, [&] { return both(depth); });
        }
        return left;
    }
    Part both(int depth)
    {
        Part left = inverted(depth);
        while (!error_ && take("and")) {
            left = logic(Op::both, left, [&] { return inverted(depth); });
        }
        return left;
    }
    template <typename Next>
    Part logic(Op op, const Part& left, const Next& next)
    {
        want(left, Type::flag, begin_);
        blank();
        const std::size_t at = at_;
        Part right = next();
        want(right, Type::flag, at);
        return made(op, Type::flag, plain, {left, right});
    }
    Part inverted(int depth)
    {
        if (!deeper(depth)) {
            return nothing();
        }
        if (take("not")) {
            blank();
            const std::size_t at = at_;
            Part part = inverted(depth + 1);
            want(part, Type::flag, at);
            return made(Op::invert, Type::flag, plain, {part});
        }
        return comparison(depth);
    }
    Part comparison(int depth)
    {
        blank();
        const std::size_t begin = begin_ = at_;
        Part left = sum(depth);
        begin_ = begin;
        blank();
        const std::size_t at = at_;
        const auto compare = [&](Op op, bool swapped, bool ordered) {
            Part right = sum(depth);
            same(left, right, at, "compared");
            if (ordered) {
                want(left, Type::number, begin);
            }
            return made(op, Type::flag, plain, swapped ? std::vector<Part>{right, left} : std::vector<Part>{left, right});
        };
        if (error_) {
            return left;
        }
        if (take("==") || take("=")) {
            return compare(Op::equal, false, false);
        }
        if (take("!=")) {
            return compare(Op::unequal, false, false);
        }
        if (take("<=")) {
            return compare(Op::less_equal, false, true);
        }
        if (take(">=")) {
            return compare(Op::less_equal, true, true);
        }
        if (take("<")) {
            return compare(Op::less, false, true);
        }
        if (take(">")) {
            return compare(Op::less, true, true);
        }
        return left;
    }
    Part sum(int depth)
    {
        blank();
        const std::size_t begin = at_;
        Part left = term(depth);
        for (;;) {
            blank();
            const std::size_t at = at_;
            const bool plus = !error_ && take("+");
            if (!plus && (error_ || !take("-"))) {
                return left;
            }
            Part right = term(depth);
            same(left, right, at, plus ? "added" : "subtracted");
            want(left, Type::number, begin);
            left = made(plus ? Op::add : Op::subtract, Type::number, left->dimension, {left, right});
        }
    }
    Part term(int depth)
    {
        blank();
        const std::size_t begin = at_;
        Part left = factor(depth);
        for (;;) {
            blank();
            const std::size_t at = at_;
            const char sign = error_ || at_ >= text_.size() ? ' ' : text_[at_];
            if (sign != '*' && sign != '/' && sign != '%') {
                return left;
            }
            ++at_;
            blank();
            const std::size_t second = at_;
            Part right = factor(depth);
            want(left, Type::number, begin);
            want(right, Type::number, second);
            Dimension d = left->dimension;
            if (sign == '%') {
                same(left, right, at, "divided with a remainder");
                left = made(Op::modulo, Type::number, d, {left, right});
                continue;
            }
            const int way = sign == '*' ? 1 : -1;
            d.length = std::int8_t(d.length + way * right->dimension.length);
            d.angle = std::int8_t(d.angle + way * right->dimension.angle);
            d.time = std::int8_t(d.time + way * right->dimension.time);
            d.turns = std::int8_t(d.turns + way * right->dimension.turns);
            if (std::max({std::abs(d.length), std::abs(d.angle), std::abs(d.time), std::abs(d.turns)}) > 9) {
                fail(at, "the product has too high a power of its units", "divide somewhere");
            }
            left = made(sign == '*' ? Op::multiply : Op::divide, Type::number, d, {left, right});
        }
    }
    Part factor(int depth)
    {
        if (!deeper(depth)) {
            return nothing();
        }
        blank();
        if (take("-")) {
            blank();
            const std::size_t at = at_;
            Part part = factor(depth + 1);
            want(part, Type::number, at);
            return made(Op::negate, Type::number, part->dimension, {part});
        }
        if (take("(")) {
            Part part = either(depth + 1);
            if (!error_ && !take(")")) {
                fail(at_, "a \")\" is missing", "close what was opened");
            }
            return part;
        }
        if (at_ >= text_.size()) {
            fail(at_, "a value is missing", "write a number, a text in quotes, a name or a function");
            return nothing();
        }
        const char c = text_[at_];
        if (std::isdigit(static_cast<unsigned char>(c)) != 0 || c == '.') {
            return number();
        }
        if (c == '"' || c == '\'') {
            return quoted();
        }
        if (starts_name(c)) {
            return named(depth);
        }
        fail(at_, fmt::format("\"{}\" is not expected here", text_.substr(at_, 1)),
             "write a number, a text in quotes, a name or a function");
        return nothing();
    }
    Part number()
    {
        double value = 0;
        const char* const begin = text_.data() + at_;
        const auto [end, problem] = std::from_chars(begin, text_.data() + text_.size(), value);
        if (problem != std::errc() || !(std::abs(value) < 1e15)) {
            fail(at_, "this is not a number in range", "write it like 12.5");
            return nothing();
        }
        at_ += std::size_t(end - begin);
        auto node = std::make_shared<Node>();
        const std::size_t after = at_;
        blank();
        if (const Unit* unit = take_unit()) {
            value *= unit->size;
            node->dimension = unit->dimension;
            const std::size_t before = at_;
            if (take("/")) {
                blank();
                if (const Unit* under = take_unit()) {
                    value /= under->size;
                    node->dimension.length = std::int8_t(node->dimension.length - under->dimension.length);
                    node->dimension.angle = std::int8_t(node->dimension.angle - under->dimension.angle);
                    node->dimension.time = std::int8_t(node->dimension.time - under->dimension.time);
                    node->dimension.turns = std::int8_t(node->dimension.turns - under->dimension.turns);
                } else {
                    at_ = before;
                }
            }
        } else if (at_ < text_.size() && starts_name(text_[at_]) && !operator_word()) {
            const std::size_t at = at_;
            const std::string word(word_here());
            fail(at, fmt::format("\"{}\" is not a unit", word), "use mm, cm, m, in, ft, deg, rad, s, ms, min, h, rev, rpm or percent");
        } else {
            at_ = after;
        }
        node->constant = value;
        return node;
    }
    [[nodiscard]] std::string_view word_here() const
    {
        std::size_t end = at_;
        while (end < text_.size() && in_name(text_[end])) {
            ++end;
        }
        return text_.substr(at_, end - at_);
    }
    [[nodiscard]] bool operator_word() const
    {
        const std::string_view word = word_here();
        return word == "and" || word == "or" || word == "not";
    }
    const Unit* take_unit()
    {
        const Unit* unit = unit_named(word_here());
        if (unit != nullptr) {
            at_ += unit->name.size();
        }
        return unit;
    }
    Part quoted()
    {
        const char quote = text_[at_];
        const std::size_t end = text_.find(quote, at_ + 1);
        if (end == std::string_view::npos) {
            fail(at_, "the text has no end", "close the quotes");
            return nothing();
        }
        auto node = std::make_shared<Node>();
        node->type = Type::text;
        node->constant = std::string(text_.substr(at_ + 1, end - at_ - 1));
        at_ = end + 1;
        return node;
    }
    Part named(int depth)
    {
        const std::size_t begin = at_;
        const std::string word(word_here());
        at_ += word.size();
        if (word == "yes" || word == "no") {
            auto node = std::make_shared<Node>();
            node->type = Type::flag;
            node->constant = word == "yes";
            return node;
        }
        blank();
        if (at_ < text_.size() && text_[at_] == '(') {
            return call(word, begin, depth);
        }
        for (std::size_t i = 0; i < names_.size(); ++i) {
            if (names_[i].name == word) {
                auto node = std::make_shared<Node>();
                node->op = Op::name;
                node->type = names_[i].type;
                node->dimension = names_[i].dimension;
                node->name = i;
                return node;
            }
        }
        std::vector<std::string> known;
        for (const Name& name : names_) {
            known.push_back(name.name);
        }
        fail(begin, fmt::format("nothing is called \"{}\"", word),
             known.empty() ? "no names can be used here" : fmt::format("the names are: {}", fmt::join(known, ", ")));
        return nothing();
    }
    Part call(const std::string& word, std::size_t begin, int depth)
    {
        const auto found = std::find_if(functions.begin(), functions.end(), [&](const Function& f) { return f.name == word; });
        if (found == functions.end()) {
            std::vector<std::string_view> known;
            known.reserve(functions.size());
            for (const Function& f : functions) {
                known.push_back(f.name);
            }
            fail(begin, fmt::format("no function is called \"{}\"", word), fmt::format("the functions are: {}", fmt::join(known, ", ")));
            return nothing();
        }
        ++at_;
        std::vector<Part> parts;
        std::vector<std::size_t> places;
        do {
            blank();
            places.push_back(at_);
            parts.push_back(either(depth + 1));
        } while (!error_ && take(","));
        if (!error_ && !take(")")) {
            fail(at_, "a \")\" is missing", "close the function's values");
        }
        if (!error_ && (parts.size() < found->least || parts.size() > found->most)) {
            fail(begin,
                 found->least == found->most
                     ? fmt::format("{} takes {} values, not {}", word, found->least, parts.size())
                     : fmt::format("{} takes {} to {} values, not {}", word, found->least, found->most, parts.size()),
                 "see the list of functions");
        }
        return error_ ? nothing() : checked(*found, std::move(parts), places);
    }
    Part checked(const Function& function, std::vector<Part> parts, const std::vector<std::size_t>& places)
    {
        const auto numbers = [&] {
            for (std::size_t i = 0; i < parts.size(); ++i) {
                want(parts[i], Type::number, places[i]);
            }
        };
        switch (function.op) {
        case Op::has: return made(function.op, Type::flag, plain, std::move(parts));
        case Op::choose:
            want(parts[0], Type::flag, places[0]);
            same(parts[1], parts[2], places[2], "the two outcomes of one if");
            return made(function.op, parts[1]->type, parts[1]->dimension, parts);
        case Op::first:
            same(parts[0], parts[1], places[1], "stand in for each other");
            return made(function.op, parts[0]->type, parts[0]->dimension, parts);
        case Op::root: {
            numbers();
            Dimension d = parts[0]->dimension;
            if (!error_ && (d.length % 2 != 0 || d.angle % 2 != 0 || d.time % 2 != 0 || d.turns % 2 != 0)) {
                fail(places[0], fmt::format("{} has no square root", name_of(d)), "take it of a product");
            }
            d = {std::int8_t(d.length / 2), std::int8_t(d.angle / 2), std::int8_t(d.time / 2), std::int8_t(d.turns / 2)};
            return made(function.op, Type::number, d, std::move(parts));
        }
        case Op::sine:
        case Op::cosine:
        case Op::tangent:
            numbers();
            if (!error_ && parts[0]->dimension != angle) {
                fail(places[0], fmt::format("an angle is needed here, this is {}", name_of(parts[0]->dimension)), "write 30 deg");
            }
            return made(function.op, Type::number, plain, std::move(parts));
        default:
            numbers();
            if (!error_ && parts.size() == 1 && function.op != Op::absolute && parts[0]->dimension != plain) {
                fail(places[0], fmt::format("{} is rounded to a step of its own kind", name_of(parts[0]->dimension)),
                     fmt::format("write {}(…, 0.1 mm), with a unit that fits", function.name));
            }
            for (std::size_t i = 1; i < parts.size(); ++i) {
                same(parts[0], parts[i], places[i], "used together");
            }
            return made(function.op, Type::number, parts[0]->dimension, parts);
        }
    }

    std::string_view text_;
    std::span<const Name> names_;
    std::size_t at_ = 0;
    std::size_t begin_ = 0; ///< of the comparison at hand
    std::optional<Error> error_;
};

Result<Expression> Expression::parse(std::string_view text, std::span<const Name> names) { return Parser(text, names).parse(); }

} // namespace wexilum::expr
