// What is in a control's memory when it begins a program.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <string>

namespace wexilum {

struct Machine;
struct RunWatch;
struct Setup;
class SubprogramBook;

/// What the control finds in its memory besides the program.
struct ControlMemory {
    /// register -> joint index -> machine reading of the program's zero
    std::map<std::string, std::map<std::size_t, double>> offsets;
    const Setup* tools = nullptr;                  ///< tool table and length registers; null: nobody has stated any, nor offsets
    SubprogramBook* subprograms = nullptr;         ///< those of the program's file; null: none. Notes which are called
    RunWatch* watch = nullptr;                     ///< may end the program inside of calls; null: nobody does
    std::uint64_t most_called_blocks = 20'000'000; ///< done inside of calls; a program with more of them is ended with an error
};

/// With the work offset registers of a setup, by joint number, and its tools.
[[nodiscard]] ControlMemory control_memory(const Machine& machine, const Setup& setup);

} // namespace wexilum
