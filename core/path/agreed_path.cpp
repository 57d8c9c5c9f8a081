#include "core/path/agreed_path.hpp"

#include "core/base/units.hpp"
#include "core/toolpath/arc_piece.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t neighbouring = 16; // records between which a direction is missed again and again

Pose* motion_end(RecordData& data)
{
    if (std::holds_alternative<record::From>(data)) {
        return nullptr;
    }
    return const_cast<Pose*>(end_pose(data)); // the record itself is not const
}

} // namespace

AgreedRecords::AgreedRecords(const Task& task, RecordSource& records)
    : task_(task), records_(records), postures_(task), solver_(&*task.solver)
{
    stand();
}

void AgreedRecords::stand() { pole_ = task_.setup.part.linear().transpose() * solver_->pole_axis(); }

Result<bool> AgreedRecords::next(Record& out)
{
    if (ready_.empty()) {
        auto more = records_.next(out);
        if (!more || !*more) {
            return more;
        }
        if (const auto* operation = std::get_if<record::Operation>(&out.data)) {
            allowance_ = settings_of(task_.job, ++operations_).pole_lean;
            operation_ = operation->id + " " + operation->name;
        }
        if (postures_.any()) {
            follow_posture(out);
        }
        if (may_lean() && motion_end(out.data) != nullptr) {
            lean(out);
        }
        if (ready_.empty()) {
            return true;
        }
    }
    out = std::move(ready_.front());
    ready_.pop_front();
    return true;
}

bool AgreedRecords::next_run(LinearRun& out)
{
    out.count = 0;
    return ready_.empty() && !postures_.any() && !may_lean() && records_.next_run(out);
}

/// Where the posture changes, the change and the record are made ready.
void AgreedRecords::follow_posture(Record& out)
{
    ++index_;
    std::optional<record::PostureChange> change;
    if (std::holds_alternative<record::Operation>(out.data)) {
        change = postures_.begin_operation(operations_ - 1);
        if (change) {
            ready_.push_back(out);
            ready_.push_back({std::move(*change), out.source});
        }
    } else if (std::holds_alternative<record::ToolChange>(out.data)) {
        fresh_ = true;
    } else if (Pose* pose = motion_end(out.data)) {
        const bool link = fresh_ || std::holds_alternative<record::Rapid>(out.data) || std::holds_alternative<record::CyclePoint>(out.data);
        PostureFollower::Step step = postures_.motion(*pose, link);
        note(departures_, out.source, step.departure);
        if (step.problem) {
            step.problem->source = place_of(files(), out.source);
            const std::string subject = step.problem->cure;
            findings_.add(std::move(*step.problem), subject, index_, neighbouring);
        }
        fresh_ = false;
        change = std::move(step.change);
        if (change) {
            ready_.push_back({std::move(*change), out.source});
            ready_.push_back(out);
        }
    }
    if (change) {
        fresh_ = fresh_ || std::holds_alternative<record::Operation>(out.data);
        solver_ = &postures_.solver();
        stand();
    }
}

void AgreedRecords::note(std::vector<LeanReport>& list, const Source& source, double departure)
{
    if (departure <= 1e-9) {
        return;
    }
    if (list.empty() || list.back().operation != operation_) {
        list.push_back({operation_, 0, 0, source});
    }
    ++list.back().records;
    list.back().most = std::max(list.back().most, departure);
}

void AgreedRecords::lean(Record& record)
{
    Pose& pose = *motion_end(record.data);
    const Pose asked = pose;
    const auto pole_near = [&](const Vec3& axis) { return axis.dot(pole_) < 0 ? Vec3(-pole_) : pole_; };
    const Vec3 pole = pole_near(asked.axis);
    const double off = angle_between(asked.axis, pole);
    const bool reached = solver_->reaches_pole(asked.axis.dot(pole_) < 0);
    if (reached && off < 2 * allowance_) {
        const double held = std::max(0.0, 2 * (off - allowance_));
        pose.axis = held == 0 ? pole : great_circle(pole, asked.axis, held / off);
        note(leans_, record.source, off - held);
    }
    // A straight move between two further directions may pass the pole closely.
    if (asked_ && std::holds_alternative<record::Linear>(record.data) && off > allowance_) {
        const Vec3 between = pole_near(asked_->axis + asked.axis);
        const auto nearest = nearest_pass(asked_->axis, asked.axis, between);
        if (nearest && nearest->s > 0 && nearest->s < 1 && nearest->distance < allowance_ &&
            angle_between(asked_->axis, between) > allowance_ && solver_->reaches_pole(between.dot(pole_) < 0)) {
            Record passing{record::Linear{{asked_->tip + (asked.tip - asked_->tip) * nearest->s, between}}, record.source};
            note(leans_, record.source, nearest->distance);
            ready_.push_back(std::move(passing));
            ready_.push_back(record);
        }
    }
    asked_ = asked;
}

void WithExcursions::pass(const Record& record)
{
    if (std::holds_alternative<record::Operation>(record.data)) {
        ++operations_;
    } else if (std::holds_alternative<record::ToolChange>(record.data) || std::holds_alternative<record::PostureChange>(record.data)) {
        here_.reset();
    } else if (const Pose* pose = end_pose(record.data); pose != nullptr && !std::holds_alternative<record::From>(record.data)) {
        here_ = *pose;
    }
}

/// `before`: the record that the excursion stands before; null: behind the last.
void WithExcursions::judge(const Excursion& excursion, const Record* before)
{
    const OperationSettings& settings = settings_of(task_.job, operations_);
    const double allowed = std::max(settings.pole_lift, settings.reorient_clearance.value_or(0));
    const Tolerance& tolerance = task_.job.tolerance;
    const Pose* const to = before != nullptr ? end_pose(before->data) : nullptr;
    const bool cut = to != nullptr && here_ && !std::holds_alternative<record::Rapid>(before->data);
    std::optional<PathPiece> piece;
    if (cut) {
        piece = curved_piece(Frame::Identity(), *here_, before->data);
        piece = piece ? piece : std::optional(PathPiece{*here_, *to, std::nullopt});
    }
    std::optional<Pose> base = here_; // on the path
    double height = 0;
    double worst = 0;
    for (const Record& record : excursion.inserted) {
        const Pose* const pose = end_pose(record.data);
        if (pose == nullptr) {
            continue;
        }
        const auto off_base = [&](const Pose& at) {
            const Vec3 way = pose->tip - at.tip;
            height = way.dot(at.axis);
            const double beyond =
                std::max({(way - at.axis * height).norm() - tolerance.tip, height - allowed - tolerance.tip, -height - tolerance.tip, 0.0});
            return angle_between(pose->axis, at.axis) > tolerance.axis ? std::max(beyond, way.norm()) : beyond;
        };
        double off = base && cut ? off_base(*base) : (pose->tip - (base ? base->tip : pose->tip)).norm();
        if (off > 0 && piece) {
            const double s = piece->project(*pose, 0);
            const Pose there = piece->at(s);
            if (deviation_at(*piece, s, *pose).tip <= tolerance.tip && angle_between(pose->axis, there.axis) <= tolerance.axis) {
                base = there;
                height = 0;
                off = 0;
            }
        }
        worst = std::max(worst, !cut || allowed <= 0 ? std::max(off, 1e-9) : off);
    }
    worst = std::max(worst, std::abs(height) > tolerance.tip ? std::abs(height) : 0);
    if (worst > 0) {
        Finding finding =
            Finding::make(Severity::error, "departure-not-allowed",
                          fmt::format("the run leaves the toolpath by {:.4f} mm more than its operation allows ({:.4f} mm along the tool)",
                                      worst, allowed),
                          "give the operation a \"lift\" at poles or a \"clearance\" to reorient, or keep to the path", worst);
        finding.source = place_of(files(), excursion.inserted.front().source);
        findings_.add(std::move(finding), "", excursion.record);
    }
}

Result<bool> WithExcursions::next(Record& out)
{
    gave_inserted_ = false;
    if (!held_) {
        auto more = records_.next(out);
        if (!more) {
            return more;
        }
        if (!*more) { // what belongs behind the last record
            const bool left = excursion_ < excursions_.size() && inserted_ < excursions_[excursion_].inserted.size();
            if (left) {
                if (inserted_ == 0) {
                    judge(excursions_[excursion_], nullptr);
                }
                gave_inserted_ = true;
                out = excursions_[excursion_].inserted[inserted_++];
            }
            return left;
        }
        const std::size_t index = index_++;
        if (excursion_ == excursions_.size() || excursions_[excursion_].record != index) {
            pass(out);
            return true;
        }
        judge(excursions_[excursion_], &out);
        held_ = std::move(out);
        inserted_ = 0;
    }
    const Excursion& excursion = excursions_[excursion_];
    if (inserted_ < excursion.inserted.size()) {
        gave_inserted_ = true;
        out = excursion.inserted[inserted_++];
        return true;
    }
    out = std::move(*held_);
    held_.reset();
    pass(out);
    ++excursion_;
    inserted_ = 0;
    return true;
}

bool WithExcursions::next_run(LinearRun& out)
{
    out.count = 0;
    // What is put in stands between single records.
    if (excursion_ < excursions_.size() || held_ || !records_.next_run(out)) {
        return false;
    }
    index_ += out.count;
    here_ = out.pose(out.count - 1);
    return true;
}

} // namespace wexilum
