// Feeds of blocks: in which mode and with which value, so that the tip keeps its own where rotary joints move.
#pragma once

#include "core/write/written_place.hpp"

#include <optional>

namespace wexilum {

/// The feed a record asks for.
struct FeedSpec {
    FeedMode mode = FeedMode::per_minute;
    double value = 0; ///< as in record::Feed; 0: none stated yet
    double spindle_rpm = 0;
    /// Whether it says how long a way takes.
    [[nodiscard]] bool stated() const { return value > 0 && (mode != FeedMode::per_revolution || spindle_rpm > 0); }
    /// Time for a way of the tip; 0 where the feed is missing.
    [[nodiscard]] double seconds(double length) const;
};

class FeedWords final : public WritePart {
public:
    /// All must outlive the object.
    FeedWords(const Assembly& assembly, WordEmitter& emitter, const WrittenPlace& place, WriteLog& log);

    /// Adds a feed to a block: its mode's word where it changes, and the value's.
    void add(Statement& statement, FeedMode mode, double value) { statement.slots.push_back(slot(statement, mode, value)); }
    /// Adds the mode of a cut's feed and gives its value, which goes behind the axes.
    [[nodiscard]] Slot for_block(Statement& statement, const MachinePosition& target, const BlockWay& way, double seconds, double length,
                                 const FeedSpec& feed);
    /// The mode in force; nothing: not known.
    [[nodiscard]] std::optional<FeedMode> mode() const { return mode_; }
    void forget() { mode_.reset(); }

    /// Whether the last block was a cut as well and nothing has been forgotten since, so that its words but axes and feed hold.
    [[nodiscard]] bool cutting_on() const
    {
        return cut_words_hold_ && cut_stamp_ == emitter_.stamp() && cut_forgotten_ == emitter_.forgotten();
    }
    /// The block that has just been written is a cut.
    void note_cut()
    {
        cut_stamp_ = emitter_.stamp();
        cut_forgotten_ = emitter_.forgotten();
    }

    double carried_seconds = 0; ///< of cuts too small for a block: the next one makes their way, too
    double carried_length = 0;  ///< mm

    /// The way by which the control times a block in which something turns: the root of `straight`, mm^2, or with `turns`, deg^2.
    /// `tip`: it keeps the feed at the tip.
    [[nodiscard]] double timed_way(double straight, double turns, bool tip) const
    {
        // A control that times by the linear way alone times by the turns where nothing else moves.
        const bool combined = (assembly_.controller.rotary_feed == Controller::RotaryFeed::combined && !tip) || straight < 1e-18;
        return std::sqrt(straight + (combined ? turns : 0));
    }

    [[nodiscard]] bool leaves_cuts_plain() const override { return cutting_on(); }

private:
    [[nodiscard]] Slot slot(Statement& statement, FeedMode mode, double value);
    [[nodiscard]] Slot for_straight(Statement& statement, const MachinePosition& target, bool limited, double seconds, double length,
                                    const FeedSpec& feed);
    [[nodiscard]] double way_of_linear(const MachinePosition& target) const;
    void report_limited(const std::string& joint, double slower);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    const WrittenPlace& place_;
    std::optional<FeedMode> mode_;
    bool cut_words_hold_ = false; ///< a cut's words are modal in this dialect
    std::uint64_t cut_forgotten_ = 0;
    std::uint64_t cut_stamp_ = UINT64_MAX;
};

} // namespace wexilum
