// The subprograms of a program's file, by their numbers.
#pragma once

#include "core/controller/controller.hpp"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace wexilum {

struct Subprogram {
    std::uint32_t first = 0;        ///< line of its number in the file, from 1
    std::vector<std::string> lines; ///< behind that
    bool twice = false;             ///< another one of the same number stands in the file
    bool called = false;
    std::size_t reached = 0; ///< how many of its lines calls have come to
};

/// Takes a file's lines before the control runs them: what stands behind the number of a program, from the second such number on, is a
/// subprogram. Kept in memory, because calls come in any order.
class SubprogramBook {
public:
    /// The controller must outlive the book.
    explicit SubprogramBook(const Controller& controller);
    /// Whether the control knows calls; otherwise the book stays empty.
    [[nodiscard]] bool wanted() const { return wanted_; }
    void line(std::string_view text);
    /// nullptr where there is none. The pointer lives as long as no line is added.
    [[nodiscard]] Subprogram* find(std::uint64_t number);
    [[nodiscard]] std::map<std::uint64_t, Subprogram>& all() { return all_; }
    /// Whether a line begins with the number of a program, and with which.
    [[nodiscard]] std::optional<std::uint64_t> number_of(std::string_view text) const;

private:
    const Controller& controller_;
    bool wanted_;
    bool main_ = false; ///< the program's own number has come
    bool empty_ = true; ///< nothing but it and blank lines has
    std::uint32_t lines_ = 0;
    Subprogram* current_ = nullptr;
    std::map<std::uint64_t, Subprogram> all_;
};

} // namespace wexilum
