#include "core/control/tools_and_lengths.hpp"

#include "core/control/block_words.hpp"
#include "core/setup/setup.hpp"

#include <fmt/format.h>

#include <cmath>

namespace wexilum {

ToolsAndLengths::ToolsAndLengths(const Controller& controller, const Machine& machine, const Setup* table, const ControlAxes& axes,
                                 ModalWords& modal, FeedsAndSpindle& feeds, ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), table_(table), axes_(axes), modal_(modal), feeds_(feeds)
{
    if (const auto joint = machine.find_joint(controller.length_joint)) {
        length_default_ = length_joint_ = joint->value;
    }
}

void ToolsAndLengths::put(const WordMeaning& meaning, const BlockWords& words)
{
    if (meaning.function == Function::length_off) {
        shift_ = 0;
    }
    if (meaning.function == Function::length_on && !words.contains(controller_.length_register)) {
        log_.report(Severity::error, "code-error", "",
                    fmt::format("a length is called without the register word {}", controller_.length_register),
                    "write the register in the same block");
    }
}

void ToolsAndLengths::read_register(const BlockWords& words)
{
    const CodeWord* word = words.take(controller_.length_register);
    if (word == nullptr) {
        return;
    }
    const std::uint32_t number = modal_.whole(*word);
    const auto length = table_ != nullptr ? table_->length_register(number) : std::nullopt;
    const WordMeaning* on = modal_.use(Group::length);
    if (!length && number != 0 && table_ != nullptr) {
        log_.report(Severity::error, "length-missing", std::to_string(number), fmt::format("the length register {} is empty", number),
                    "give the tool its length in the setup");
    } else if (on != nullptr && on->function == Function::length_on) {
        const std::size_t joint = length_default_ == SIZE_MAX ? SIZE_MAX : axes_.named(words, length_default_, length_joint_);
        log_.note_change(shift_ != length.value_or(0) || joint != length_joint_);
        shift_ = length.value_or(0);
        length_joint_ = joint;
    }
}

void ToolsAndLengths::change(const BlockWords& words)
{
    if (const CodeWord* word = words.take(controller_.tool)) {
        const std::uint32_t number = modal_.whole(*word);
        log_.note_change(); // a tool that is called again stands there for whoever restarts at this block
        selected_ = number;
    }
    if (!words.has(Function::tool_change)) {
        return;
    }
    log_.note_change();
    if (selected_ == tool_) {
        log_.report(Severity::error, "same-tool", "", fmt::format("the tool {} is changed for itself", tool_),
                    "remove the tool change, or call another tool before it");
    }
    for (const auto& [id, place] : controller_.change_position) {
        const auto joint = machine_.find_joint(id);
        if (joint && (!axes_.known(joint->value) || std::abs(axes_.now(joint->value) - place) > 1e-6)) {
            log_.report(Severity::error, "change-place", id, fmt::format("{} is not at its place for a tool change", id),
                        "retract before the tool change");
        }
    }
    if (feeds_.spindle() != record::SpindleState::off && !controller_.tool_change_stops_spindle) {
        log_.report(Severity::error, "change-turning", "", "the spindle turns during the tool change", "stop it before");
    }
    if (controller_.tool_change_stops_spindle) {
        feeds_.set_spindle(record::SpindleState::off);
        modal_.forget(Group::spindle);
    }
    tool_ = selected_;
    const Tool* tool = table_ != nullptr ? table_->find_tool(tool_) : nullptr;
    length_ = tool != nullptr ? tool->length.value_or(0) : 0;
    if (tool == nullptr && table_ != nullptr) {
        log_.report(Severity::error, "tool-missing", std::to_string(tool_), fmt::format("the tool {} is not in the tool table", tool_),
                    "add it to the setup");
    }
    log_.happens(Happening::Kind::tool_change).tool = tool_;
}

void ToolsAndLengths::forget()
{
    tool_ = selected_ = 0;
    length_ = 0;
}

} // namespace wexilum
