#include "core/motion/clocked_way.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

namespace wexilum {

ClockedWay::ClockedWay(WayRules rules, double interval, Row row)
    : interval_(interval), row_(std::move(row)), timer_(std::move(rules), *this)
{
    for (const double acceleration : timer_.rules().acceleration) {
        inverse_.push_back(1 / acceleration);
    }
}

void ClockedWay::add(Piece piece)
{
    const Readings way = piece.to - piece.from;
    double length = 0;
    for (std::size_t j = 0; j < inverse_.size(); ++j) {
        length = std::max(length, std::abs(way[Eigen::Index(j)]) * inverse_[j]);
    }
    if (!(length > 0)) {
        return;
    }
    pieces_.push_back({std::move(piece.from), std::move(piece.to), length_, length});
    length_ += length;
    WayPiece next;
    next.way = way.data();
    next.asked = piece.asked;
    next.tool = piece.tool.data();
    timer_.add(next);
}

void ClockedWay::phase(const WayPhase& phase, double builds)
{
    if (latest_.empty()) {
        latest_.assign(std::max<std::size_t>(1, std::size_t(builds / interval_)), 0);
        oldest_ = 0;
        along_ = 0;
        next_ = interval_;
    }
    const double mean = (phase.from + phase.to) / 2;
    const double seconds = mean > 0 ? phase.length / mean : 0;
    for (; next_ <= seconds; next_ += interval_) {
        sample(along_ + (phase.from + (phase.to - phase.from) * (next_ / seconds) / 2) * next_);
    }
    next_ -= seconds;
    along_ += phase.length;
}

void ClockedWay::timed(const PieceTime& /*piece*/)
{
    const Kept& done = pieces_[phased_ - first_];
    along_ = done.begin + done.length; // rounding of its phases does not add up
    ++phased_;
}

void ClockedWay::sample(double along)
{
    latest_[oldest_] = along;
    oldest_ = (oldest_ + 1) % latest_.size();
    put(std::accumulate(latest_.begin(), latest_.end(), 0.0) / double(latest_.size()));
}

void ClockedWay::put(double along)
{
    while (first_ < phased_ && pieces_.size() > 1 && along >= pieces_.front().begin + pieces_.front().length) {
        pieces_.pop_front();
        ++first_;
    }
    const Kept& piece = pieces_.front();
    const double part = std::clamp((along - piece.begin) / piece.length, 0.0, 1.0);
    row_(along >= piece.begin + piece.length ? piece.to : Readings(piece.from + (piece.to - piece.from) * part), first_);
}

void ClockedWay::stop()
{
    timer_.stop();
    if (pieces_.empty()) {
        return;
    }
    // The way's end counts in the mean of the rows that come until all of it is the end.
    const double end = pieces_.back().begin + pieces_.back().length;
    const std::size_t newest = (oldest_ + latest_.size() - 1) % latest_.size();
    const std::size_t rows = latest_.size() - (latest_[newest] >= end * (1 - 1e-12) ? 1 : 0);
    for (std::size_t i = 0; i + 1 < rows; ++i) {
        sample(end);
    }
    if (rows > 0) {
        put(end);
    }
    first_ += pieces_.size();
    phased_ = first_;
    pieces_.clear();
    latest_.clear();
    length_ = 0;
}

} // namespace wexilum
