// How far a run has come by its operations and tools.
#pragma once

#include "core/path/outline.hpp"
#include "core/write/motion_writer.hpp"

#include <optional>
#include <string>

namespace wexilum {

class RunCourse final : public WritePart {
public:
    /// All must outlive the object.
    RunCourse(const Assembly& assembly, const Outline& outline, WriteLog& log) : WritePart(log), assembly_(assembly), outline_(outline) {}

    void begin_operation(const record::Operation& operation);
    /// How many have begun.
    [[nodiscard]] std::size_t operations() const { return operations_; }
    /// Id and name of the one at hand; empty before the first.
    [[nodiscard]] const std::string& operation() const { return operation_; }
    [[nodiscard]] const std::string& operation_id() const { return operation_id_; }
    [[nodiscard]] const OperationSettings& settings() const { return settings_of(assembly_.job, operations_); }
    /// What motion needs to know of it.
    [[nodiscard]] LinkedOperation linked() const;
    /// What the path does in it; null before the first.
    [[nodiscard]] const OperationOutline* here() const;

    /// Takes a tool call; whether the tool is one that can be moved. The outline has said so where it is not.
    [[nodiscard]] bool call_tool(std::uint32_t number);
    /// Null: none that can be moved.
    [[nodiscard]] const Tool* tool() const { return tool_; }
    /// How many tools have been called, and the number of the one `ahead` calls behind the last; nothing where there are no more.
    [[nodiscard]] std::size_t calls() const { return calls_; }
    [[nodiscard]] std::optional<std::uint32_t> next_tool(std::size_t ahead = 0) const;
    [[nodiscard]] const Outline& outline() const { return outline_; }

    /// An operation that is to be a subprogram is looked at block by block.
    [[nodiscard]] bool leaves_cuts_plain() const override { return tool_ != nullptr && settings().subprogram == 0; }

private:
    const Assembly& assembly_;
    const Outline& outline_;
    std::size_t calls_ = 0;
    std::size_t operations_ = 0;
    const Tool* tool_ = nullptr;
    std::string operation_;
    std::string operation_id_;
};

} // namespace wexilum
