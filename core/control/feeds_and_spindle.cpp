#include "core/control/feeds_and_spindle.hpp"

#include "core/base/units.hpp"
#include "core/control/block_words.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace wexilum {
namespace {

using record::CoolantState;
using record::SpindleState;

CoolantState coolant_of(Function function)
{
    switch (function) {
    case Function::coolant_flood: return CoolantState::flood;
    case Function::coolant_mist: return CoolantState::mist;
    case Function::coolant_through: return CoolantState::through;
    case Function::coolant_air: return CoolantState::air;
    default: return CoolantState::off;
    }
}

SpindleState spindle_of(Function function)
{
    switch (function) {
    case Function::spindle_clockwise: return SpindleState::clockwise;
    case Function::spindle_counter_clockwise: return SpindleState::counter_clockwise;
    default: return SpindleState::off;
    }
}

} // namespace

FeedsAndSpindle::FeedsAndSpindle(const Controller& controller, const Machine& machine, const ControlAxes& axes, ModalWords& modal,
                                 ControlLog& log)
    : ControlPart(log), controller_(controller), machine_(machine), axes_(axes), modal_(modal)
{}

void FeedsAndSpindle::put(const WordMeaning& meaning, bool other)
{
    switch (group_of(meaning.function)) {
    case Group::feed_mode:
        if (other && controller_.feed_mode_clears_feed) {
            feed_.reset();
        }
        return;
    case Group::coolant: coolant_ = coolant_of(meaning.function); return;
    case Group::spindle: spindle_ = spindle_of(meaning.function); return;
    default: return;
    }
}

void FeedsAndSpindle::read(const BlockWords& words)
{
    if (const CodeWord* word = words.take(controller_.speed)) {
        const double rpm = modal_.value(*word, controller_.speed_increment);
        if (rpm < 0) {
            log_.report(Severity::error, "code-error", "", "a spindle speed is below zero", "write a speed of zero or more");
        }
        log_.note_change(rpm_ != rpm);
        rpm_ = rpm;
    }
    if (const CodeWord* word = words.take(controller_.feed)) {
        const Function function = mode();
        const auto [feed, precision] = read_feed(function, *word);
        if (!(feed > 0)) {
            log_.report(Severity::error, "code-error", "", "a feed word is not above zero", "write a feed above zero");
        } else {
            log_.note_change(feed_ != feed);
            feed_ = feed;
            precision_ = precision;
            check_feed_word(function, *word);
        }
    }
}

void FeedsAndSpindle::forget()
{
    feed_.reset();
    rpm_.reset();
    spindle_ = SpindleState::off;
    coolant_ = CoolantState::off;
}

Function FeedsAndSpindle::mode_as_it_is() const
{
    const WordMeaning* const mode = modal_.state(Group::feed_mode).meaning;
    return mode != nullptr ? mode->function : Function::feed_per_minute;
}

FeedsAndSpindle::FeedWord FeedsAndSpindle::read_feed(Function mode, const CodeWord& word) const
{
    const double increment = mode == Function::feed_inverse_time     ? controller_.inverse_time_increment
                             : mode == Function::feed_per_revolution ? controller_.revolution_feed_increment
                                                                     : controller_.feed_increment;
    const double value = modal_.value(word, increment);
    const double precision = value > 0 ? 0.5 * increment / value : 0;
    switch (mode) {
    case Function::feed_inverse_time: return {per_minute(value), precision};
    case Function::feed_per_revolution: return {value * modal_.unit(), precision};
    default: return {per_minute(value * modal_.unit()), precision};
    }
}

double FeedsAndSpindle::most(Function mode) const
{
    const double most = mode == Function::feed_inverse_time ? controller_.inverse_time_most
                        : mode == Function::feed_per_minute ? controller_.feed_most
                                                            : 0;
    return most > 0 ? per_minute(most) : std::numeric_limits<double>::infinity();
}

void FeedsAndSpindle::cut_at(Function mode, const FeedWord& word)
{
    precision_ = word.precision;
    feed_ = mode == Function::feed_inverse_time && !controller_.inverse_time_modal ? std::nullopt : std::optional(word.feed);
}

void FeedsAndSpindle::check_feed_word(Function mode, const CodeWord& word)
{
    const bool inverse = mode == Function::feed_inverse_time;
    const double most = inverse ? controller_.inverse_time_most : mode == Function::feed_per_minute ? controller_.feed_most : 0;
    if (most > 0 && feed_ && *feed_ * 60 > most * (1 + 1e-9)) {
        log_.report(Severity::error, "feed-beyond", "",
                    fmt::format("the feed word {}{} is beyond the control's limit, {:g} {}", word.letter, word.number.substr(0, 24), most,
                                inverse ? "a minute" : "mm/min"),
                    "lower the feed", *feed_);
    }
}

double FeedsAndSpindle::least_seconds(const Readings& from, const Readings& to) const
{
    double least = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        least = std::max(least, std::abs(to[Eigen::Index(i)] - from[Eigen::Index(i)]) / machine_.joints[i].speed);
    }
    return least;
}

void FeedsAndSpindle::time(ReplayMove& move)
{
    double squares = 0;
    double turns = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const double way = move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)];
        if (i == move.surface_joint) {
            squares += way * way * move.surface_scale * move.surface_scale;
            continue;
        }
        if (!machine_.relations.empty() && machine_.relation_of(JointIndex(std::uint32_t(i))) != nullptr) {
            continue; // the feed is that of the words
        }
        (axes_.rotary(i) ? turns : squares) += axes_.rotary(i) ? to_deg(way) * to_deg(way) : way * way;
    }
    const bool tip = move.tip_solver != nullptr;
    const double straight = move.arc ? move.arc->length() : tip ? (move.tip_to - move.tip_from).norm() : std::sqrt(squares);
    const Function function = mode();
    if (!feed_) {
        log_.report(Severity::error, "no-feed", "", "a move at feed while no feed is in force", "write the feed in this block");
        return;
    }
    const Clock::Taken taken = clock(function, tip).taken(*feed_, straight, turns, least_seconds(move.from, move.to));
    const double most = function == Function::feed_per_minute ? controller_.feed_most : 0;
    move.at_feed_limit = most > 0 && *feed_ * 60 > nearly * most;
    if (function == Function::feed_inverse_time && !controller_.inverse_time_modal) {
        feed_.reset();
    }
    move.at_joint_limit = move.at_joint_limit || taken.at_joint_limit;
    move.seconds = taken.seconds;
    move.asked = taken.asked;
    move.feed_precision = precision_;
}

} // namespace wexilum
