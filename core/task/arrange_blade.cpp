// A blade that follows its path: at corners it turns in the cut or is lifted and turned.
#include "core/task/arrange.hpp"
#include "core/toolpath/arc_piece.hpp"

#include <algorithm>

namespace wexilum {
namespace {

constexpr double still = 1e-9;    // mm: less is no way
constexpr double straight = 1e-9; // rad

/// The record with the blade along `heading`.
Record with_axis(Record record, const Vec3& heading)
{
    set_end_pose(record.data, {end_pose(record.data)->tip, heading});
    return record;
}

} // namespace

/// The last cut ends along `heading_`.
void Arranger::end_cut(std::deque<Record>& out)
{
    if (cut_) {
        add(with_axis(std::move(*cut_), *heading_), out);
        cut_.reset();
    }
}

/// What waited goes before the cut that sets its heading; what goes straight out of the last cut keeps the old one.
void Arranger::release(const Vec3& heading, std::deque<Record>& out)
{
    bool aside = !heading_;
    std::optional<Vec3> before = waiting_from_;
    for (Record& record : waiting_) {
        if (const Pose* pose = end_pose(record.data)) {
            const Vec3 way = before ? Vec3(pose->tip - *before) : Vec3(Vec3::Zero());
            aside = aside || (way - pose->axis * pose->axis.dot(way)).norm() > still;
            before = pose->tip;
            add(with_axis(std::move(record), aside ? heading : *heading_), out);
        } else {
            add(std::move(record), out);
        }
    }
    waiting_.clear();
    lifted_ = false;
}

/// At a corner without a link: in the cut where it is gentle, otherwise out of it, round, and in again.
void Arranger::turn_to(const Vec3& heading, const Vec3& up, const Source& source, std::deque<Record>& out)
{
    const double angle = angle_between(*heading_, heading);
    if (angle <= arrangement_.follow->gentle + straight) {
        const Pose corner{here_->tip, heading};
        release(*heading_, out); // straight down in the cut
        if (angle > straight) {
            add({record::Linear{corner}, source}, out);
        }
        return;
    }
    const bool plunges = !waiting_.empty();
    const Vec3 corner = plunges ? *waiting_from_ : here_->tip;
    const Vec3 above = corner + up * std::max(0.0, arrangement_.follow->lift - up.dot(corner));
    add({record::Rapid{{above, *heading_}}, source}, out);
    add({record::Rapid{{above, heading}}, source}, out);
    heading_ = heading;
    if (plunges) {
        release(heading, out); // goes down by itself, at its own feed
        return;
    }
    if (arrangement_.follow->plunge > 0 && feed_) {
        add({record::Feed{FeedMode::per_minute, arrangement_.follow->plunge}, source}, out);
    }
    add({record::Linear{{corner, heading}}, source}, out);
    if (arrangement_.follow->plunge > 0 && feed_) {
        add({*feed_, source}, out);
    }
}

void Arranger::follow(Record record, std::deque<Record>& out)
{
    const Pose* end = end_pose(record.data);
    const auto* arc = std::get_if<record::Circular>(&record.data);
    const bool cuts = arc != nullptr || std::holds_alternative<record::Linear>(record.data);
    if (const auto* feed = std::get_if<record::Feed>(&record.data)) {
        feed_ = *feed;
    }
    if (end == nullptr) {
        if (waiting_.empty()) {
            end_cut(out);
        }
        waiting_.empty() ? add(std::move(record), out) : waiting_.push_back(std::move(record));
        return;
    }
    const Pose to = *end;
    const Vec3 up = to.axis;
    const Vec3 way = here_ ? Vec3(to.tip - here_->tip) : Vec3(Vec3::Zero());
    const Vec3 level = way - up * up.dot(way);
    if (!cuts || !here_ || (arc == nullptr && level.norm() <= still)) {
        end_cut(out);
        if (waiting_.empty()) {
            waiting_from_ = here_ ? std::optional(here_->tip) : std::nullopt;
        }
        lifted_ = lifted_ || !cuts || level.norm() > still;
        waiting_.push_back(std::move(record));
        here_ = to;
        return;
    }
    Vec3 begins = level.normalized();
    Vec3 ends = begins;
    if (arc != nullptr) {
        const auto along = [&](const Vec3& at) { return Vec3(arc->normal.cross(at - arc->centre).normalized()); };
        begins = along(here_->tip);
        ends = along(to.tip);
    }
    // Backwards where that turns less.
    if (arrangement_.follow->backwards && heading_ && heading_->dot(begins) < -still) {
        begins = -begins;
        ends = -ends;
    }
    const double length = arc != nullptr ? arc_piece(Frame::Identity(), *here_, *arc).length() : way.norm();
    const bool linked = !waiting_.empty() && (lifted_ || !heading_);
    const auto curves = [&] {
        const Follow& follow = *arrangement_.follow;
        return cut_ && std::max(length, cut_length_) <= follow.curve && angle_between(*heading_, begins) <= follow.gentle + straight;
    };
    if (linked || !heading_) {
        release(begins, out);
    } else if (curves()) {
        heading_ = (*heading_ + begins).normalized();
        end_cut(out);
    } else {
        end_cut(out);
        turn_to(begins, up, record.source, out);
    }
    heading_ = ends;
    cut_ = std::move(record);
    cut_length_ = length;
    here_ = to;
}

} // namespace wexilum
