#include "core/follow/program_time.hpp"

#include <numeric>

namespace wexilum {

const char* key_of(TimeCause cause)
{
    static constexpr std::array<const char*, time_causes> keys{"feed",  "joint-speed", "ramps",   "look-ahead", "block-time",
                                                               "rapid", "tool-change", "spindle", "brakes",     "dwell"};
    return keys[std::size_t(cause)];
}

double SpentTime::seconds() const { return std::accumulate(by.begin(), by.end(), 0.0); }

double SpentTime::cutting() const { return std::accumulate(by.begin(), by.begin() + std::size_t(TimeCause::rapid), 0.0); }

} // namespace wexilum
