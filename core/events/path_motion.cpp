#include "core/events/path_motion.hpp"

#include "core/base/units.hpp"
#include "core/toolpath/arc_piece.hpp"

#include <fmt/format.h>

namespace wexilum {

void ExcursionList::add(Record inserted, std::size_t before)
{
    if (list_.empty() || list_.back().record != before) {
        list_.push_back({before, {}});
    }
    list_.back().inserted.push_back(std::move(inserted));
}

void ExcursionList::add(const std::vector<std::pair<Pose, bool>>& rapid_or_feed, const Source& source, std::size_t before)
{
    for (const auto& [pose, rapid] : rapid_or_feed) {
        const Pose in_part = transformed(in_part_, pose);
        add({rapid ? RecordData(record::Rapid{in_part}) : RecordData(record::Linear{in_part}), source}, before);
    }
}

PathMotion::PathMotion(const Assembly& assembly, PlanReader& plan, MotionWriter& motion, CycleWriter& cycles, const RunCourse& course,
                       EventNotes& notes, ExcursionList& excursions, std::function<void()> ready)
    : WritePart(motion.log()), assembly_(assembly), plan_(plan), motion_(motion), cycles_(cycles), course_(course), notes_(notes),
      excursions_(excursions), ready_(std::move(ready)), in_work_(assembly.setup.part()), planned_(assembly.machine.home())
{}

void PathMotion::set_feed(FeedMode mode, double value)
{
    feed_.mode = mode;
    feed_.value = value;
}

void PathMotion::break_off()
{
    pose_.reset();
    pose_in_work_.reset();
}

void PathMotion::next_choice()
{
    choice_ = std::exchange(kept_next_, false) ? &kept_ : &plan_.next();
    if (notes_.watched()) [[unlikely]] {
        notes_.probe()->planned = *choice_;
    }
    if (choice_->entry == Planned::Entry::lost) {
        kept_ = *choice_;
        kept_.readings = planned_; // an error has been found; the run goes on to find the others
        choice_ = &kept_;
    }
}

void PathMotion::keep(const Turns& turns)
{
    kept_.entry = Planned::Entry::cut;
    kept_.branch = kept_.branch_before = plan_.branch();
    kept_.beyond = plan_.beyond();
    kept_.readings = planned_;
    motion_.place().solver().set_turns(kept_.readings, turns);
}

void PathMotion::restore(const Choice& choice)
{
    kept_ = choice.kept;
    choice_ = choice.choice;
}

void PathMotion::follow_on(CutsAlong& along) const
{
    along.from = pose_in_work_ ? pose_in_work_->tip : in_work(*pose_).tip;
    along.from_turns = motion_.place().solver().turns_of(planned_);
}

void PathMotion::arrived(const Pose& pose, const Pose& in_work, const Turns& planned)
{
    pose_ = pose;
    pose_in_work_ = in_work;
    motion_.place().solver().set_turns(planned_, planned);
}

void PathMotion::rapid(const Pose& to)
{
    cycles_.interrupt();
    const Planned& planned = *choice_;
    pose_ = to;
    pose_in_work_.reset();
    planned_ = planned.readings;
    if (course_.tool() != nullptr) {
        ready_();
        motion_.rapid(in_work(to), planned.readings);
    }
}

/// What comes before a cut; whether it goes on from where the path stands.
bool PathMotion::begin_cut(const Pose& to, const Planned& planned)
{
    cycles_.interrupt();
    if (course_.tool() == nullptr) {
        return false;
    }
    ready_();
    if (pose_ && !motion_.place().positioned) { // text has moved the machine within the cut: it goes on where it broke off
        motion_.rapid(in_work(*pose_), planned_);
    }
    if (pose_ && motion_.place().positioned) {
        return true;
    }
    // The path does not say that this place may be reached in rapid.
    const bool feeds = feed_.stated();
    if (!feeds) {
        notes_.error("feed-missing", "a cut without a feed", "state FEDRAT before it, or RAPID if the tool may go there in rapid");
    }
    motion_.rapid(in_work(to), planned.readings, feeds ? &feed_ : nullptr);
    return false;
}

void PathMotion::cut(const Pose& to)
{
    const Planned& planned = *choice_;
    if (begin_cut(to, planned)) {
        const Pose end = in_work(to);
        piece({pose_in_work_ ? *pose_in_work_ : in_work(*pose_), end, std::nullopt}, planned);
        pose_ = to;
        pose_in_work_ = end;
        planned_ = planned.readings;
        return;
    }
    pose_ = to;
    pose_in_work_.reset();
    planned_ = planned.readings;
}

void PathMotion::piece(const PathPiece& piece, const Planned& planned)
{
    if (planned.entry == Planned::Entry::pole) {
        const Vec3& axis = motion_.place().solver().pole_axis();
        Pose pole = piece.at(planned.s);
        pole.axis = planned.opposite ? Vec3(-axis) : axis;
        const auto [before, after] = split_at(piece, planned.s, pole);
        if (planned.s > 0) {
            motion_.feed(before, {planned.branch_before, planned_, planned.arrive}, feed_);
        }
        turn_at_pole(pole, planned.arrive, planned.depart, planned.s > 0);
        motion_.feed(after, {planned.branch, planned.depart, planned.readings}, feed_);
        return;
    }
    Readings from = planned_;
    if (planned.entry == Planned::Entry::reorient) {
        reorient(piece.from, planned.depart);
        from = planned.depart;
    }
    motion_.feed(piece, {planned.branch, from, planned.readings}, feed_);
}

void PathMotion::turn_at_pole(const Pose& pole, const Readings& arrive, const Readings& depart, bool inside)
{
    const double turn = motion_.place().solver().turn_between(arrive, depart);
    if (turn < 1e-9) {
        return;
    }
    const std::string& joint = assembly_.machine.joints[motion_.place().solver().settled()[0].value].id;
    const double lift = course_.settings().pole_lift;
    if (lift > 0) {
        const Pose up{pole.tip + pole.axis * lift, pole.axis};
        std::vector<std::pair<Pose, bool>> way{{up, false}, {pole, false}};
        if (inside) {
            way.insert(way.begin(), {pole, false});
        }
        motion_.log().report(Severity::remark, "pole-turn", joint,
                             fmt::format("at the pole the tool is lifted {:.3f} mm, {} turns {:.3f} deg, and the tool comes back", lift,
                                         joint, to_deg(turn)),
                             "nothing has to be done; a lean in the operation's \"pole\" would avoid the turn", turn);
        excursions_.add(way, notes_.source(), notes_.index());
        motion_.feed({pole, up, std::nullopt}, {0, arrive, arrive}, feed_);
        motion_.turn_standing(up, arrive, depart, feed_);
        motion_.feed({up, pole, std::nullopt}, {0, depart, depart}, feed_);
        return;
    }
    motion_.log().report(Severity::remark, "pole-turn", joint,
                         fmt::format("at the pole the tool stands while {} turns {:.3f} deg", joint, to_deg(turn)),
                         "if the tool must not stand on the work, give the operation's \"pole\" a \"lift\" or a \"lean\"", turn);
    motion_.turn_standing(pole, arrive, depart, feed_);
}

void PathMotion::reorient(const Pose& pose, const Readings& depart)
{
    const double clearance = course_.settings().reorient_clearance.value_or(0);
    const Pose up{pose.tip + pose.axis * clearance, pose.axis};
    const double turn = motion_.place().solver().turn_between(planned_, depart);
    motion_.log().report(
        Severity::remark, "reoriented", "",
        fmt::format("the tool is retracted and comes back with its rotary joints turned by {:.3f} deg, because travel would end",
                    to_deg(turn)),
        "nothing has to be done; the place shows on the work if the machine does not come back exactly", turn, 0);
    excursions_.add({{up, false}, {up, true}, {pose, false}}, notes_.source(), notes_.index());
    motion_.feed({pose, up, std::nullopt}, {0, planned_, planned_}, feed_);
    motion_.rapid(up, depart);
    motion_.feed({up, pose, std::nullopt}, {0, depart, depart}, feed_);
}

void PathMotion::hole(const Pose& at)
{
    const Planned& planned = *choice_;
    pose_ = at;
    pose_in_work_.reset();
    planned_ = planned.readings;
    if (course_.tool() == nullptr || !cycles_.active()) {
        return;
    }
    ready_();
    cycles_.point(in_work(at), planned.readings, feed_);
    pose_->tip += at.axis * cycles_.retreat();
}

} // namespace wexilum
