// Feed, spindle and coolant of a control, and how long a motion takes with them.
#pragma once

#include "core/control/control_axes.hpp"

#include <optional>

namespace wexilum {

class FeedsAndSpindle final : public ControlPart {
public:
    /// All must outlive the object.
    FeedsAndSpindle(const Controller& controller, const Machine& machine, const ControlAxes& axes, ModalWords& modal, ControlLog& log);

    /// A word that comes into force while another one is: of coolants, spindle or feed modes; others do nothing here.
    void put(const WordMeaning& meaning, bool other);
    /// The words of speed and feed in a block.
    void read(const BlockWords& words);
    void forget();
    void set_spindle(record::SpindleState spindle) { spindle_ = spindle; }
    [[nodiscard]] record::SpindleState spindle() const { return spindle_; }
    [[nodiscard]] std::optional<double> rpm() const { return rpm_; }
    [[nodiscard]] record::CoolantState coolant() const { return coolant_; }
    /// In the mode's own unit: mm/s, mm/rev, 1/s.
    [[nodiscard]] std::optional<double> feed() const { return feed_; }
    /// Half the last digit of the feed's word over its value.
    [[nodiscard]] double precision() const { return precision_; }
    /// The feed mode in force, for a motion that depends on it.
    [[nodiscard]] Function mode() { return modal_.use(Group::feed_mode, Function::feed_per_minute); }
    /// The same without a word about it.
    [[nodiscard]] Function mode_as_it_is() const;

    struct FeedWord {
        double feed; ///< in the mode's own unit
        double precision;
    };
    [[nodiscard]] FeedWord read_feed(Function mode, const CodeWord& word) const;
    /// The most that a word may say in a mode, in its own unit; infinite where there is no limit.
    [[nodiscard]] double most(Function mode) const;
    /// A cut at a feed word that was read so: it is in force, where the mode keeps it.
    void cut_at(Function mode, const FeedWord& word);

    /// What feed words of motions mean.
    struct Clock {
        Function mode = Function::feed_per_minute;
        double rpm = 0;
        bool turns_count = false; ///< the feed is that of all joints together, mm and deg alike

        struct Taken {
            double seconds;
            double asked; ///< by the feed alone
            bool at_joint_limit;
        };
        /// A motion of `straight` mm, the squares of whose turns sum up to `turns` deg^2. `feed`: in the mode's own unit; `least`: what the
        /// slowest joint needs, s.
        [[gnu::always_inline]] [[nodiscard]] Taken taken(double feed, double straight, double turns, double least) const
        {
            const bool all =
                turns_count || straight < 1e-9; // a control that times by the linear way alone times by turns where there is none
            const double way = all ? std::sqrt(straight * straight + turns) : straight;
            const double speed = mode == Function::feed_per_revolution ? feed * (rpm / 60) : feed;
            const double asked = mode == Function::feed_inverse_time ? 1 / feed : speed > 0 ? way / speed : 0;
            return {asked < least ? least : asked, asked, least > 0.999 * asked};
        }
    };
    /// `tip`: the control keeps the feed at the tip.
    [[nodiscard]] Clock clock(Function mode, bool tip) const
    {
        return {mode, rpm_.value_or(0), controller_.rotary_feed == Controller::RotaryFeed::combined && !tip};
    }
    /// How long a motion takes and what says so. Without a feed in force it takes no time, which is reported.
    void time(ReplayMove& move);
    /// What the slowest joint needs, s.
    [[nodiscard]] double least_seconds(const Readings& from, const Readings& to) const;

    /// A feed in force is always one that a plain cut can have.
    [[nodiscard]] bool leaves_cuts_plain() const override { return true; }

private:
    void check_feed_word(Function mode, const CodeWord& word);

    const Controller& controller_;
    const Machine& machine_;
    const ControlAxes& axes_;
    ModalWords& modal_;
    std::optional<double> feed_;
    double precision_ = 0;
    std::optional<double> rpm_;
    record::SpindleState spindle_ = record::SpindleState::off;
    record::CoolantState coolant_ = record::CoolantState::off;
};

} // namespace wexilum
