#include "core/solve/plan_format.hpp"

namespace wexilum {

using namespace plan;

Turns PlanReader::reading(const std::array<Turns, 2>& lifts, const Chosen& chosen) const
{
    Turns out = lifts[std::size_t(chosen.branch)];
    out[0] += whole_turn * chosen.turns[0];
    out[1] += whole_turn * chosen.turns[1];
    return out;
}

void PlanReader::next_stretch()
{
    const auto head = decisions_.get<BlockHead>();
    for (std::uint32_t i = 0; i < head.count; ++i) {
        const auto entry = decisions_.get<SheetEntry>();
        if (i == head.chosen) {
            chosen_ = {static_cast<int>(entry.branch), entry.turns, head.beyond != 0};
        }
    }
    (void)decisions_.get<std::uint32_t>();
}

const Planned& PlanReader::next_other(const std::array<Turns, 2>& lifts, Planned::Entry entry, bool opposite)
{
    out_ = {};
    out_.entry = entry;
    out_.opposite = opposite;
    out_.branch_before = chosen_.branch;
    switch (entry) {
    case Planned::Entry::cut: break;
    case Planned::Entry::link: next_stretch(); break;
    case Planned::Entry::reorient: {
        const auto depart = steps_.get<std::array<Turns, 2>>();
        next_stretch();
        out_.depart = reading(depart, chosen_);
        break;
    }
    case Planned::Entry::pole: {
        const auto step = steps_.get<PoleStep>();
        out_.s = step.s;
        out_.arrive = reading(step.arrive, chosen_);
        next_stretch();
        out_.depart = reading(step.depart, chosen_);
        break;
    }
    case Planned::Entry::lost: break;
    }
    out_.branch = chosen_.branch;
    out_.turns = reading(lifts, chosen_);
    out_.beyond = chosen_.beyond;
    return out_;
}

const Planned& PlanReader::next()
{
    const auto head = steps_.get<StepHead>();
    const auto lifts = steps_.get<std::array<Turns, 2>>();
    const auto entry = static_cast<Planned::Entry>(head.entry);
    if (entry == Planned::Entry::cut && out_.entry == Planned::Entry::cut) {
        out_.turns = reading(lifts, chosen_);
        return out_;
    }
    return next_other(lifts, entry, head.opposite != 0);
}

} // namespace wexilum
