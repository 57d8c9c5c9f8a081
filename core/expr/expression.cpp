#include "core/expr/expression.hpp"

#include "core/base/units.hpp"
#include "core/expr/expression_node.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace wexilum::expr {

std::string name_of(const Dimension& d)
{
    const std::array<std::pair<Dimension, const char*>, 7> named{{{plain, "a plain number"},
                                                                  {length, "a length"},
                                                                  {angle, "an angle"},
                                                                  {time, "a time"},
                                                                  {feed, "a feed"},
                                                                  {feed_per_turn, "a feed per revolution"},
                                                                  {speed, "a speed"}}};
    for (const auto& [dimension, name] : named) {
        if (dimension == d) {
            return name;
        }
    }
    return fmt::format("mm^{} rad^{} s^{} rev^{}", d.length, d.angle, d.time, d.turns);
}

struct Expression::Evaluation {
    std::span<const Value> values;
    std::optional<Error> error;

    Value of(const Node& node)
    {
        switch (node.op) {
        case Op::constant: return node.constant;
        case Op::name: return values[node.name];
        case Op::has: return present(of(*node.parts[0]));
        case Op::first: {
            Value first = of(*node.parts[0]);
            return present(first) ? first : of(*node.parts[1]);
        }
        case Op::choose: {
            const Value condition = of(*node.parts[0]);
            return present(condition) ? of(*node.parts[std::get<bool>(condition) ? 1 : 2]) : Value();
        }
        case Op::both:
        case Op::either: return logic(node);
        default: break;
        }
        std::vector<Value> parts;
        for (const auto& part : node.parts) {
            parts.push_back(of(*part));
            if (!present(parts.back())) {
                return {};
            }
        }
        switch (node.op) {
        case Op::invert: return !std::get<bool>(parts[0]);
        case Op::equal: return parts[0] == parts[1];
        case Op::unequal: return parts[0] != parts[1];
        case Op::less: return std::get<double>(parts[0]) < std::get<double>(parts[1]);
        case Op::less_equal: return std::get<double>(parts[0]) <= std::get<double>(parts[1]);
        default: return number(node, parts);
        }
    }
    /// A side without a value decides nothing; the other one may.
    Value logic(const Node& node)
    {
        const bool decides = node.op == Op::either;
        bool all = true;
        for (const auto& part : node.parts) {
            const Value value = of(*part);
            if (present(value) && std::get<bool>(value) == decides) {
                return decides;
            }
            all = all && present(value);
        }
        return all ? Value(!decides) : Value();
    }
    Value number(const Node& node, const std::vector<Value>& parts)
    {
        std::vector<double> v;
        v.reserve(parts.size());
        for (const Value& part : parts) {
            v.push_back(std::get<double>(part));
        }
        const double out = computed(node.op, v);
        if (!std::isfinite(out) && !error) {
            const bool division = (node.op == Op::divide || node.op == Op::modulo) && v[1] == 0;
            error = Error{ErrorKind::value, division ? "a division by zero" : "a value out of range", {}, "guard it with if(…)"};
        }
        return out;
    }
    static double computed(Op op, const std::vector<double>& v)
    {
        switch (op) {
        case Op::negate: return -v[0];
        case Op::add: return v[0] + v[1];
        case Op::subtract: return v[0] - v[1];
        case Op::multiply: return v[0] * v[1];
        case Op::divide: return v[1] == 0 ? std::nan("") : v[0] / v[1];
        case Op::modulo: return v[1] == 0 ? std::nan("") : v[0] - v[1] * std::floor(v[0] / v[1]);
        case Op::least: return *std::min_element(v.begin(), v.end());
        case Op::greatest: return *std::max_element(v.begin(), v.end());
        case Op::absolute: return std::abs(v[0]);
        case Op::round:
        case Op::floor:
        case Op::ceil: {
            const double step = v.size() == 2 ? v[1] : 1; // to its multiples
            const double steps = step == 0 ? std::nan("") : v[0] / step;
            return (op == Op::round ? std::round(steps) : op == Op::floor ? std::floor(steps) : std::ceil(steps)) * step;
        }
        case Op::root: return std::sqrt(v[0]);
        case Op::sine: return std::sin(v[0]);
        case Op::cosine: return std::cos(v[0]);
        default: return std::tan(v[0]);
        }
    }
};

Type Expression::type() const { return root_->type; }
Dimension Expression::dimension() const { return root_->dimension; }

Result<Value> Expression::evaluate(std::span<const Value> values) const
{
    Evaluation evaluation{values, std::nullopt};
    Value out = evaluation.of(*root_);
    if (evaluation.error) {
        return *evaluation.error;
    }
    return out;
}

double shown(double value, const Dimension& d, bool inches)
{
    value /= std::pow(inches ? mm_per_inch : 1.0, d.length);
    value *= std::pow(180 / pi, d.angle);
    return d.time < 0 ? value * std::pow(60.0, -d.time) : value;
}

std::string text_of(const Value& value, const Dimension& dimension, int decimals, bool inches)
{
    if (const auto* text = std::get_if<std::string>(&value)) {
        return *text;
    }
    if (const auto* flag = std::get_if<bool>(&value)) {
        return *flag ? "yes" : "no";
    }
    const auto* number = std::get_if<double>(&value);
    if (number == nullptr) {
        return {};
    }
    std::string out = fmt::format("{:.{}f}", shown(*number, dimension, inches), decimals < 0 ? 3 : decimals);
    if (decimals < 0) {
        out.erase(out.find_last_not_of('0') + 1);
        if (out.back() == '.') {
            out.pop_back();
        }
    }
    return out.find_first_not_of("-0.") == std::string::npos && out[0] == '-' ? out.substr(1) : out;
}

} // namespace wexilum::expr
