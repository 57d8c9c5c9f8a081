#include "tests/support/plain_timer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum::test {
namespace {

using Values = std::vector<double>;

double length_of(const WayRules& rules, const Values& way)
{
    double out = 0;
    for (std::size_t j = 0; j < way.size(); ++j) {
        out = std::max(out, std::abs(way[j]) / rules.acceleration[j]);
    }
    return out;
}

/// A way's direction, of length 1.
Values direction(const WayRules& rules, const Values& way)
{
    Values out = way;
    const double length = length_of(rules, way);
    for (double& part : out) {
        part /= length;
    }
    return out;
}

/// What the rules say of a path, piece by piece and border by border.
struct Limits {
    Values length;
    Values begin;  ///< of each piece, and the end of the last
    Values most;   ///< of each piece
    Values corner; ///< at each border, the ends included
    Values curve;
};

Limits limits_of(const WayRules& rules, const std::vector<PlainPiece>& path)
{
    const std::size_t n = path.size();
    Limits out{Values(n), Values(n + 1), Values(n), Values(n + 1, 1e30), Values(n + 1, 1e30)};
    Values blocks(n); // length of the block that a piece belongs to
    std::size_t first = 0;
    for (std::size_t i = 0; i < n; ++i) {
        out.length[i] = length_of(rules, path[i].way);
        out.begin[i + 1] = out.begin[i] + out.length[i];
        first = path[i].block ? i : first;
        for (std::size_t k = first; k <= i; ++k) {
            blocks[k] = out.begin[i + 1] - out.begin[first];
        }
    }
    for (std::size_t i = 0; i < n; ++i) {
        out.most[i] = out.length[i] / path[i].asked;
        for (std::size_t j = 0; j < rules.speed.size(); ++j) {
            const double unit = std::abs(path[i].way[j]) / out.length[i];
            out.most[i] = unit > 0 ? std::min(out.most[i], rules.speed[j] / unit) : out.most[i];
            if (i == 0) {
                continue;
            }
            const double turn = std::abs(path[i].way[j] / out.length[i] - path[i - 1].way[j] / out.length[i - 1]);
            if (turn > 1e-6 * rules.acceleration[j]) {
                out.curve[i] =
                    std::min(out.curve[i], std::sqrt(rules.acceleration[j] / 2 * (out.length[i] + out.length[i - 1]) / 2 / turn));
            }
            const Values& into = path[i].into.empty() ? path[i].way : path[i].into;
            const Values& out_of = path[i - 1].out_of.empty() ? path[i - 1].way : path[i - 1].out_of;
            const double jump = std::abs(direction(rules, into)[j] - direction(rules, out_of)[j]);
            if (!path[i].smooth && jump > 1e-6 * rules.acceleration[j]) {
                out.corner[i] = std::min(out.corner[i], rules.jump[j] / jump);
            }
        }
        out.most[i] = rules.block_time > 0 ? std::min(out.most[i], blocks[i] / rules.block_time) : out.most[i];
    }
    out.corner[0] = out.corner[n] = 0;
    return out;
}

/// What is left of `rate` for the speed in each piece: what a curve at its ends may need is not, nor what one may need that is nearer than
/// half the time in which acceleration builds up.
Values rates_of(const Limits& limits, double rate, double builds)
{
    const std::size_t n = limits.length.size();
    Values own(n, rate);
    for (std::size_t border = 1; border < n; ++border) {
        const double speed = std::min({limits.most[border - 1], limits.most[border], limits.corner[border], limits.curve[border]});
        const double left = rate * (1 - 0.5 * speed * speed / (limits.curve[border] * limits.curve[border]));
        own[border - 1] = std::min(own[border - 1], left);
        own[border] = std::min(own[border], left);
    }
    Values out = own;
    for (std::size_t i = 0; builds > 0 && i < n; ++i) {
        const double reach = limits.most[i] * builds / 2;
        for (std::size_t k = i; k-- > 0 && own[k] > own[i] && limits.begin[i] - limits.begin[k + 1] < reach;) {
            out[k] = std::min(out[k], own[i]);
        }
        for (std::size_t k = i + 1; k < n && own[k] > own[i] && limits.begin[k] - limits.begin[i + 1] < reach; ++k) {
            out[k] = std::min(out[k], own[i]);
        }
    }
    return out;
}

/// The profile on a grid along the way.
struct Grid {
    double step = 0;
    double builds = 0;
    Values rate; ///< of each cell
    Values cap;  ///< of the square at each node
    Values square;

    void sweep()
    {
        square = cap;
        for (std::size_t i = square.size() - 1; i-- > 0;) {
            square[i] = std::min(square[i], square[i + 1] + 2 * rate[i] * step);
        }
        for (std::size_t i = 0; i + 1 < square.size(); ++i) {
            square[i + 1] = std::min(square[i + 1], square[i] + 2 * rate[i] * step);
        }
    }
    /// Each largest speed lasts as long as acceleration takes to build up.
    void flatten()
    {
        const std::size_t n = square.size();
        for (std::size_t i = 1; i + 1 < n; ++i) {
            std::size_t last = i;
            while (last + 1 < n && square[last + 1] == square[i]) {
                ++last;
            }
            if (!(square[i] > square[i - 1] && last + 1 < n && square[last + 1] < square[i])) {
                continue;
            }
            std::size_t first = i;
            double level = square[i];
            while (double(last - first) * step < std::sqrt(level) * builds) {
                const bool left = square[first - 1] >= square[last + 1];
                const std::size_t next = left ? first - 1 : last + 1;
                if (square[next] > level) {
                    break;
                }
                level = square[next];
                (left ? first : last) = next;
                if (first == 0 || last + 1 == n) {
                    break;
                }
            }
            std::fill(square.begin() + std::ptrdiff_t(first), square.begin() + std::ptrdiff_t(last) + 1, level);
            i = last;
        }
    }
    /// A limit at a node holds from half of `builds` before it to half behind it.
    void hold(std::size_t node, double speed)
    {
        const auto cells = std::ptrdiff_t(speed * builds / 2 / step);
        const auto from = std::max<std::ptrdiff_t>(1, std::ptrdiff_t(node) - cells);
        const auto to = std::min(std::ptrdiff_t(cap.size()) - 2, std::ptrdiff_t(node) + cells);
        for (std::ptrdiff_t i = from; i <= to; ++i) {
            cap[std::size_t(i)] = std::min(cap[std::size_t(i)], speed * speed);
        }
    }
    [[nodiscard]] double seconds() const
    {
        double out = 0;
        for (std::size_t i = 0; i + 1 < square.size(); ++i) {
            const double mean = (std::sqrt(square[i]) + std::sqrt(square[i + 1])) / 2;
            out += mean > 0 ? step / mean : 0;
        }
        return out + builds;
    }
};

} // namespace

std::vector<PlainPiece> random_path(std::mt19937& random, const WayRules& rules)
{
    const auto any = [&](double low, double high) { return std::uniform_real_distribution(low, high)(random); };
    const auto one_of = [&](int count) { return std::uniform_int_distribution(0, count - 1)(random); };
    std::vector<PlainPiece> out;
    double heading = any(-3, 3);
    const int stretches = 2 + one_of(5);
    for (int stretch = 0; stretch < stretches; ++stretch) {
        const double feed = any(5, 180);
        const double turn = one_of(3) == 0 ? any(-0.2, 0.2) : 0; // of each block, in a curve
        const int blocks = one_of(2) == 0 ? 1 + one_of(3) : 20 + one_of(60);
        const double size = blocks < 4 ? any(0.5, 30) : any(0.02, 0.6);
        const double turns = one_of(4) == 0 ? any(-0.03, 0.03) : 0; // of A, a block
        heading += stretch > 0 ? any(-2, 2) : 0;
        for (int i = 0; i < blocks; ++i) {
            const double length = size * any(0.6, 1.4);
            PlainPiece piece{{length * std::cos(heading), length * std::sin(heading), turns}, length / feed, i > 0 && one_of(2) == 0, true};
            piece.way.resize(rules.speed.size());
            out.push_back(piece);
            heading += turn + (one_of(4) == 0 ? any(-0.05, 0.05) : 0);
        }
    }
    return out;
}

double plain_seconds(const WayRules& rules, const std::vector<PlainPiece>& path, std::size_t least_cells)
{
    const Limits limits = limits_of(rules, path);
    const std::size_t n = path.size();
    const double all = limits.begin[n];
    double rate = 1;
    if (rules.smoothing > 0) {
        const double fastest = *std::max_element(limits.most.begin(), limits.most.end());
        rate = std::min({1.0, std::sqrt(fastest / rules.smoothing), std::cbrt(all / (2 * rules.smoothing * rules.smoothing))});
    }
    const std::size_t cells = std::max(least_cells, n * 60);
    Grid grid;
    grid.step = all / double(cells);
    grid.builds = rate * rules.smoothing;
    grid.rate.resize(cells);
    grid.cap.assign(cells + 1, 1e30);
    std::vector<std::size_t> nodes(n + 1);
    for (std::size_t i = 0; i <= n; ++i) {
        nodes[i] = std::size_t(std::llround(limits.begin[i] / grid.step));
    }
    const Values rates = rates_of(limits, rate, grid.builds);
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t k = nodes[i]; k <= nodes[i + 1]; ++k) {
            grid.cap[k] = std::min(grid.cap[k], limits.most[i] * limits.most[i]);
            if (k < nodes[i + 1]) {
                grid.rate[k] = rates[i];
            }
        }
    }
    std::size_t block = 0;
    std::vector<std::size_t> number(n);
    for (std::size_t i = 0; i < n; ++i) {
        block += path[i].block && i > 0 ? 1 : 0;
        number[i] = block;
    }
    for (std::size_t i = 0; i <= n; ++i) {
        const double least = std::min(limits.corner[i], limits.curve[i]);
        grid.cap[nodes[i]] = std::min(grid.cap[nodes[i]], least * least);
        std::size_t known = i; // border where what is known ends
        while (i > 0 && known < n && number[known] <= number[i - 1] + rules.look_ahead) {
            ++known;
        }
        double ahead = 0;
        for (std::size_t k = nodes[i]; i > 0 && known < n && k < nodes[known]; ++k) {
            ahead += 2 * grid.rate[k] * grid.step;
        }
        if (i > 0 && known < n) {
            grid.cap[nodes[i]] = std::min(grid.cap[nodes[i]], ahead);
        }
    }
    const Values given = grid.cap;
    for (std::size_t i = 1; grid.builds > 0 && i < n; ++i) {
        grid.hold(nodes[i], std::sqrt(given[nodes[i]]));
        grid.hold(nodes[i], std::min(limits.most[i - 1], limits.most[i]));
    }
    grid.sweep();
    grid.flatten();
    return grid.seconds();
}

double Timed::seconds() const
{
    double out = 0;
    for (const PieceTime& piece : pieces) {
        out += piece.seconds;
    }
    return out;
}

Timed timed(const WayRules& rules, const std::vector<PlainPiece>& path)
{
    struct Kept final : PieceSink {
        Timed all;
        void timed(const PieceTime& piece) override { all.pieces.push_back(piece); }
        [[nodiscard]] bool follows() const override { return true; }
        void phase(const WayPhase& phase, double builds) override
        {
            all.phases.push_back(phase);
            all.builds = builds;
        }
    } kept;
    WayTimer timer(rules, kept);
    for (const PlainPiece& piece : path) {
        WayPiece one;
        one.way = piece.way.data();
        one.asked = piece.asked;
        one.smooth = piece.smooth;
        one.block = piece.block;
        timer.add(one);
    }
    timer.stop();
    return kept.all;
}

std::string broken_limit(const WayRules& rules, const std::vector<PlainPiece>& path, const Timed& timed, double step)
{
    const Limits limits = limits_of(rules, path);
    const double builds = timed.builds;
    // Where it is, before acceleration takes its time.
    Values places;
    double place = 0;
    double late = 0; // of the next step, within the phase at hand
    for (const WayPhase& phase : timed.phases) {
        const double seconds = phase.length > 0 ? 2 * phase.length / (phase.from + phase.to) : 0;
        for (; late < seconds; late += step) {
            places.push_back(place + phase.from * late + (phase.to - phase.from) / (2 * seconds) * late * late);
        }
        late -= seconds;
        place += std::max(0.0, phase.length);
    }
    if (std::abs(place - limits.begin.back()) > 1e-9 * place) {
        return fmt::format("it goes {} of {}", place, limits.begin.back());
    }
    if (std::abs(double(places.size()) * step + builds - timed.seconds()) > 2 * step + 1e-9) {
        return fmt::format("its phases take {} s of {} s", double(places.size()) * step + builds, timed.seconds());
    }
    // The mean of the places over the time in which acceleration builds up.
    const auto width = std::size_t(std::llround(builds / step));
    places.insert(places.begin(), width + 2, 0.0);
    places.insert(places.end(), width + 2, place);
    Values mean;
    double sum = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        sum += places[i] - (width > 0 && i >= width ? places[i - width] : 0);
        if (width == 0 || i + 1 >= width) {
            mean.push_back(width > 0 ? sum / double(width) : places[i]);
        }
    }
    const double of = builds > 0 ? 0.03 : 0.01; // what steps may hide
    Values passes(path.size() + 1);             // how fast it is at each border
    for (std::size_t i = 1, border = 0; i + 1 < mean.size(); ++i) {
        while (border < passes.size() && mean[i] >= limits.begin[border]) {
            passes[border++] = (mean[i + 1] - mean[i - 1]) / (2 * step);
        }
    }
    std::size_t piece = 0;
    double before = 0; // acceleration
    for (std::size_t i = 1; i + 1 < mean.size(); ++i) {
        while (piece + 1 < path.size() && mean[i] > limits.begin[piece + 1]) {
            ++piece;
        }
        const double speed = (mean[i + 1] - mean[i - 1]) / (2 * step);
        const double change = (mean[i + 1] - 2 * mean[i] + mean[i - 1]) / (step * step);
        if (speed > limits.most[piece] * (1 + of) + step) {
            return fmt::format("piece {} at {} instead of {}", piece, speed, limits.most[piece]);
        }
        for (const std::size_t border : {piece, piece + 1}) {
            const double least = std::min(limits.corner[border], limits.curve[border]);
            if (std::abs(mean[i] - limits.begin[border]) < speed * step && speed > least * (1 + of) + 3 * step) {
                return fmt::format("border {} at {} instead of {}", border, speed, least);
            }
        }
        double share = 0;
        bool at_border = false; // the speed changes otherwise behind it
        for (const std::size_t border : {piece, piece + 1}) {
            const double curve = limits.curve[border];
            share = std::max(share, 0.5 * passes[border] * passes[border] / (curve * curve));
            at_border = at_border || std::abs(mean[i] - limits.begin[border]) < 2 * speed * step + 2 * step * step;
        }
        if (std::abs(change) > 1 - share + 0.03 && !at_border) {
            return fmt::format("piece {}: {} of the acceleration along, {} across the way", piece, change, share);
        }
        if (builds > 0 && std::abs(change - before) / step > (1 + of) / rules.smoothing + 1e-9 / (step * step * step)) {
            return fmt::format("piece {}: acceleration from {} to {} in a step", piece, before, change);
        }
        before = change;
    }
    return {};
}

} // namespace wexilum::test
