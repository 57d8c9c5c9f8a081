// What the control takes: blocks that may be skipped, whole numbers, feeds, how long a motion takes, and what nobody has stated.
#include "core/base/units.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

/// What is in force or stands somewhere without the program's doing: told once a cause.
void SimulatedControl::rely_on(const std::string& subject, const std::string& what, const char* cure)
{
    const bool by_loop = loop_.value != 0 && !unknown_outside_; // its first pass is as stated
    Finding finding = Finding::make(by_loop ? Severity::warning : Severity::error, "relies-on-unknown",
                                    what + (loop_.value != 0 ? " the loop" : " the program"),
                                    fmt::format("{} in the {}", cure, loop_.value != 0 ? "loop" : "program's head"));
    finding.code = {start_.file, block_.value, 0};
    findings_.add(std::move(finding), subject, block_.value, SIZE_MAX);
}

/// A block that the operator may have the control skip: without it the program has to be the same.
void SimulatedControl::check_skippable(const BlockWords& words)
{
    const bool words_only =
        std::any_of(words.addresses.begin(), words.addresses.end(), [](const CodeWord* word) { return word != nullptr; });
    const bool harmless = std::all_of(words.functions.begin(), words.functions.end(),
                                      [](const WordMeaning* meaning) { return meaning->function == Function::optional_stop; });
    if (words_only || !harmless) {
        report(Severity::error, "may-be-skipped", "", "the control may skip this block, and the program is another one without it",
               "take the slash away; only an optional stop may be skipped");
    }
}

/// The whole number, not below zero, that a word has; 0 where it has none, which is told.
std::uint32_t SimulatedControl::whole(const CodeWord& word)
{
    if (word.value < 0 || word.value != std::floor(word.value)) {
        report(Severity::error, "code-error", "",
               fmt::format("the word {}{} needs a whole number, not below zero", word.letter, word.number.substr(0, 24)),
               "correct the number");
        return 0;
    }
    return static_cast<std::uint32_t>(word.value);
}

/// Against what the control takes.
void SimulatedControl::check_feed_word(Function mode, const CodeWord& word)
{
    const bool inverse = mode == Function::feed_inverse_time;
    const double most = inverse ? controller_.inverse_time_most : mode == Function::feed_per_minute ? controller_.feed_most : 0;
    if (most > 0 && feed_ && *feed_ * 60 > most * (1 + 1e-9)) {
        report(Severity::error, "feed-beyond", "",
               fmt::format("the feed word {}{} is beyond the control's limit, {:g} {}", word.letter, word.number.substr(0, 24), most,
                           inverse ? "a minute" : "mm/min"),
               "lower the feed", *feed_);
    }
}

/// A cut while a joint may stand anywhere.
void SimulatedControl::report_unplaced()
{
    for (const auto& [address, joint] : joint_of_) {
        if (!known(joint)) {
            const std::string& id = machine_.joints[joint].id;
            rely_on(id, fmt::format("a cut relies on where {} stood before", id), "position it");
        }
    }
}

/// What the slowest joint needs.
double SimulatedControl::least_seconds(const Readings& from, const Readings& to) const
{
    double least = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        least = std::max(least, std::abs(to[Eigen::Index(i)] - from[Eigen::Index(i)]) / machine_.joints[i].speed);
    }
    return least;
}

void SimulatedControl::time_feed(ReplayMove& move)
{
    double squares = 0;
    double turns = 0;
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const double way = move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)];
        if (i == move.surface_joint) {
            squares += way * way * move.surface_scale * move.surface_scale;
            continue;
        }
        (rotary(i) ? turns : squares) += rotary(i) ? to_deg(way) * to_deg(way) : way * way;
    }
    const bool tip = move.tip_solver != nullptr;
    const double straight = move.arc ? move.arc->length() : tip ? (move.tip_to - move.tip_from).norm() : std::sqrt(squares);
    const WordMeaning* mode = use(Group::feed_mode);
    const Function function = mode != nullptr ? mode->function : Function::feed_per_minute;
    if (!feed_) {
        report(Severity::error, "no-feed", "", "a move at feed while no feed is in force", "write the feed in this block");
        return;
    }
    const auto feed_before = feed_;
    double seconds = 0;
    if (function == Function::feed_inverse_time) {
        seconds = 1 / *feed_;
        if (!controller_.inverse_time_modal) {
            feed_.reset();
        }
    } else {
        const bool combined = controller_.rotary_feed == Controller::RotaryFeed::combined ? !tip || straight < 1e-9 : straight < 1e-9;
        const double way = combined ? std::hypot(straight, std::sqrt(turns)) : straight;
        double speed = *feed_;
        if (function == Function::feed_per_revolution) {
            speed *= spindle_rpm_.value_or(0) / 60;
        }
        seconds = speed > 0 ? way / speed : 0;
    }
    for (std::size_t i = 0; i < machine_.joints.size(); ++i) {
        const double least = std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) / machine_.joints[i].speed;
        move.at_joint_limit = move.at_joint_limit || least > 0.999 * seconds;
        seconds = std::max(seconds, least);
    }
    const double most = function == Function::feed_per_minute ? controller_.feed_most : 0;
    move.at_feed_limit = most > 0 && *feed_before * 60 > nearly * most;
    move.seconds = seconds;
    move.feed_precision = feed_precision_;
}

} // namespace wexilum
