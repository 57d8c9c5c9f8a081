#include "core/controller/frame_kind.hpp"

#include <array>

namespace wexilum {

std::string_view name_of(FrameKind kind)
{
    static constexpr std::array<std::string_view, frame_kind_count> names{"joints", "tool-centre-point", "tilted-plane", "world",
                                                                          "cylinder"};
    return names[static_cast<std::size_t>(kind)];
}

} // namespace wexilum
