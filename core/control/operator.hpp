// The person at the machine: does at a stop what messages of the program ask for, in the words of the machine's attachments.
#pragma once

#include "core/machine/machine.hpp"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

class Operator {
public:
    /// The machine must outlive the operator.
    explicit Operator(const Machine& machine);
    /// Whether the machine has anything that a person fits or sets.
    [[nodiscard]] bool needed() const { return needed_; }

    /// What a message asks for.
    struct Task {
        std::uint32_t mount = 0; ///< the attachment that it speaks of
        enum class Kind { fit, remove, set } kind = Kind::fit;
        JointIndex joint;             ///< to be set,
        double reading = 0;           ///< rad, as the scale says
        std::optional<double> amount; ///< rad, where the message says it: with the sense, counted as the readings rise
        bool readable = true;         ///< false: its reading or joint could not be read
    };
    /// A comment of the program. One that is not a message of an attachment says nothing.
    void hear(std::string_view comment);
    /// What has been asked for and not been done, in order; forgotten with this call.
    [[nodiscard]] std::vector<Task> take() { return std::move(tasks_); }
    [[nodiscard]] bool waits() const { return !tasks_.empty(); }

private:
    const Machine& machine_;
    bool needed_ = false;
    std::vector<Task> tasks_;
};

} // namespace wexilum
