// What the comparer keeps to look at many cuts at once; private to it.
#pragma once

#include "core/compare/compare.hpp"

#include <cmath>

namespace wexilum {

struct Comparer::Along {
    static constexpr double most_turn = 0.05;          ///< chord between axes: beyond, one by one
    static constexpr double short_chord_square = 1e-8; ///< as in great_circle()

    struct Measures {
        Column tip{};
        Column axis{};
        Column tip_budget{};
        Column axis_budget{};
        [[nodiscard]] Deviation deviation(std::size_t i) const { return {tip[i], axis[i]}; }
        [[nodiscard]] Budget budget(std::size_t i) const { return {tip_budget[i], axis_budget[i]}; }
        [[nodiscard]] double ratio(std::size_t i) const { return std::max(tip[i] / tip_budget[i], axis[i] / axis_budget[i]); }
    };

    // How many are tried at once: few where few had nothing to tell, none for a while where none had.
    std::size_t tried = longest_run;
    std::size_t rest = 0;
    std::size_t misses = 0;

    // By cut of the run at hand.
    PoseRun middle;
    std::vector<Column> half_way;     ///< readings by joint
    std::array<Column, 3> from_tip{}; ///< of the path's piece, and so on
    std::array<Column, 3> from_axis{};
    std::array<Column, 3> to_tip{};
    std::array<Column, 3> to_axis{};
    Column length{};
    Column piece_turn{};
    double axis_budget = 0; ///< at each record
    Column lever_term{};    ///< as in Seen
    Measures record;
    Measures between;
    Column percent{}; ///< of the feed
    Column bad{};     ///< not 0: it needs the closer look

    // By record.
    BranchRun found;
    LinearRun in_work;

    BranchFollower branches; ///< as they were before
};

} // namespace wexilum
