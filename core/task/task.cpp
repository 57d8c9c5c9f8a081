#include "core/task/task.hpp"

namespace wexilum {

const OperationSettings& settings_of(const Job& job, std::size_t begun)
{
    static const OperationSettings none;
    return begun == 0 || begun > job.operations.size() ? none : job.operations[begun - 1].settings;
}

std::vector<std::string> Task::joint_names() const
{
    std::vector<std::string> names;
    for (const Joint& joint : machine.joints) {
        names.push_back(joint.id);
    }
    return names;
}

const std::string& Task::register_of(std::uint32_t work) const
{
    const std::string& own = setup.works[work].work_offset;
    return own.empty() ? job.work_offset : own;
}

double Task::offset(JointIndex joint, std::uint32_t work) const
{
    const auto found = setup.offsets.find(register_of(work));
    if (found == setup.offsets.end()) {
        return 0;
    }
    const auto value = found->second.find(machine.joints[joint.value].id);
    return value == found->second.end() ? 0 : value->second;
}

} // namespace wexilum
