// Feeds bytes to the checker of rules, to the run of a rulebook's own text within small limits, and to the expression language. Each
// error must have a message.
#include "core/dialect/section.hpp"
#include "core/expr/expression.hpp"
#include "core/rules/rulebook.hpp"

#include <cstdint>
#include <cstdlib>

using namespace wexilum;

namespace {

void check(bool holds)
{
    if (!holds) {
        std::abort();
    }
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    const std::string text(reinterpret_cast<const char*>(data), size);
    const std::vector<std::string> options{"parts", "long_tool"};
    for (const Error& error : check_rule_text(text, "rulebook.lua", &options)) {
        check(!error.message.empty());
    }
    Sandbox sandbox(RuleLimits{std::size_t{8} << 20, 100'000, 200'000});
    if (const auto fault = sandbox.compile(sandbox.state(), text, "rulebook.lua")) {
        check(!fault->message.empty());
    } else if (const auto ended = sandbox.call(sandbox.state(), 0)) {
        check(!ended->message.empty());
    }
    const auto expression = expr::Expression::parse(text, state_names());
    if (!expression) {
        check(!expression.error().message.empty() && !expression.error().cure.empty());
    } else {
        const std::vector<expr::Value> nothing(state_names().size());
        (void)expression->evaluate(nothing);
    }
    return 0;
}
