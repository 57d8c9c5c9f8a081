#include "core/solve/plan_format.hpp"

#include <algorithm>
#include <utility>

namespace wexilum {

using namespace plan;

PlanReader::PlanReader(Spool& steps, Spool& decisions, const InverseSolver& solver) : steps_(steps), decisions_(decisions), solver_(&solver)
{
    out_.entry = Planned::Entry::lost;
    out_.readings = out_.arrive = out_.depart = Readings::Zero(Eigen::Index(solver.kinematics().joints().size()));
}

Turns PlanReader::turns_on(const std::array<Turns, 2>& lifts, const Chosen& chosen) const
{
    Turns out = lifts[std::size_t(chosen.branch)];
    out[0] += whole_turn * chosen.turns[0];
    out[1] += whole_turn * chosen.turns[1];
    return out;
}

Readings PlanReader::readings_on(const std::array<Turns, 2>& lifts, const Chosen& chosen) const
{
    Readings out = out_.readings;
    solver_->set_turns(out, turns_on(lifts, chosen));
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
    out_.entry = entry;
    out_.s = 0;
    out_.opposite = opposite;
    out_.branch_before = chosen_.branch;
    switch (entry) {
    case Planned::Entry::cut: break;
    case Planned::Entry::link: next_stretch(); break;
    case Planned::Entry::reorient: {
        const auto depart = steps_.get<std::array<Turns, 2>>();
        next_stretch();
        out_.depart = readings_on(depart, chosen_);
        break;
    }
    case Planned::Entry::pole: {
        const auto step = steps_.get<PoleStep>();
        out_.s = step.s;
        out_.arrive = readings_on(step.arrive, chosen_);
        next_stretch();
        out_.depart = readings_on(step.depart, chosen_);
        break;
    }
    case Planned::Entry::lost: break;
    }
    out_.branch = chosen_.branch;
    out_.readings = readings_on(lifts, chosen_);
    out_.beyond = chosen_.beyond;
    return out_;
}

const Planned& PlanReader::next_whole(bool begins)
{
    out_.entry = static_cast<Planned::Entry>(steps_.get<std::uint8_t>());
    if (begins) {
        next_stretch();
    }
    out_.s = 0;
    out_.opposite = false;
    out_.branch = out_.branch_before = chosen_.branch;
    out_.beyond = chosen_.beyond;
    const auto count = steps_.get<StepCount>();
    for (std::size_t i = 0; i < count; ++i) {
        out_.readings[Eigen::Index(i)] = steps_.get<double>();
    }
    return out_;
}

/// Whether cuts of a run are at hand; they are read where one begins.
bool PlanReader::read_run()
{
    if (run_at_ < run_end_) {
        return true;
    }
    if (!head_) {
        head_ = steps_.get<StepHead>();
    }
    if (head_->entry != run_entry) {
        return false;
    }
    head_.reset();
    run_at_ = 0;
    run_end_ = std::min<std::size_t>(steps_.get<StepCount>(), longest_run);
    const std::size_t bytes = run_end_ * sizeof(double);
    for (int branch = 0; branch < 2; ++branch) {
        for (std::size_t joint = 0; joint < 2; ++joint) {
            if (branch == chosen_.branch) {
                steps_.bytes(reinterpret_cast<char*>(run_[joint].data()), bytes);
                for (std::size_t i = 0; i < run_end_; ++i) {
                    run_[joint][i] += whole_turn * chosen_.turns[joint];
                }
            } else {
                steps_.skip(bytes);
            }
        }
    }
    return run_end_ > 0;
}

std::size_t PlanReader::next_run(std::size_t at, std::size_t most, std::array<Column, 2>& turns)
{
    std::size_t count = 0;
    while (count < most) {
        if (read_run()) {
            const std::size_t part = std::min(most - count, run_end_ - run_at_);
            for (std::size_t joint = 0; joint < 2; ++joint) {
                std::copy_n(run_[joint].begin() + std::ptrdiff_t(run_at_), part, turns[joint].begin() + std::ptrdiff_t(at + count));
            }
            run_at_ += part;
            count += part;
        } else if (static_cast<Planned::Entry>(head_->entry) == Planned::Entry::cut) {
            head_.reset();
            const Turns one = turns_on(steps_.get<std::array<Turns, 2>>(), chosen_);
            turns[0][at + count] = one[0];
            turns[1][at + count] = one[1];
            ++count;
        } else {
            break;
        }
    }
    if (count > 0) {
        stay({turns[0][at + count - 1], turns[1][at + count - 1]});
    }
    return count;
}

/// The plan stands at a plain cut.
void PlanReader::stay(const Turns& turns)
{
    if (out_.entry != Planned::Entry::cut) {
        out_.entry = Planned::Entry::cut;
        out_.s = 0;
        out_.opposite = false;
        out_.branch = out_.branch_before = chosen_.branch;
        out_.beyond = chosen_.beyond;
    }
    solver_->set_turns(out_.readings, turns);
}

const Planned& PlanReader::next()
{
    if (read_run()) {
        stay({run_[0][run_at_], run_[1][run_at_]});
        ++run_at_;
        return out_;
    }
    const StepHead head = *std::exchange(head_, std::nullopt);
    if (head.entry == whole_entry) {
        return next_whole(head.opposite != 0);
    }
    const auto lifts = steps_.get<std::array<Turns, 2>>();
    const auto entry = static_cast<Planned::Entry>(head.entry);
    if (entry == Planned::Entry::cut) {
        stay(turns_on(lifts, chosen_));
        return out_;
    }
    return next_other(lifts, entry, head.opposite != 0);
}

} // namespace wexilum
