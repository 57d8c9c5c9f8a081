#include "core/follow/axis_series.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

AxisSeries::AxisSeries(const ReplayTrack& track, const Machine& machine) : track_(track), machine_(machine), blocks_(track.joints())
{
    const auto& motions = track.motions();
    const auto& points = track.points();
    time_.reserve(motions.size());
    way_.reserve(motions.size());
    double time = 0;
    double way = 0;
    std::size_t point = 0;
    for (const ReplayTrack::Motion& motion : motions) {
        time += double(motion.time.pause) + double(motion.time.seconds);
        for (; point <= motion.last_point && point < points.size(); ++point) {
            if (!track.begins(point)) {
                double squares = 0;
                for (std::size_t k = 0; k < 3; ++k) {
                    const double d = double(points[point].at[k]) - double(points[point - 1].at[k]);
                    squares += d * d;
                }
                way += std::sqrt(squares);
            }
        }
        time_.push_back(time);
        way_.push_back(way);
    }
}

std::optional<std::size_t> AxisSeries::motion_at(CourseOver over, double place) const
{
    const auto& ends = over == CourseOver::time ? time_ : way_;
    if (ends.empty()) {
        return std::nullopt;
    }
    const auto found = std::lower_bound(ends.begin(), ends.end(), place);
    return std::min(std::size_t(found - ends.begin()), ends.size() - 1);
}

double AxisSeries::value(AxisCourse course, std::size_t joint, std::size_t motion) const
{
    const auto place = [&](std::size_t m) { return track_.reading(m, joint); };
    const auto way = [&](std::size_t m) { return place(m) - (m == 0 ? track_.home()[Eigen::Index(joint)] : place(m - 1)); };
    const auto seconds = [&](std::size_t m) { return double(track_.motions()[m].time.seconds); };
    const auto speed = [&](std::size_t m) { return seconds(m) > 0 ? way(m) / seconds(m) : 0; };
    const TimedMotion& time = track_.motions()[motion].time;
    switch (course) {
    case AxisCourse::position: return place(motion);
    case AxisCourse::speed: return way(motion) * double(time.rate);
    case AxisCourse::acceleration: break;
    }
    const bool from_rest = motion == 0 || time.pause > 0;
    const double between = ((from_rest ? 0 : seconds(motion - 1)) + seconds(motion)) / 2;
    const double change = between > 0 ? (speed(motion) - (from_rest ? 0 : speed(motion - 1))) / between : 0;
    const double ramp = way(motion) * double(time.acceleration) * (time.falls && !time.rises ? -1 : 1);
    return std::abs(ramp) > std::abs(change) ? ramp : change;
}

std::optional<double> AxisSeries::limit(AxisCourse course, std::size_t joint) const
{
    const Joint& j = machine_.joints[joint];
    const double most = course == AxisCourse::speed ? j.speed : course == AxisCourse::acceleration ? j.acceleration : 0;
    return most > 0 ? std::optional(most) : std::nullopt;
}

/// The motions with the smallest and the largest value, taken one after the other.
class AxisSeries::Spread {
public:
    Spread(const AxisSeries& series, AxisCourse course, std::size_t joint, std::size_t first)
        : series_(series), course_(course), joint_(joint), ends_{std::uint32_t(first), std::uint32_t(first)},
          low_(series.value(course, joint, first)), high_(low_)
    {}
    void take(std::size_t motion)
    {
        const double value = series_.value(course_, joint_, motion);
        if (value < low_) {
            low_ = value;
            ends_.low = std::uint32_t(motion);
        }
        if (value > high_) {
            high_ = value;
            ends_.high = std::uint32_t(motion);
        }
    }
    [[nodiscard]] Ends ends() const { return ends_; }

private:
    const AxisSeries& series_;
    AxisCourse course_;
    std::size_t joint_;
    Ends ends_;
    double low_;
    double high_;
};

const std::vector<AxisSeries::Ends>& AxisSeries::blocks(AxisCourse course, std::size_t joint) const
{
    auto& out = blocks_[joint][static_cast<std::size_t>(course)];
    if (out.empty()) {
        for (std::size_t first = 0; first < motions(); first += block) {
            Spread spread(*this, course, joint, first);
            for (std::size_t m = first + 1; m < std::min(first + block, motions()); ++m) {
                spread.take(m);
            }
            out.push_back(spread.ends());
        }
    }
    return out;
}

AxisSeries::Ends AxisSeries::ends(AxisCourse course, std::size_t joint, std::size_t first, std::size_t last) const
{
    Spread spread(*this, course, joint, first);
    const auto& whole = blocks(course, joint);
    for (std::size_t m = first; m < last;) {
        if (m % block == 0 && m + block <= last) {
            spread.take(whole[m / block].low);
            spread.take(whole[m / block].high);
            m += block;
        } else {
            spread.take(m++);
        }
    }
    return spread.ends();
}

std::vector<AxisSeries::Column> AxisSeries::columns(AxisCourse course, std::size_t joint, CourseOver over, double from, double to,
                                                    std::size_t count) const
{
    std::vector<Column> out;
    const auto& places = over == CourseOver::time ? time_ : way_;
    if (places.empty() || count == 0 || !(to > from)) {
        return out;
    }
    auto first = std::size_t(std::lower_bound(places.begin(), places.end(), from) - places.begin());
    for (std::size_t i = 0; i < count && first < places.size(); ++i) {
        const double begin = from + (to - from) * double(i) / double(count);
        const double end = from + (to - from) * double(i + 1) / double(count);
        const auto last = i + 1 == count ? std::upper_bound(places.begin() + std::ptrdiff_t(first), places.end(), end)
                                         : std::lower_bound(places.begin() + std::ptrdiff_t(first), places.end(), end);
        const auto behind = std::size_t(last - places.begin());
        if (behind > first) {
            const Ends ends = this->ends(course, joint, first, behind);
            out.push_back({begin, end, value(course, joint, ends.low), value(course, joint, ends.high), ends.low, ends.high});
        }
        first = behind;
    }
    return out;
}

std::vector<AxisSeries::Peak> AxisSeries::peaks(AxisCourse course, std::size_t joint, std::size_t count) const
{
    std::vector<Peak> all;
    const double apart = whole(CourseOver::time) / 100;
    for (const Column& column : columns(course, joint, CourseOver::time, 0, whole(CourseOver::time), 400)) {
        const bool low = std::abs(column.low) > std::abs(column.high);
        all.push_back({low ? column.low_motion : column.high_motion, low ? column.low : column.high, 0});
    }
    std::stable_sort(all.begin(), all.end(), [](const Peak& a, const Peak& b) { return std::abs(a.value) > std::abs(b.value); });
    std::vector<Peak> out;
    const auto most = limit(course, joint);
    for (Peak& peak : all) {
        const bool alone = std::none_of(out.begin(), out.end(),
                                        [&](const Peak& other) { return std::abs(time_[other.motion] - time_[peak.motion]) < apart; });
        if (alone && out.size() < count && peak.value != 0) {
            peak.share = most ? std::abs(peak.value) / *most : 0;
            out.push_back(peak);
        }
    }
    return out;
}

} // namespace wexilum
