#include "core/events/run_course.hpp"

namespace wexilum {

void RunCourse::begin_operation(const record::Operation& operation)
{
    ++operations_;
    operation_ = operation.id + " " + operation.name;
    operation_id_ = operation.id;
}

const OperationOutline* RunCourse::here() const
{
    return operations_ > 0 && operations_ <= outline_.operations.size() ? &outline_.operations[operations_ - 1] : nullptr;
}

LinkedOperation RunCourse::linked() const
{
    const OperationOutline* const outline = here();
    const std::optional<Wrap>* wrap = outline != nullptr ? &assembly_.job.operations[operations_ - 1].arrangement.wrap : nullptr;
    return {outline, &assembly_.links_of(operations_), wrap != nullptr && *wrap ? &**wrap : nullptr};
}

bool RunCourse::call_tool(std::uint32_t number)
{
    tool_ = assembly_.setup.find_tool(number);
    if (calls_ < outline_.tool_calls.size()) {
        ++calls_;
    }
    if (tool_ == nullptr || !tool_->length) { // nothing can be moved without a length
        tool_ = nullptr;
    }
    return tool_ != nullptr;
}

std::optional<std::uint32_t> RunCourse::next_tool(std::size_t ahead) const
{
    return calls_ + ahead < outline_.tool_calls.size() ? std::optional(outline_.tool_calls[calls_ + ahead]) : std::nullopt;
}

} // namespace wexilum
