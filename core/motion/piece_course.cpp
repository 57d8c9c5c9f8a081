#include "core/motion/piece_course.hpp"

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <utility>

namespace wexilum {
namespace {

struct Knot {
    double way;
    double square;
    double seconds;
};

/// Places on the way from an end inwards up to which a speed is held.
struct Inwards {
    std::array<Knot, 9> knots; // the first `last` + 1 of them
    std::size_t last = 0;
    double rate = 1;
    [[nodiscard]] const Knot& here() const { return knots[last]; }
};

/// From one end of a piece inwards, as far as speeds are held there.
Inwards inwards(double from, const PieceEnd& side, double rate, double most)
{
    Inwards out;
    out.rate = rate;
    out.knots[0] = {0, from, 0};
    for (std::size_t k = 0; k < side.stays().size() && side.stays()[k].square < square(most); ++k) {
        const Knot& here = out.knots[out.last];
        const PieceEnd::Stay& stay = side.stays()[k];
        const double square_there = std::max(stay.square, here.square);
        const double reached = here.way + (square_there - here.square) / (2 * rate);
        if (reached < stay.length && square_there > 0) {
            const double speed = std::sqrt(square_there);
            out.knots[++out.last] = {stay.length, square_there,
                                     here.seconds + (speed - std::sqrt(here.square)) / rate + (stay.length - reached) / speed};
        }
    }
    return out;
}

/// What an end of a piece makes of its speed, as phases.
void add_phases(const Inwards& of, bool back, std::vector<WayPhase>& out)
{
    const std::size_t first = out.size();
    for (std::size_t k = 1; k <= of.last; ++k) {
        const double speed = std::sqrt(of.knots[k].square);
        const double before = std::sqrt(of.knots[k - 1].square);
        const double changes = (of.knots[k].square - of.knots[k - 1].square) / (2 * of.rate);
        out.push_back({changes, before, speed});
        out.push_back({of.knots[k].way - of.knots[k - 1].way - changes, speed, speed});
    }
    if (back) {
        std::reverse(out.begin() + std::ptrdiff_t(first), out.end());
        for (std::size_t k = first; k < out.size(); ++k) {
            std::swap(out[k].from, out[k].to);
        }
    }
}

} // namespace

/// Keeps those that say something beside the others, the slower and shorter ones first.
void PieceEnd::add(Stay stay, double rate)
{
    key_ = std::min(key_, stay.square - 2 * rate * stay.length);
    const auto covers = [&](const Stay& a, const Stay& b) { // what a allows is nowhere more than what b does
        return a.square + 2 * rate * std::max(0.0, b.length - a.length) <= b.square;
    };
    std::size_t kept = 0;
    for (std::size_t i = 0; i < count_; ++i) {
        if (covers(stays_[i], stay)) {
            return;
        }
        if (!covers(stay, stays_[i])) {
            stays_[kept++] = stays_[i];
        }
    }
    count_ = kept;
    std::size_t at = count_;
    for (; at > 0 && stays_[at - 1].square > stay.square; --at) {}
    if (count_ == stays_.size()) { // the two fastest as one
        Stay& slower = at + 1 < count_ ? stays_[count_ - 2] : at < count_ ? stay : stays_[count_ - 1];
        slower.length = std::max({slower.length, stays_[count_ - 1].length, stay.length});
        if (at >= count_) {
            return;
        }
        --count_;
    }
    std::copy_backward(stays_.begin() + std::ptrdiff_t(at), stays_.begin() + std::ptrdiff_t(count_),
                       stays_.begin() + std::ptrdiff_t(count_) + 1);
    stays_[at] = stay;
    ++count_;
}

PieceCourse course_of(const PieceLimits& piece, std::vector<WayPhase>* phases)
{
    const double rate = piece.rate;
    double most = piece.most;
    Inwards begin = inwards(piece.from, piece.begin, rate, most);
    Inwards end = inwards(piece.to, piece.end, rate, most);
    // Where the two do not come to all that is held, what lies between is no faster than the first that they do not come to.
    const auto room = [&] { return piece.length - begin.here().way - end.here().way; };
    const auto ramp = [&] { return std::abs(begin.here().square - end.here().square) / (2 * rate); };
    while (begin.last + end.last > 0 && room() < ramp() * (1 - same_speed)) {
        Inwards& faster = end.last == 0 || (begin.last > 0 && begin.here().square > end.here().square) ? begin : end;
        most = std::min(most, std::sqrt(faster.here().square));
        --faster.last;
    }
    const auto tell = [&](std::initializer_list<WayPhase> between) {
        if (phases != nullptr) {
            add_phases(begin, false, *phases);
            phases->insert(phases->end(), between);
            add_phases(end, true, *phases);
        }
    };
    const double from = std::sqrt(begin.here().square);
    const double to = std::sqrt(end.here().square);
    const double both = begin.here().square + end.here().square;
    const double high = std::max(from, to);
    const double free = room();
    const double held = begin.here().seconds + end.here().seconds;
    double top = high;
    if (free <= ramp() * (1 + same_speed)) {
        tell({{free, from, to}});
        return {held + (from + to > 0 ? 2 * free / (from + to) : 0), top};
    }
    if (piece.builds > 0) { // the largest speed is held as well
        top = rate / 2 * (std::sqrt(square(piece.builds) + 4 / rate * (free + both / (2 * rate))) - piece.builds);
    } else {
        top = std::sqrt(both / 2 + rate * free);
    }
    top = std::max(std::min(top, most), high);
    const double flat = free - (2 * square(top) - both) / (2 * rate);
    tell({{(square(top) - square(from)) / (2 * rate), from, top}, {flat, top, top}, {(square(top) - square(to)) / (2 * rate), top, to}});
    return {held + (2 * top - from - to) / rate + flat / top, top};
}

} // namespace wexilum
