#include "core/write/brake_writer.hpp"

namespace wexilum {

BrakeWriter::BrakeWriter(const Assembly& assembly, WordEmitter& emitter, const WrittenPlace& place, WriteLog& log)
    : WritePart(log), assembly_(assembly), emitter_(emitter), place_(place)
{
    for (const auto& [id, words] : assembly.dialect.brakes) {
        brakes_.push_back({assembly.machine.find_joint(id)->value, &words, std::nullopt});
    }
}

void BrakeWriter::forget()
{
    for (Brake& brake : brakes_) {
        brake.locked.reset();
    }
}

void BrakeWriter::is(const std::string& joint, bool locked)
{
    for (Brake& brake : brakes_) {
        if (assembly_.machine.joints[brake.joint].id == joint) {
            brake.locked = locked;
        }
    }
}

void BrakeWriter::release(std::size_t joint)
{
    for (Brake& brake : brakes_) {
        if (brake.joint == joint && brake.locked != false) {
            emitter_.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &brake.words->release}}});
            brake.locked = false;
        }
    }
}

void BrakeWriter::release_moving(const MachinePosition& target)
{
    for (const Brake& brake : brakes_) {
        if (!place_.stated[brake.joint] || target.counts[brake.joint] != place_.position().counts[brake.joint]) {
            release(brake.joint);
        }
    }
}

void BrakeWriter::lock_standing(const OperationOutline* operation)
{
    for (Brake& brake : brakes_) {
        const bool may_turn = assembly_.machine.joints[brake.joint].moves_while_cutting && place_.frame.in_chain()[brake.joint];
        if (brake.locked != true && !(may_turn && operation != nullptr && operation->turns_in_cuts)) {
            emitter_.emit({StatementKind::state, {{Role::once, 0, Quantity::whole, 0, &brake.words->lock}}});
            brake.locked = true;
        }
    }
}

} // namespace wexilum
