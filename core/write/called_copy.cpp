#include "core/write/called_copy.hpp"

#include "core/base/units.hpp"
#include "core/controller/text_effect.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

/// One of two sets of lines as they go on, side by side.
struct Lane {
    WordPlace at{};
    std::array<double, max_joints> exact{};    ///< the same before it was rounded, as far as that is known
    std::uint32_t rounded = ~std::uint32_t{0}; ///< joints of which it is not
    std::uint32_t known = ~std::uint32_t{0};   ///< joints whose place the words have stated, a bit each

    [[nodiscard]] double place(std::size_t joint) const { return (rounded >> joint & 1U) != 0 ? double(at[joint]) : exact[joint]; }
};

/// How much weight a pair of places has: rounded ones next to none beside exact ones.
double weight_of(const Lane& a, const Lane& b, std::uint32_t joints) { return ((a.rounded | b.rounded) & joints) != 0 ? 1 : 1e6; }

/// The letters of a plane's own first and second axis.
std::array<char, 2> letters_of(Function plane)
{
    switch (plane) {
    case Function::plane_zx: return {'Z', 'X'};
    case Function::plane_yz: return {'Y', 'Z'};
    default: return {'X', 'Y'};
    }
}

Error differs(std::string what) { return {ErrorKind::value, std::move(what), {}, ""}; }

std::array<double, 2> turned_by(double angle, double a, double b)
{
    return {std::cos(angle) * a - std::sin(angle) * b, std::sin(angle) * a + std::cos(angle) * b};
}

bool is_axis(const AsideWord& word) { return word.role == Role::axes || word.role == Role::cycle_depth; }

} // namespace

std::optional<std::uint8_t> CalledCopy::joint_behind(char letter) const
{
    for (const auto& [id, word] : dialect_.axes) {
        const auto joint = word.address == letter ? machine_.find_joint(id) : std::nullopt;
        if (joint) {
            return std::uint8_t(joint->value);
        }
    }
    return std::nullopt;
}

bool CalledCopy::in_machine_coordinates(const AsideLine& line) const
{
    const auto word = dialect_.words.find(Function::machine_coordinates);
    return word != dialect_.words.end() && std::any_of(line.words.begin(), line.words.end(),
                                                       [&](const AsideWord& w) { return w.text != nullptr && *w.text == word->second; });
}

std::string CalledCopy::word(std::size_t joint, std::int64_t counts) const
{
    const bool linear = machine_.joints[joint].kind == JointKind::linear;
    return machine_.joints[joint].id + " " + rounding_.text(linear ? Quantity::length : Quantity::angle, counts);
}

/// Calls `visit` behind each pair of lines with their number, the lines, both lanes and the joints that they have moved. Precondition: as
/// many lines in both.
template <typename F>
void CalledCopy::walk(const PlacedLines& called, const PlacedLines& copy, const F& visit) const
{
    std::array<Lane, 2> lanes;
    lanes[0].at = called.from;
    lanes[1].at = copy.from;
    for (std::size_t i = 0; i < called.lines->lines.size(); ++i) {
        std::uint32_t moved = 0;
        const std::array lines{&called.lines->lines[i], &copy.lines->lines[i]};
        for (std::size_t k = 0; k < 2; ++k) {
            const bool machine = in_machine_coordinates(*lines[k]);
            for (const AsideWord& word : lines[k]->words) {
                if (word.role != Role::axes) {
                    continue;
                }
                const std::uint32_t bit = std::uint32_t{1} << word.index;
                lanes[k].at[word.index] = word.counts;
                lanes[k].exact[word.index] = word.exact.value_or(0);
                lanes[k].rounded = word.exact ? lanes[k].rounded & ~bit : lanes[k].rounded | bit;
                lanes[k].known = machine ? lanes[k].known & ~bit : lanes[k].known | bit;
                moved |= bit;
            }
        }
        if (!visit(i, *lines[0], *lines[1], lanes[0], lanes[1], moved)) {
            return;
        }
    }
}

Placing CalledCopy::shifted(const PlacedLines& called, const PlacedLines& copy) const
{
    std::array<double, max_joints> sums{};
    std::array<double, max_joints> counted{};
    walk(called, copy, [&](std::size_t, const AsideLine&, const AsideLine&, const Lane& a, const Lane& b, std::uint32_t moved) {
        for (std::size_t j = 0; j < max_joints; ++j) {
            if ((moved & a.known & b.known) >> j & 1U) {
                const double weight = weight_of(a, b, std::uint32_t{1} << j);
                sums[j] += weight * (b.place(j) - a.place(j));
                counted[j] += weight;
            }
        }
        return true;
    });
    Placing out;
    for (std::size_t j = 0; j < max_joints; ++j) {
        out.shift[j] = counted[j] > 0 ? std::int64_t(std::llround(sums[j] / counted[j])) : 0;
    }
    return out;
}

std::optional<Placing> CalledCopy::turned(const PlacedLines& called, const PlacedLines& copy, Function plane, double angle) const
{
    const auto letters = letters_of(plane);
    const auto u = joint_behind(letters[0]);
    const auto v = joint_behind(letters[1]);
    CoordinateTurn turn;
    turn.plane = plane;
    turn.angle = rounding_.counts(Quantity::angle, angle);
    const double exact = rounding_.value(Quantity::angle, turn.angle);
    const double closing = 2 - 2 * std::cos(exact);
    if (!u || !v || closing < 1e-9) {
        return std::nullopt;
    }
    turn.joints = {*u, *v};
    // The centre c of q = c + R (p - c), by the mean of all places.
    std::array<double, 2> rest{};
    double count = 0;
    const std::uint32_t both = (std::uint32_t{1} << *u) | (std::uint32_t{1} << *v);
    const auto add = [&](const Lane& a, const Lane& b) {
        const auto [x, y] = turned_by(exact, a.place(*u), a.place(*v));
        const double weight = weight_of(a, b, both);
        rest[0] += weight * (b.place(*u) - x);
        rest[1] += weight * (b.place(*v) - y);
        count += weight;
    };
    Lane here;
    Lane there;
    here.at = called.from;
    there.at = copy.from;
    add(here, there);
    walk(called, copy, [&](std::size_t, const AsideLine&, const AsideLine&, const Lane& a, const Lane& b, std::uint32_t moved) {
        if ((moved & both) != 0 && (a.known & b.known & both) == both) {
            add(a, b);
        }
        return true;
    });
    const double a = 1 - std::cos(exact);
    const double s = std::sin(exact);
    turn.centre = {std::llround((a * rest[0] - s * rest[1]) / closing / count),
                   std::llround((s * rest[0] + a * rest[1]) / closing / count)};
    Placing out = shifted(called, copy);
    out.shift[*u] = out.shift[*v] = 0;
    out.turn = turn;
    return out;
}

/// The words beside those of places and centres.
Status CalledCopy::same_words(const AsideLine& called, const AsideLine& copy, const Placing& placing, std::size_t& depth_joint) const
{
    const auto plain = [](const AsideLine& line) {
        std::vector<AsideWord> out;
        std::copy_if(line.words.begin(), line.words.end(), std::back_inserter(out),
                     [](const AsideWord& word) { return !is_axis(word) && word.role != Role::centre; });
        return out;
    };
    const auto depth = [](const AsideLine& line) {
        return std::find_if(line.words.begin(), line.words.end(), [](const AsideWord& word) { return word.role == Role::cycle_depth; });
    };
    const auto here = depth(called);
    const auto there = depth(copy);
    if ((here == called.words.end()) != (there == copy.words.end()) || (here != called.words.end() && here->index != there->index)) {
        return differs("one of them states a depth, the other does not");
    }
    if (here != called.words.end()) {
        depth_joint = here->index;
        if (std::abs(here->counts + placing.shift[depth_joint] - there->counts) > 1 ||
            (placing.turn && (placing.turn->joints[0] == depth_joint || placing.turn->joints[1] == depth_joint))) {
            return differs("it drills to another depth");
        }
    }
    const auto a = plain(called);
    const auto b = plain(copy);
    const auto same = [&](const AsideWord& x, const AsideWord& y) {
        if (x.role != y.role || x.index != y.index || (x.text == nullptr) != (y.text == nullptr)) {
            return false;
        }
        if (x.text != nullptr) {
            return *x.text == *y.text;
        }
        const std::int64_t by = x.role == Role::cycle_clearance && depth_joint < max_joints ? placing.shift[depth_joint] : 0;
        return x.quantity == y.quantity && std::abs(x.counts + by - y.counts) <= 1;
    };
    if (!std::equal(a.begin(), a.end(), b.begin(), b.end(), same)) {
        return differs("it has other words");
    }
    if (called.text != copy.text) {
        return differs("it has another text");
    }
    if ((placing.shifts() || placing.turn) && !called.text.empty() && effect_of(controller_, called.text).moves(controller_)) {
        return differs("a text moves axes there");
    }
    return {};
}

/// The way to an arc's centre.
Status CalledCopy::same_centre(const AsideLine& called, const AsideLine& copy, const Placing& placing) const
{
    const auto centre = [](const AsideLine& line) {
        std::array<double, 3> out{};
        for (const AsideWord& word : line.words) {
            if (word.role == Role::centre) {
                out[word.index] = double(word.counts);
            }
        }
        return out;
    };
    auto a = centre(called);
    const auto b = centre(copy);
    if (placing.turn && a != std::array<double, 3>{}) {
        const std::size_t w = placing.turn->plane == Function::plane_xy ? 2 : placing.turn->plane == Function::plane_zx ? 1 : 0;
        const auto turned = turned_by(rounding_.value(Quantity::angle, placing.turn->angle), a[(w + 1) % 3], a[(w + 2) % 3]);
        a[(w + 1) % 3] = turned[0];
        a[(w + 2) % 3] = turned[1];
    }
    for (std::size_t k = 0; k < 3; ++k) {
        if (std::abs(a[k] - b[k]) > (placing.turn ? 2 : 1)) {
            return differs("its arc has another centre");
        }
    }
    return {};
}

Status CalledCopy::holds(const PlacedLines& called, const PlacedLines& copy, const Placing& placing) const
{
    if (called.lines->lines.size() != copy.lines->lines.size()) {
        return differs(fmt::format("it takes {} lines instead of {}", copy.lines->lines.size(), called.lines->lines.size()));
    }
    // Counts: the called word's own half, and what the words behind the placing are off by; a rotation's reach is the replay's to judge.
    const double half = 0.501;
    const double most = placing.turn ? 4 * half : placing.shifts() ? 2 * half : frame_ == FrameKind::tilted_plane ? 3 * half : half;
    const double angle = placing.turn ? rounding_.value(Quantity::angle, placing.turn->angle) : 0;
    std::uint32_t pair = 0;
    for (std::size_t k = 0; placing.turn && k < 2; ++k) {
        pair |= std::uint32_t{1} << placing.turn->joints[k];
    }
    /// The first joint of some that does not come where it has to.
    const auto astray = [&](const WordPlace& a, const Lane& copy_lane, std::uint32_t joints) -> std::optional<std::string> {
        const WordPlace& b = copy_lane.at;
        joints |= (joints & pair) != 0 ? pair : 0;
        for (std::size_t j = 0; j < max_joints; ++j) {
            if ((joints >> j & 1U) == 0) {
                continue;
            }
            double comes = double(a[j] + placing.shift[j]);
            if ((pair >> j & 1U) != 0) {
                const auto& [u, v] = placing.turn->joints;
                const auto& c = placing.turn->centre;
                const auto way = turned_by(angle, double(a[u] - c[0]), double(a[v] - c[1]));
                comes = j == u ? way[0] + double(c[0]) : way[1] + double(c[1]);
            }
            const bool exact = (copy_lane.rounded >> j & 1U) == 0;
            if (exact ? std::abs(comes - copy_lane.exact[j]) > most : std::abs(comes - double(b[j])) > std::max(1.0, most)) {
                return fmt::format("{} would come to {} instead of {}", machine_.joints[j].id, word(j, std::llround(comes)), word(j, b[j]));
            }
        }
        return std::nullopt;
    };
    std::uint32_t told_joints = 0;
    Status status;
    std::size_t depth_joint = max_joints;
    walk(called, copy, [&](std::size_t i, const AsideLine& x, const AsideLine& y, const Lane& a, const Lane& b, std::uint32_t moved) {
        told_joints |= moved;
        status = same_words(x, y, placing, depth_joint);
        status = status ? same_centre(x, y, placing) : status;
        if (status && ((a.known ^ b.known) & moved) != 0) {
            status = differs("one of them is in machine coordinates");
        }
        if (status) {
            const std::uint32_t machine = moved & ~a.known;
            for (std::size_t j = 0; j < max_joints && status; ++j) {
                if ((machine >> j & 1U) != 0 && a.at[j] != b.at[j]) {
                    status = differs(fmt::format("{} would come to another machine position", machine_.joints[j].id));
                }
            }
        }
        const auto wrong = status ? astray(a.at, b, moved & a.known) : std::nullopt;
        if (wrong) {
            status = differs(*wrong);
        }
        if (!status) {
            status = differs(fmt::format("in its line {} {}", i + 1, status.error().message));
        }
        return bool(status);
    });
    Lane begins;
    begins.at = copy.from;
    if (const auto wrong = status ? astray(called.from, begins, told_joints) : std::nullopt) {
        return differs("where it begins " + *wrong);
    }
    return status;
}

Result<Placing> CalledCopy::place(const PlacedLines& called, const PlacedLines& copy, std::optional<double> angle) const
{
    Status reason = holds(called, copy, {});
    if (reason) {
        return Placing{};
    }
    const bool same_length = called.lines->lines.size() == copy.lines->lines.size();
    const bool shifts = dialect_.words.contains(Function::coordinate_shift);
    if (frame_ != FrameKind::joints || !same_length) {
        return reason.error();
    }
    if (shifts) {
        const Placing placing = shifted(called, copy);
        reason = holds(called, copy, placing);
        if (reason) {
            return placing;
        }
    }
    const bool turns = dialect_.words.contains(Function::coordinate_rotation) && dialect_.words.contains(Function::coordinate_rotation_off);
    if (!turns || !angle || std::abs(*angle) < 1e-9) {
        return reason.error();
    }
    std::optional<Error> first;
    for (const Function plane : {Function::plane_xy, Function::plane_zx, Function::plane_yz}) {
        for (const double way : {*angle, -*angle}) {
            const auto placing = dialect_.words.contains(plane) ? turned(called, copy, plane, way) : std::nullopt;
            if (!placing || (placing->shifts() && !shifts)) {
                continue;
            }
            const Status status = holds(called, copy, *placing);
            if (status) {
                return *placing;
            }
            first = first ? first : std::optional(status.error());
        }
    }
    return first ? *first : reason.error();
}

} // namespace wexilum
