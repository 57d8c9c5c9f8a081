// Straight cuts that follow one another, many at once. Each comes out as CutWriter::feed() would write it; what needs a closer look is left
// to that.
#pragma once

#include "core/write/cut_writer.hpp"

#include <array>

namespace wexilum {

/// Cuts of a run that are plain by the plan; all in the work mount's frame.
struct CutsAlong {
    const LinearRun* run = nullptr;
    std::uint64_t serial = 0;                     ///< another one for each run and each part of it that is planned together
    std::size_t end = 0;                          ///< of the part that is planned
    const std::array<Column, 2>* turns = nullptr; ///< planned rotary readings
    Vec3 from = Vec3::Zero();                     ///< where the tip stands before the cut at hand
    Turns from_turns{};                           ///< and the rotary readings planned for there
};

class CutRunWriter {
public:
    /// All must outlive the object.
    CutRunWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds,
                 CutWriter& cuts, WriteLog& log)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), cuts_(cuts), log_(log)
    {}

    /// Writes cuts of a run from `first` to before `end`, as far as each is one block and no other word than axes and feed changes; how
    /// many of them. Nothing is done about the others. The source is the run's.
    [[nodiscard]] std::size_t feed(const CutsAlong& cuts, std::size_t first, std::size_t end, const FeedSpec& feed);
    /// Whether feed() would take cuts from `at` on that are plain: every part of the writer's state says so (WritePart), and the feed is
    /// stated. Precondition for is_plain(): this was so for a cut before it.
    [[nodiscard]] bool open(const CutsAlong& cuts, std::size_t at, const FeedSpec& feed);
    /// Whether a cut is plain: inside travel and one block.
    [[nodiscard]] bool is_plain(const CutsAlong& cuts, std::size_t at) const
    {
        return ahead_.run == cuts.serial && at >= ahead_.first && at < ahead_.end && ahead_.plain[at];
    }

private:
    static constexpr std::size_t most_joints = 5;
    /// Where cuts of a run bring the machine, by the joints of the chain.
    struct Positions {
        std::uint64_t run = 0; ///< its serial; 0: none
        std::size_t first = 0;
        std::size_t end = 0;
        std::array<LineRun::Counts, most_joints> counts{};
        std::array<Column, most_joints> readings{};
        std::array<double, most_joints> stood{}; ///< readings before the first
        Column length{};                         ///< of the tip's way, mm
        Column slowest{};                        ///< as in BlockWay, s
        Column room{};                           ///< how far inside travel, no more than 0; below 0 where it needs a closer look
        std::array<std::uint8_t, longest_run> moved{};
        std::array<bool, longest_run> plain{}; ///< inside travel and one block
    };
    /// How feeds of a run are written.
    struct FeedForm {
        bool by_inverse = false;
        Quantity quantity = Quantity::feed;
        double most = 0;           ///< 0: no limit
        std::int64_t as_asked = 0; ///< where nothing turns
        bool asked_fits = true;
    };
    [[nodiscard]] bool may_open(const FeedSpec& feed) const;
    [[nodiscard]] bool follows_on(const CutsAlong& cuts, std::size_t at) const;
    void prepare(const CutsAlong& cuts, std::size_t first);
    void find_positions(const CutsAlong& cuts, std::size_t first, std::size_t end);
    void find_ways(const CutsAlong& cuts, std::size_t first, std::size_t end);
    void find_rest(const CutsAlong& cuts, std::size_t first, std::size_t end);
    [[nodiscard]] FeedForm form_of(const FeedSpec& feed) const;
    [[nodiscard]] std::size_t find_feeds(const FeedSpec& feed, const FeedForm& form, std::size_t first, std::size_t end);
    [[nodiscard]] double combined_way(std::size_t at) const;

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    CutWriter& cuts_;
    WriteLog& log_;
    Positions ahead_;
    std::array<std::uint8_t, longest_run> moved_{};
    std::array<std::int64_t, longest_run> values_{}; ///< of feeds
};

} // namespace wexilum
