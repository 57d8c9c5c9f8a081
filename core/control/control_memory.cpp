#include "core/control/control_memory.hpp"

#include "core/machine/machine.hpp"
#include "core/setup/setup.hpp"

namespace wexilum {

ControlMemory control_memory(const Machine& machine, const Setup& setup)
{
    ControlMemory memory;
    memory.tools = &setup;
    for (const auto& [name, values] : setup.offsets) {
        for (const auto& [id, value] : values) {
            if (const auto joint = machine.find_joint(id)) {
                memory.offsets[name][joint->value] = value;
            }
        }
    }
    return memory;
}

} // namespace wexilum
