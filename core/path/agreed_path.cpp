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

void LeanReports::note(const Source& source, double departure)
{
    if (departure <= 1e-9) {
        return;
    }
    if (list_.empty() || list_.back().operation != operation_) {
        list_.push_back({operation_, 0, 0, source});
    }
    ++list_.back().records;
    list_.back().most = std::max(list_.back().most, departure);
}

// --- postures -------------------------------------------------------------------------------------------------------

void PostureEdit::edit(Record record, std::deque<Record>& out)
{
    std::optional<record::PostureChange> change = leaves_cuts() ? std::nullopt : follow(record);
    const bool operation = std::holds_alternative<record::Operation>(record.data);
    const Source source = record.source;
    if (change && !operation) {
        out.push_back({std::move(*change), source});
    }
    out.push_back(std::move(record));
    if (change && operation) {
        out.push_back({std::move(*change), source});
    }
}

/// The change that a record takes, which stands before a motion and behind the operation that begins with it.
std::optional<record::PostureChange> PostureEdit::follow(Record& record)
{
    ++index_;
    if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
        departures_.begin_operation(*operation);
        auto change = postures_.begin_operation(operations_++);
        fresh_ = fresh_ || change;
        return change;
    }
    if (std::holds_alternative<record::ToolChange>(record.data)) {
        fresh_ = true;
        return std::nullopt;
    }
    Pose* pose = motion_end(record.data);
    if (pose == nullptr) {
        return std::nullopt;
    }
    const bool kept = has_own_axis(record.data);
    Pose asked = *pose;
    pose = kept ? &asked : pose;
    const bool link =
        fresh_ || std::holds_alternative<record::Rapid>(record.data) || std::holds_alternative<record::CyclePoint>(record.data);
    PostureFollower::Step step = postures_.motion(*pose, link);
    departures_.note(record.source, kept ? 0 : step.departure);
    if (step.problem) {
        step.problem->source = place_of(files_, record.source);
        const std::string subject = step.problem->cure;
        findings_.add(std::move(*step.problem), subject, index_, neighbouring);
    }
    fresh_ = false;
    return std::move(step.change);
}

// --- leans ----------------------------------------------------------------------------------------------------------

LeanEdit::LeanEdit(const Task& task, const PostureEdit& postures) : task_(task), postures_(postures), solver_(&*task.solver) { stand(); }

void LeanEdit::stand() { pole_ = task_.setup.part().linear().transpose() * solver_->pole_axis(); }

void LeanEdit::edit(Record record, std::deque<Record>& out)
{
    if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
        allowance_ = settings_of(task_.job, ++operations_).pole_lean;
        leans_.begin_operation(*operation);
    } else if (std::holds_alternative<record::PostureChange>(record.data)) {
        solver_ = &postures_.solver();
        stand();
    }
    if (Pose* const pose = leaves_cuts() ? nullptr : motion_end(record.data)) {
        lean(record, *pose, out);
    }
    out.push_back(std::move(record));
}

/// Turns the record's pose, and adds what comes before it.
void LeanEdit::lean(Record& record, Pose& pose, std::deque<Record>& out)
{
    const Pose asked = pose;
    if (has_own_axis(record.data)) {
        asked_ = asked;
        return;
    }
    const Vec3 pole = pole_near(asked.axis);
    const double off = angle_between(asked.axis, pole);
    if (solver_->reaches_pole(asked.axis.dot(pole_) < 0) && off < 2 * allowance_) {
        const double held = std::max(0.0, 2 * (off - allowance_));
        pose.axis = held == 0 ? pole : great_circle(pole, asked.axis, held / off);
        leans_.note(record.source, off - held);
    }
    if (std::optional<Record> passing = in_the_pole(record, asked, off)) {
        out.push_back(std::move(*passing));
    }
    asked_ = asked;
}

/// A straight move between two further directions may pass the pole closely.
std::optional<Record> LeanEdit::in_the_pole(const Record& record, const Pose& asked, double off)
{
    if (!asked_ || !std::holds_alternative<record::Linear>(record.data) || off <= allowance_) {
        return std::nullopt;
    }
    const Vec3 between = pole_near(asked_->axis + asked.axis);
    const auto nearest = nearest_pass(asked_->axis, asked.axis, between);
    const bool passes = nearest && nearest->s > 0 && nearest->s < 1 && nearest->distance < allowance_ &&
                        angle_between(asked_->axis, between) > allowance_ && solver_->reaches_pole(between.dot(pole_) < 0);
    if (!passes) {
        return std::nullopt;
    }
    leans_.note(record.source, nearest->distance);
    return Record{record::Linear{{asked_->tip + (asked.tip - asked_->tip) * nearest->s, between}}, record.source};
}

// --- all of them ----------------------------------------------------------------------------------------------------

AgreedRecords::AgreedRecords(const Task& task, RecordSource& records)
    : records_(records), postures_(task, records.files(), findings_), lean_(task, postures_), edits_{&postures_, &lean_}
{}

bool AgreedRecords::leaves_cuts() const
{
    return std::all_of(edits_.begin(), edits_.end(), [](const RecordEdit* edit) { return edit->leaves_cuts(); });
}

Result<bool> AgreedRecords::next(Record& out)
{
    if (ready_.empty()) {
        auto more = records_.next(out);
        if (!more || !*more) {
            return more;
        }
        ready_.push_back(std::move(out));
        for (RecordEdit* edit : edits_) {
            edited_.swap(ready_);
            for (Record& record : edited_) {
                edit->edit(std::move(record), ready_);
            }
            edited_.clear();
        }
    }
    out = std::move(ready_.front());
    ready_.pop_front();
    return true;
}

bool AgreedRecords::next_run(LinearRun& out)
{
    out.clear();
    return ready_.empty() && leaves_cuts() && records_.next_run(out);
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
    out.clear();
    // What is put in stands between single records.
    if (excursion_ < excursions_.size() || held_ || !records_.next_run(out)) {
        return false;
    }
    index_ += out.count;
    here_ = out.pose(out.count - 1);
    return true;
}

} // namespace wexilum
