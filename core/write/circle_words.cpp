#include "core/write/circle_words.hpp"

#include "core/base/units.hpp"
#include "core/solve/subdivide.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

void CircleWords::add_axis(Statement& statement, std::size_t joint, std::int64_t counts)
{
    statement.slots.push_back({Role::axes, std::uint8_t(joint), place_.frame.quantity(joint), axis_word(joint, counts), {}});
}

std::int64_t CircleWords::circle_word(std::size_t joint, std::int64_t counts)
{
    const std::int64_t before = place_.position().counts[joint];
    if (counts != before || !words_[joint]) {
        words_[joint] = place_.frame.word_counts(joint, before, counts);
    }
    return *words_[joint];
}

int CircleWords::blocks_between(const Readings& from, const Readings& to) const
{
    std::int64_t out = 1;
    for (std::size_t i = 0; place_.frame.has_circles() && !place_.on_cylinder() && i < place_.solver().rotary().size(); ++i) {
        const std::size_t joint = place_.solver().rotary()[i].value;
        const auto at = Eigen::Index(joint);
        out = std::max(out, place_.frame.blocks_between(joint, place_.frame.counts(joint, from[at]), place_.frame.counts(joint, to[at])));
    }
    return int(std::min<std::int64_t>(out, most_points));
}

void CircleWords::go_one_way(const Readings& planned)
{
    for (std::size_t i = 0; place_.frame.has_circles() && i < place_.solver().rotary().size(); ++i) {
        const std::size_t joint = place_.solver().rotary()[i].value;
        const auto at = Eigen::Index(joint);
        const TurnReading reads = place_.frame.reads(joint);
        if (reads != TurnReading::rising && reads != TurnReading::falling) {
            continue;
        }
        const double one = reads == TurnReading::rising ? whole_turn : -whole_turn;
        const auto behind = [&] { // by counts: what rounds to where the joint stands is no way back
            const std::int64_t way = place_.frame.counts(joint, planned[at] + further_[at]) - place_.position().counts[joint];
            return reads == TurnReading::rising ? way < 0 : way > 0;
        };
        further_[at] += behind() ? one * std::ceil((place_.now()[at] - planned[at] - further_[at]) / one) : 0;
        further_[at] += behind() ? one : 0;
    }
}

void CircleWords::check_one_way(const Readings& from, const Readings& to)
{
    for (std::size_t i = 0; place_.frame.has_circles() && i < place_.solver().rotary().size(); ++i) {
        const std::size_t joint = place_.solver().rotary()[i].value;
        const auto at = Eigen::Index(joint);
        const TurnReading reads = place_.frame.reads(joint);
        const std::int64_t way = place_.frame.counts(joint, to[at]) - place_.frame.counts(joint, from[at]);
        if ((reads == TurnReading::rising && way < 0) || (reads == TurnReading::falling && way > 0)) {
            const std::string& id = assembly_.machine.joints[joint].id;
            log_.report(Severity::error, "one-way", id,
                        fmt::format("{} has to turn back by {:.4f} deg in a cut, but the control turns it one way only", id,
                                    std::abs(to_deg(to[at] - from[at]))),
                        "cut the other way round, or choose another reading of the axis in the controller",
                        std::abs(to_deg(to[at] - from[at])));
        }
    }
}

} // namespace wexilum
