// The core's border: what is thrown inside becomes an Error, so that nobody who calls has to catch anything.
#pragma once

#include "core/base/result.hpp"

#include <exception>
#include <new>

namespace wexilum {

/// What an exception says to a person.
[[nodiscard]] inline Error fault_of(const std::exception& problem)
{
    if (dynamic_cast<const std::bad_alloc*>(&problem) != nullptr) {
        return {ErrorKind::fault, "there is not enough memory for this", {}, "close other programs, or give this one more memory"};
    }
    return {ErrorKind::fault,
            std::string("the program has made a mistake (") + problem.what() + ")",
            {},
            "nothing of yours is changed; please report it with the files that led to it"};
}

/// Runs work that gives a Status or a Result.
template <typename Work>
auto guarded(const Work& work) -> decltype(work())
{
    try {
        return work();
    } catch (const std::exception& problem) {
        return fault_of(problem);
    }
}

} // namespace wexilum
