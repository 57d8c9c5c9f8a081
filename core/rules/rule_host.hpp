// What rules can do to a run; the run supplies it.
#pragma once

#include "core/base/result.hpp"
#include "core/dialect/dialect.hpp"
#include "core/rules/description.hpp"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace wexilum {

/// A word of a statement that a rule emits: a function, or a slot with its value in the rule's units.
struct RuleWord {
    std::optional<Function> function;
    int slot = -1; ///< as RuleHost::slot() numbers them
    double value = 0;
};

struct RuleTool {
    std::uint32_t number = 0;
    std::string name;
    std::optional<double> length; ///< mm
    std::size_t calls = 0;
    std::size_t index = 0; ///< of its first call, from 1
};

struct RuleOperation {
    std::string id;
    std::string name;
    std::string work; ///< id; empty: the only one of its setup
    std::size_t records = 0;
    std::vector<std::uint32_t> tools;
    bool moves = false;
    std::array<double, 3> low{};
    std::array<double, 3> high{};
};

enum class RuleSeverity : std::uint8_t { remark, warning, error };

/// Functions that can fail return what is wrong, for the rule to see as an error.
class RuleHost {
public:
    virtual ~RuleHost() = default;
    using Problem = std::optional<std::string>;

    /// Asked before each of the others: why the rules may do no more; nothing while they may. A run may not write, stop and report without
    /// end.
    [[nodiscard]] virtual Problem full() const { return std::nullopt; }

    /// What happens without a rule, with the event's fields as they are.
    virtual void native(Event& event) = 0;
    /// The program's value of a joint at the end of the motion at hand, or the machine's reading: mm or degrees. Nothing without motion,
    /// or for a joint that is not there.
    virtual std::optional<double> axis(std::string_view joint, bool machine) = 0;
    /// The number of a slot, negative where there is none of that name.
    virtual int slot(std::string_view name) = 0;
    virtual Problem emit(std::span<const RuleWord> words) = 0;
    virtual void text(const std::string& line) = 0;
    virtual void text(const std::string& line, std::span<const Role> changes) = 0;
    virtual void comment(const std::string& text) = 0;
    virtual void section(const std::string& name) = 0;
    virtual void set_section(const std::string& name, std::optional<Section> section) = 0;
    virtual void reset_section(const std::string& name) = 0;
    virtual void act(SectionAction action) = 0;
    virtual void stop(bool optional) = 0;
    virtual Problem dwell(double seconds) = 0;
    virtual void forget(std::span<const Role> roles) = 0; ///< none: all
    virtual void report(RuleSeverity severity, const std::string& text, const std::string& cure) = 0;
    virtual expr::Value state(StateName name) = 0;
    virtual std::vector<RuleTool> tools() = 0;
    virtual std::vector<RuleOperation> operations() = 0;
};

} // namespace wexilum
