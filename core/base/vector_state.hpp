// The state of a thread's vector registers.
#pragma once

#if defined(__x86_64__)
#include <immintrin.h>
#endif

namespace wexilum {

#if defined(__x86_64__)
namespace detail {
[[gnu::target("avx")]] inline void clear_upper_halves() { _mm256_zeroupper(); }
} // namespace detail
#endif

/// To be called before long computing. A thread may be handed over, by libraries that draw for instance, with the upper halves of its
/// vector registers in use; until they are cleared, each instruction that works on the lower halves has to carry them along, and loops over
/// columns take two to five times as long (measured: the words of cuts, 25 ms instead of 7 in a program of 200,000 blocks). Threads begin
/// as those were that start them. Does nothing where there is no such state.
inline void clear_vector_state()
{
#if defined(__x86_64__)
    if (__builtin_cpu_supports("avx") != 0) {
        detail::clear_upper_halves();
    }
#endif
}

} // namespace wexilum
