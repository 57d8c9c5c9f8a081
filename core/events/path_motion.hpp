// The native way of records that move: rapids, cuts and holes by the plan, and what the writer adds at poles and where travel ends.
#pragma once

#include "core/events/event_notes.hpp"
#include "core/events/run_course.hpp"
#include "core/path/agreed_path.hpp"
#include "core/solve/path_choice.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/write/cycle_writer.hpp"

#include <functional>
#include <utility>
#include <vector>

namespace wexilum {

/// What belongs into the path before some of its records.
class ExcursionList {
public:
    explicit ExcursionList(const Frame& part) : in_part_(part.inverse()) {}
    void add(Record inserted, std::size_t before);
    /// A way of poses (work mount's frame), each reached in rapid or at feed.
    void add(const std::vector<std::pair<Pose, bool>>& rapid_or_feed, const Source& source, std::size_t before);
    [[nodiscard]] std::size_t size() const { return list_.size(); }
    [[nodiscard]] std::vector<Excursion> take() { return std::move(list_); }

private:
    Frame in_part_;
    std::vector<Excursion> list_;
};

class PathMotion final : public WritePart {
public:
    /// All must outlive the object; `plan` stands before the first motion. `ready` is called before the tool moves.
    PathMotion(const Assembly& assembly, PlanReader& plan, MotionWriter& motion, CycleWriter& cycles, const RunCourse& course,
               EventNotes& notes, ExcursionList& excursions, std::function<void()> ready);

    void rapid(const Pose& to);
    void cut(const Pose& to);
    template <Curve T>
    void cut_along(const T& curve)
    {
        const Planned& planned = *choice_;
        if (begin_cut(curve.to, planned)) {
            piece(arc_piece(assembly_.setup.part(), *pose_, curve), planned);
        }
        pose_ = curve.to;
        pose_in_work_.reset();
        planned_ = planned.readings;
    }
    void hole(const Pose& at);
    void set_feed(FeedMode mode, double value);
    void set_rpm(double rpm) { feed_.spindle_rpm = rpm; }
    [[nodiscard]] const FeedSpec& feed() const { return feed_; }
    /// The path does not go on from where it stands: a tool is changed, or what carries it.
    void break_off();
    /// The plan goes on for another solver, which must outlive the object.
    void change_solver(const InverseSolver& solver) { plan_.change_solver(solver); }

    /// Takes the plan's choice for the next motion.
    void next_choice();
    /// The choice of the motion at hand; null before the first.
    [[nodiscard]] const Planned* choice() const { return choice_; }
    /// What the plan of a cut of a run reads in the settled joints stands for the plan's next choice: now, or at the next next_choice().
    void keep(const Turns& turns);
    void use_kept() { choice_ = &kept_; }
    void use_kept_next() { kept_next_ = true; }
    /// The choice at hand, to come back to.
    struct Choice {
        const Planned* choice;
        Planned kept;
    };
    [[nodiscard]] Choice save() const { return {choice_, kept_}; }
    void restore(const Choice& choice);

    [[nodiscard]] PlanReader& plan() { return plan_; }
    [[nodiscard]] Pose in_work(const Pose& pose) const { return in_work_(pose); }
    [[nodiscard]] const PoseMap& work_map() const { return in_work_; }
    /// Whether cuts of a run may go on from where the path stands, as far as that is known before the tool is made ready.
    [[nodiscard]] bool goes_on() const
    {
        return notes_.probe() == nullptr && motion_.place().positioned && leaves_cuts_plain() && course_.leaves_cuts_plain();
    }
    /// Where the next one goes on from. Precondition: goes_on().
    void follow_on(CutsAlong& along) const;
    /// Cuts of a run have been written, up to there (part's frame, work mount's).
    void arrived(const Pose& pose, const Pose& in_work, const Turns& planned);

    [[nodiscard]] bool leaves_cuts_plain() const override { return pose_.has_value() && !cycles_.active(); }

private:
    [[nodiscard]] bool begin_cut(const Pose& to, const Planned& planned);
    void piece(const PathPiece& piece, const Planned& planned);
    /// `inside`: the pole lies on the way to the record at hand, not at its beginning.
    void turn_at_pole(const Pose& pole, const Readings& arrive, const Readings& depart, bool inside);
    void reorient(const Pose& pose, const Readings& depart);

    const Assembly& assembly_;
    PlanReader& plan_;
    MotionWriter& motion_;
    CycleWriter& cycles_;
    const RunCourse& course_;
    EventNotes& notes_;
    ExcursionList& excursions_;
    std::function<void()> ready_;
    PoseMap in_work_;                  ///< from the part's frame
    const Planned* choice_ = nullptr;  ///< of the motion at hand
    Planned kept_;                     ///< the choice where the plan has nothing, or that of a run's cut
    bool kept_next_ = false;           ///< it is the next motion's
    std::optional<Pose> pose_;         ///< part's frame, where the path stands
    std::optional<Pose> pose_in_work_; ///< the same in the work mount's frame, where it is at hand
    Readings planned_;                 ///< exact readings there, as Planned::readings
    FeedSpec feed_;
};

} // namespace wexilum
