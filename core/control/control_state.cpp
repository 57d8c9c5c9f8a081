#include "core/control/control_state.hpp"

#include "core/control/modal_words.hpp"

namespace wexilum {

std::vector<ControlState::Group> groups_in_force(const Controller& controller, const ModalWords& modal)
{
    std::vector<ControlState::Group> out;
    for (std::size_t i = 0; i < group_count; ++i) {
        const auto group = static_cast<Group>(i);
        if (group == Group::none || !modal.knows(group)) {
            continue;
        }
        const ModalWords::State& state = modal.state(group);
        std::string word;
        for (const auto& [name, meaning] : controller.words) {
            word = &meaning == state.meaning ? name : word;
        }
        out.push_back({std::string(name_of(group)), word,
                       state.meaning != nullptr ? std::string(name_of(state.meaning->function)) : std::string(), state.by_program});
    }
    return out;
}

} // namespace wexilum
