// What a program does by itself: how far each axis and the tip go, with which tools, how fast and how long.
#pragma once

#include "core/base/finding.hpp"
#include "core/follow/follower.hpp"
#include "core/follow/program_time.hpp"

#include <array>
#include <cstdint>
#include <limits>
#include <string>
#include <vector>

namespace wexilum {

struct Setup;

/// The smallest and the largest of something, with the blocks where they are.
struct Extent {
    double low = std::numeric_limits<double>::infinity();
    double high = -std::numeric_limits<double>::infinity();
    BlockNumber low_block;
    BlockNumber high_block;

    [[nodiscard]] bool any() const { return low <= high; }
    void take(double value, BlockNumber block);
};

/// What one tool does, from one change to it to the next change.
struct ToolStretch {
    std::uint32_t tool = 0;
    double length = 0; ///< mm, as the control adds it; 0: none
    BlockNumber first_block;
    BlockNumber last_block;
    double cutting = 0;        ///< s at feed, as the control times it
    double cutting_way = 0;    ///< mm of the tip at feed
    Extent feed;               ///< mm/s of the tip
    Extent speed;              ///< rpm of the tool while it feeds
    std::array<Extent, 3> tip; ///< of its cuts, part's frame, mm
};

struct CodeReading {
    std::vector<std::string> files;
    std::uint64_t blocks = 0;
    std::uint64_t motions = 0;
    FindingList findings;
    std::vector<ToolStretch> tools; ///< in the program's order; motions before the first change are those of tool 0
    std::vector<Extent> readings;   ///< by joint, mm or rad, over all motions and their ways
    std::vector<Extent> cut_readings;
    std::array<Extent, 3> tip; ///< part's frame, mm, over all motions
    std::array<Extent, 3> cut_tip;
    ProgramTime time;
};

/// How far the readings stay from the nearer end of a joint's travel: the smaller of the two distances, negative beyond it. Nothing
/// without travel or readings.
[[nodiscard]] std::optional<double> travel_left(const Joint& joint, const Extent& readings);

/// Adds up what a program does.
class CodeReader final : public MotionListener {
public:
    /// Both must outlive the reader.
    CodeReader(const Machine& machine, CodeReading& out);

    void moved(const Followed& motion) override;
    void tool_change(BlockNumber block, std::uint32_t tool) override;

private:
    void begin_tool(std::uint32_t tool, BlockNumber block);
    void note(const Readings& at, const Vec3& tip, BlockNumber block, bool cuts);

    const Machine& machine_;
    CodeReading& out_;
    bool begun_ = false;
    std::vector<double> places_; ///< kept for its memory
};

} // namespace wexilum
