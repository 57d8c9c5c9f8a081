// A long run seen from another thread: how far it is, and a way to end it.
#pragma once

#include "core/base/result.hpp"

#include <atomic>
#include <cstdint>

namespace wexilum {

/// Shared between the thread that runs and the one that watches. What runs looks at `stop` now and then; once it is set, it ends with
/// cancelled() as soon as it can, and nothing that it has made is complete.
struct RunWatch {
    std::atomic<bool> stop{false};
    std::atomic<std::uint64_t> records{0};  ///< read
    std::atomic<std::uint64_t> arranged{0}; ///< whose blocks are written
    std::atomic<std::uint64_t> replayed{0}; ///< lines read back
    std::atomic<std::uint64_t> lines{0};    ///< there are to read back; 0 until they are known

    [[nodiscard]] bool stopped() const { return stop.load(std::memory_order_relaxed); }
};

/// What a run ends with that was asked to stop.
[[nodiscard]] inline Error cancelled() { return {ErrorKind::cancelled, "the run was stopped", {}, "start it again to have its results"}; }

} // namespace wexilum
