// What an expression is made of. Private to core/expr.
#pragma once

#include "core/expr/expression.hpp"

namespace wexilum::expr {

enum class Op : std::uint8_t {
    constant,
    name,
    negate,
    invert, // not
    add,
    subtract,
    multiply,
    divide,
    modulo,
    equal,
    unequal,
    less,
    less_equal,
    both,   // and
    either, // or
    choose, // if
    has,
    first,
    least,
    greatest,
    absolute,
    round,
    floor,
    ceil,
    root,
    sine,
    cosine,
    tangent,
};

struct Expression::Node {
    Op op = Op::constant;
    Type type = Type::number;
    Dimension dimension;
    Value constant;
    std::size_t name = 0;
    std::vector<std::shared_ptr<const Node>> parts;
};

} // namespace wexilum::expr
