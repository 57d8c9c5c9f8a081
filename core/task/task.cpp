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

double Task::offset(JointIndex joint) const
{
    const auto found = setup.offsets.find(job.work_offset);
    if (found == setup.offsets.end()) {
        return 0;
    }
    const auto value = found->second.find(machine.joints[joint.value].id);
    return value == found->second.end() ? 0 : value->second;
}

} // namespace wexilum
