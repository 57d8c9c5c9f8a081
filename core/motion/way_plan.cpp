#include "core/motion/way_plan.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum {

/// Plans what is kept and sends the first of it.
void WayPlan::run(std::span<const Piece> pieces, std::size_t count, bool ends)
{
    pieces_ = pieces;
    set_rate(ends);
    for (;;) {
        limit_pieces();
        limit_borders();
        hold_limits();
        go_back();
        // A rate that is too small to slow down from where the plan before has come to: as then.
        if (begins_ || square_[0] >= entry_ * (1 - same_speed) || rate_ >= rate_before_) {
            break;
        }
        rate_ = rate_before_;
        builds_ = rate_ * rules_.smoothing;
    }
    go_on();
    flatten();
    send(count, ends);
    entry_ = ends ? 0 : square_[count];
    carry(ends ? 0 : count);
    begins_ = ends;
    rate_before_ = rate_;
    pieces_ = {};
}

/// Where the way or its speeds are so small that the whole acceleration would not be reached, a smaller one is there sooner.
void WayPlan::set_rate(bool ends)
{
    rate_ = 1;
    fastest_ = 0;
    if (rules_.smoothing > 0) {
        double length = 0;
        for (const Piece& piece : pieces_) {
            fastest_ = piece.length > 0 ? std::max(fastest_, piece.most) : fastest_;
            length += piece.length;
        }
        if (length > 0) {
            rate_ = std::min(rate_, std::sqrt(fastest_ / rules_.smoothing));
            rate_ = begins_ && ends ? std::min(rate_, std::cbrt(length / (2 * square(rules_.smoothing)))) : rate_;
        }
    }
    builds_ = fastest_ > 0 ? rate_ * rules_.smoothing : 0; // nothing that moves
}

void WayPlan::limit_pieces()
{
    const std::size_t n = pieces_.size();
    most_.resize(n);
    most_why_.resize(n);
    rates_.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        most_[i] = pieces_[i].most;
        most_why_[i] = {pieces_[i].bound, pieces_[i].joint};
    }
    for (std::size_t i = 0; i < n && rules_.block_time > 0;) {
        double length = 0;
        std::size_t end = i;
        for (; end < n && pieces_[end].block == pieces_[i].block; ++end) {
            length += pieces_[end].length;
        }
        for (; i < end; ++i) {
            if (most_[i] * rules_.block_time > length) {
                most_[i] = length / rules_.block_time;
                most_why_[i] = {Bound::block_time, 0};
            }
        }
    }
    // What the curve at a piece's ends needs of the joints is not there for its speed.
    double before = 0;
    for (std::size_t i = 0; i < n; ++i) {
        double behind = 0;
        if (i + 1 < n && pieces_[i + 1].curve < unlimited_speed) {
            const double speed = std::min({most_[i], most_[i + 1], pieces_[i + 1].corner, pieces_[i + 1].curve});
            behind = share_of_curve * square(speed / pieces_[i + 1].curve);
        }
        rates_[i] = rate_ * (1 - std::max(before, behind));
        before = behind;
    }
    if (builds_ > 0) {
        spread_rates();
    }
}

/// What a piece leaves for its speed holds as far beside it as an acceleration lasts there while it is taken back.
void WayPlan::spread_rates()
{
    const std::size_t n = pieces_.size();
    own_rates_ = rates_;
    for (std::size_t i = 0; i < n; ++i) {
        const double rate = own_rates_[i];
        double reach = most_[i] * builds_ / 2;
        for (std::size_t k = i; k-- > 0 && own_rates_[k] > rate && reach > 0; reach -= pieces_[k].length) {
            rates_[k] = std::min(rates_[k], rate);
        }
        reach = most_[i] * builds_ / 2;
        for (std::size_t k = i + 1; k < n && own_rates_[k] > rate && reach > 0; reach -= pieces_[k++].length) {
            rates_[k] = std::min(rates_[k], rate);
        }
    }
}

void WayPlan::limit_borders()
{
    const std::size_t n = pieces_.size();
    limit_.assign(n + 1, 0);
    why_.assign(n + 1, Why());
    limit_[0] = entry_;
    for (std::size_t i = 1; i < n; ++i) {
        const bool before = most_[i - 1] < most_[i];
        double most = before ? most_[i - 1] : most_[i];
        why_[i] = before ? most_why_[i - 1] : most_why_[i];
        if (pieces_[i].curve < most) {
            most = pieces_[i].curve;
            why_[i] = {Bound::curve, pieces_[i].curve_joint};
        }
        if (pieces_[i].corner < most) {
            most = pieces_[i].corner;
            why_[i] = {Bound::corner, pieces_[i].corner_joint};
        }
        limit_[i] = square(most);
    }
    // It has to be able to stop where what it knows ends.
    double ahead = 0; // what the square of a speed can fall by from border i up to `known`
    std::size_t known = 1;
    for (std::size_t i = 1; i < n; ++i) {
        ahead -= known > i - 1 && i > 1 ? 2 * rates_[i - 1] * pieces_[i - 1].length : 0;
        if (known < i) {
            known = i;
            ahead = 0;
        }
        for (; known < n && pieces_[known].block <= pieces_[i - 1].block + rules_.look_ahead; ++known) {
            ahead += 2 * rates_[known] * pieces_[known].length;
        }
        if (known == n) {
            break;
        }
        if (ahead < limit_[i]) {
            limit_[i] = std::max(ahead, 0.0);
            why_[i] = {Bound::look_ahead, 0};
        }
    }
}

/// Each limit holds from half the time in which acceleration builds up before its place to as long behind it: then the mean of the speed
/// over that time keeps it.
void WayPlan::hold_limits()
{
    const std::size_t n = pieces_.size();
    at_begin_.resize(n);
    at_end_.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
        at_begin_[i].clear();
        at_end_[i].clear();
    }
    if (builds_ <= 0) {
        return;
    }
    place_.resize(n + 1);
    place_[0] = 0;
    for (std::size_t i = 0; i < n; ++i) {
        place_[i + 1] = place_[i] + pieces_[i].length;
    }
    given_ = limit_;
    given_most_ = most_;
    first_held_ = last_held_ = 0;
    for (const Held& held : carried_) {
        hold(held.place, held.speed, {}, false, true);
    }
    for (std::size_t i = 1; i < n; ++i) {
        const double speed = std::sqrt(given_[i]);
        hold(place_[i], speed, why_[i], true, true);
        // A piece that may be faster than its end holds what comes beside it.
        const bool back = given_most_[i] < given_most_[i - 1];
        const double slower = given_most_[back ? i : i - 1];
        if (slower > speed * (1 + same_speed)) {
            hold(place_[i], slower, most_why_[back ? i : i - 1], back, !back);
        }
    }
}

/// Holds a speed about a place.
void WayPlan::hold(double place, double speed, Why why, bool back, bool on)
{
    const std::size_t n = pieces_.size();
    const double before = back ? speed * builds_ / 2 : 0;
    const double behind = on ? speed * builds_ / 2 : 0;
    const double square_of = square(speed);
    // Borders first_held_ up to before last_held_ are within reach.
    while (first_held_ > 0 && place_[first_held_ - 1] >= place - before) {
        --first_held_;
    }
    while (first_held_ <= n && place_[first_held_] < place - before) {
        ++first_held_;
    }
    last_held_ = std::max(last_held_, first_held_);
    while (last_held_ > first_held_ && place_[last_held_ - 1] > place + behind) {
        --last_held_;
    }
    while (last_held_ <= n && place_[last_held_] <= place + behind) {
        ++last_held_;
    }
    for (std::size_t i = std::max<std::size_t>(first_held_, 1); i < last_held_; ++i) {
        if (square_of < limit_[i]) {
            limit_[i] = square_of;
            why_[i] = why;
        }
    }
    for (std::size_t i = first_held_; i + 1 < last_held_; ++i) {
        if (speed < most_[i]) {
            most_[i] = speed;
            most_why_[i] = why;
        }
    }
    if (back && first_held_ > 0 && first_held_ <= n) {
        at_end_[first_held_ - 1].add({square_of, place_[first_held_] - place + before}, rates_[first_held_ - 1]);
    }
    if (on && last_held_ > 0 && last_held_ <= n) {
        at_begin_[last_held_ - 1].add({square_of, place + behind - place_[last_held_ - 1]}, rates_[last_held_ - 1]);
    }
}

/// What is held behind the border where the next plan begins.
void WayPlan::carry(std::size_t border)
{
    std::vector<Held> carried;
    if (border > 0 && builds_ > 0) {
        const auto keep = [&](double place, double speed) {
            if (place - place_[border] + speed * builds_ / 2 > 0) {
                carried.push_back({place - place_[border], speed});
            }
        };
        for (const Held& held : carried_) {
            keep(held.place, held.speed);
        }
        for (std::size_t i = border; i > 0 && place_[border] - place_[i] < fastest_ * builds_ / 2; --i) {
            keep(place_[i], std::sqrt(given_[i]));
            keep(place_[i], given_most_[i - 1]);
        }
    }
    carried_ = std::move(carried);
}

void WayPlan::go_back()
{
    const std::size_t n = pieces_.size();
    square_.resize(n + 1);
    square_[n] = 0;
    for (std::size_t i = n; i-- > 0;) {
        const double change = 2 * rates_[i] * pieces_[i].length;
        square_[i] = std::min(limit_[i], std::min(square_[i + 1], at_end_[i].key()) + change);
    }
}

void WayPlan::go_on()
{
    square_[0] = entry_;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
        const double change = 2 * rates_[i] * pieces_[i].length;
        square_[i + 1] = std::min(square_[i + 1], std::min(square_[i], at_begin_[i].key()) + change);
    }
}

/// A largest speed is held as long, where several pieces lead up to one and down from it.
void WayPlan::flatten()
{
    const std::size_t n = pieces_.size();
    for (std::size_t i = 1; builds_ > 0 && i < n;) {
        std::size_t last = i;
        if (square_[i] > square_[i - 1]) {
            while (last < n && square_[last + 1] == square_[i]) {
                ++last;
            }
            if (last < n && square_[last + 1] < square_[last]) {
                flatten(i, last);
            }
        }
        i = last + 1;
    }
}

/// Whether a piece gets faster between two speeds than both (squares).
bool WayPlan::gets_faster(std::size_t piece, double from, double to) const
{
    const double rate = rates_[piece];
    const double ends = std::min(from, at_begin_[piece].key()) + std::min(to, at_end_[piece].key());
    const double reached = std::max(0.0, pieces_[piece].length + ends / (2 * rate));
    const double top = rate / 2 * (std::sqrt(square(builds_) + 4 / rate * reached) - builds_); // held for a while
    const double high = std::max(from, to);
    return square(top) > high && square(most_[piece]) > high * (1 + same_speed);
}

/// Borders `first` to `last` have the largest speed.
void WayPlan::flatten(std::size_t first, std::size_t last)
{
    const std::size_t n = pieces_.size();
    const double given = square_[first];
    double level = given;
    double inside = 0;
    for (std::size_t i = first; i < last; ++i) {
        inside += pieces_[i].length;
    }
    for (;;) {
        if (gets_faster(first - 1, square_[first - 1], level) || gets_faster(last, level, square_[last + 1])) {
            break;
        }
        // At a level, so much way is between where it is reached and where it is left: all - level * slope.
        const double left = square_[first - 1];
        const double right = square_[last + 1];
        const double slope = 1 / (2 * rates_[first - 1]) + 1 / (2 * rates_[last]);
        const double all = inside + pieces_[first - 1].length + pieces_[last].length +
                           std::min(left, at_begin_[first - 1].key()) / (2 * rates_[first - 1]) +
                           std::min(right, at_end_[last].key()) / (2 * rates_[last]);
        if (all - level * slope >= std::sqrt(level) * builds_) {
            break;
        }
        const double next = std::max(left, right);
        if (all - next * slope >= std::sqrt(next) * builds_) {
            level = square((std::sqrt(square(builds_) + 4 * slope * all) - builds_) / (2 * slope));
            break;
        }
        level = next;
        if (left == next) {
            inside += pieces_[--first].length;
        }
        if (right == next) {
            inside += pieces_[last++].length;
        }
        if (first == 0 || last == n || square_[first - 1] > level || square_[last + 1] > level) {
            break;
        }
    }
    if (level >= given) {
        return; // long enough as it is; there may be larger speeds between borders
    }
    const double most = std::sqrt(level);
    for (std::size_t i = std::max<std::size_t>(first, 1); i <= std::min(last, n - 1); ++i) {
        square_[i] = std::min(square_[i], level);
    }
    // A piece that comes down to that level, or leaves it upwards, may be faster.
    const bool comes_up = first > 0 && square_[first - 1] <= level && !gets_faster(first - 1, square_[first - 1], level);
    const bool goes_down = last < n && square_[last + 1] <= level && !gets_faster(last, level, square_[last + 1]);
    const std::size_t begin = comes_up ? first - 1 : first;
    const std::size_t end = goes_down ? last + 1 : last;
    for (std::size_t i = begin; i < end; ++i) {
        if (most < most_[i]) {
            most_[i] = most;
            most_why_[i] = {Bound::ramp, pieces_[i].slow};
        }
    }
}

void WayPlan::send(std::size_t count, bool ends)
{
    for (std::size_t i = 0; i < count; ++i) {
        const Piece& piece = pieces_[i];
        PieceTime out;
        phases_.clear();
        const PieceCourse course =
            piece.length > 0 ? course_of({piece.length, rates_[i], most_[i], builds_, square_[i], square_[i + 1], at_begin_[i], at_end_[i]},
                                         follows_ ? &phases_ : nullptr)
                             : PieceCourse();
        for (const WayPhase& phase : phases_) {
            sink_.phase(phase, builds_);
        }
        const double top = course.top;
        out.seconds = course.seconds;
        out.seconds += begins_ && i == 0 ? builds_ / 2 : 0;
        out.seconds += ends && i + 1 == count ? builds_ / 2 : 0;
        if (piece.length > 0) {
            out.top = top / piece.asked;
            out.rate = top / piece.length;
            out.rises = square(top) > square_[i] * (1 + same_speed);
            out.falls = square(top) > square_[i + 1] * (1 + same_speed);
            out.acceleration = out.rises || out.falls ? rates_[i] / piece.length : 0;
            const Why why = why_of(i, top);
            out.bound = why.bound;
            out.joint = JointIndex(why.joint);
        }
        sink_.timed(out);
    }
}

WayPlan::Why WayPlan::why_of(std::size_t i, double top) const
{
    if (top >= most_[i] * (1 - 1e-6)) {
        return most_why_[i];
    }
    for (const std::size_t border : {i, i + 1}) {
        const bool inner = border > 0 && border < pieces_.size();
        if (inner && square_[border] >= limit_[border] * (1 - same_speed) && why_[border].bound != Bound::feed) {
            return why_[border];
        }
    }
    return {Bound::ramp, pieces_[i].slow};
}

} // namespace wexilum
