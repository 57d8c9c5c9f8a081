// How the control calls subprograms, and how it shifts and turns its coordinates for them.
#include "core/base/units.hpp"
#include "core/base/watch.hpp"
#include "core/control/block_words.hpp"
#include "core/control/frames.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr std::size_t most_deep = 8;
constexpr long long most_times = 9999;
constexpr std::uint64_t most_called_lines = 20000000;
constexpr std::uint64_t watch_every = 1024;

/// The directions of X, Y and Z across a plane, and along its first and second axis.
std::array<int, 3> directions_of(Function plane)
{
    const int w = plane == Function::plane_zx ? 1 : plane == Function::plane_yz ? 0 : 2;
    return {w, (w + 1) % 3, (w + 2) % 3};
}

} // namespace

void SimulatedControl::apply_calls(const BlockWords& words)
{
    if (words.has(Function::subprogram_return)) {
        changed_ = true;
        if (calls_.empty()) {
            report(Severity::error, "code-error", "", "a subprogram ends where none has been called", "take the block away");
        }
        returned_ = true;
    }
    if (!words.has(Function::subprogram_call)) {
        return;
    }
    changed_ = true;
    const auto whole = [](double value, double least, double most) {
        return value >= least && value <= most && value == std::floor(value);
    };
    const CodeWord* number = words.take(controller_.subprogram);
    const CodeWord* times = words.take(controller_.loop_count);
    if (number == nullptr || !whole(number->value, 0, 1e9)) {
        report(Severity::error, "code-error", "",
               fmt::format("a call needs the number of its subprogram, a whole one behind {}", controller_.subprogram),
               "write it in the block that calls");
        return;
    }
    if (times != nullptr && !whole(times->value, 1, double(most_times))) {
        report(Severity::error, "code-error", "",
               fmt::format("how many times a subprogram is called is a whole number from 1 to {} behind {}", most_times,
                           controller_.loop_count),
               "correct the word");
        return;
    }
    call_ = Call{std::uint64_t(number->value), times != nullptr ? static_cast<long long>(times->value) : 1};
}

void SimulatedControl::call(Call call)
{
    const std::string name = fmt::format("{}{}", controller_.program_number, call.number);
    Subprogram* called = memory_.subprograms != nullptr ? memory_.subprograms->find(call.number) : nullptr;
    if (called == nullptr) {
        report(Severity::error, "subprogram-missing", name, fmt::format("the subprogram {} is called, which is not in the file", name),
               "put it behind the program's end");
        return;
    }
    if (calls_.size() == most_deep) {
        report(Severity::error, "calls-too-deep", "", fmt::format("subprograms call each other more than {} deep", most_deep),
               "let them call fewer");
        return;
    }
    if (called->twice && !called->called) {
        report(Severity::error, "subprogram-twice", name, fmt::format("the file has two subprograms {}", name), "give one another number");
    }
    called->called = true;
    Happening& happening = happens(Happening::Kind::call);
    happening.number = call.number;
    happening.count = double(call.times);
    called_by_ = calls_.empty() ? block_ : called_by_;
    calls_.push_back({called, name, block_, call.times});
}

/// Does the next line of the subprogram that is on, or goes back to where it was called.
void SimulatedControl::next_called_line()
{
    Called& called = calls_.back();
    Subprogram& subprogram = *called.subprogram;
    if (!called.on) {
        if (called.left == 0 || !count_called()) { // one of nothing takes its time as well
            block_ = called.from;
            calls_.pop_back();
            called_by_ = calls_.empty() ? BlockNumber(0) : called_by_;
            returned_ = false;
            happens(Happening::Kind::back);
            if (plain_) {
                look_for_plain_cuts();
            }
            return;
        }
        --called.left;
        called.on = true;
        called.next = 0;
        returned_ = false;
    }
    if (called.next < subprogram.lines.size() && !returned_ && count_called()) {
        const std::string& line = subprogram.lines[called.next++];
        block_ = BlockNumber(subprogram.first + std::uint32_t(called.next));
        subprogram.reached = std::max(subprogram.reached, called.next);
        const Status status = read_block(controller_, line, block_, read_);
        take(line, read_, status);
        return;
    }
    if (!returned_ && !ended_) {
        report(Severity::error, "no-return", called.name, fmt::format("the subprogram {} does not end", called.name),
               "end it with the control's word that returns to the caller");
    }
    called.on = false;
}

/// Whether the calls may go on by a block.
bool SimulatedControl::count_called()
{
    if (++called_lines_ > most_called_lines && !ended_) {
        report(Severity::error, "calls-too-many", "", fmt::format("the calls take more than {} blocks", most_called_lines),
               "call fewer times");
        ended_ = true;
    }
    if (memory_.watch != nullptr && called_lines_ % watch_every == 0 && memory_.watch->stopped()) {
        ended_ = true;
    }
    return !ended_;
}

void SimulatedControl::finish_subprograms()
{
    if (memory_.subprograms == nullptr) {
        return;
    }
    const BlockNumber end = block_;
    for (const auto& [number, subprogram] : memory_.subprograms->all()) {
        const std::string name = fmt::format("{}{}", controller_.program_number, number);
        if (!subprogram.called) {
            block_ = BlockNumber(subprogram.first);
            report(Severity::warning, "subprogram-unused", name, fmt::format("nothing calls the subprogram {}", name), "take it away");
            continue;
        }
        for (std::size_t i = subprogram.reached; i < subprogram.lines.size(); ++i) {
            block_ = BlockNumber(subprogram.first + std::uint32_t(i) + 1);
            if (!read_block(controller_, subprogram.lines[i], block_, read_) || !read_.words.empty()) {
                report(Severity::warning, "not-reached", name, fmt::format("the subprogram {} has ended before this block", name),
                       "take it away, or the word that returns before it");
                break;
            }
        }
    }
    block_ = end;
}

void SimulatedControl::apply_coordinates(BlockWords& words)
{
    if (words.has(Function::coordinate_shift)) {
        shift(words);
    }
    for (const WordMeaning* meaning : words.functions) {
        if (group_of(meaning->function) == Group::rotation) {
            meaning->function == Function::coordinate_rotation ? turn_coordinates(words) : turned_.reset();
        }
    }
    const bool names = std::any_of(words.functions.begin(), words.functions.end(), [](const WordMeaning* meaning) {
        return group_of(meaning->function) == Group::frame || group_of(meaning->function) == Group::rotation ||
               meaning->function == Function::coordinate_shift;
    });
    if (names && (shifted_ != 0 || turned_) && (in_frame() || surface_)) {
        report(Severity::error, "frame-error", "", "coordinates are shifted or turned while X, Y and Z tell something else than the joints",
               "take the shift and the rotation back before, or switch back to the joints' own coordinates");
        shift_.fill(0);
        shifted_ = 0;
        turned_.reset();
    }
}

void SimulatedControl::shift(const BlockWords& words)
{
    bool any = false;
    for (const auto& [address, joint] : joint_of_) {
        const CodeWord* word = words.take(address);
        if (word == nullptr) {
            continue;
        }
        words.withdraw(address);
        any = true;
        const double value = rotary(joint) ? to_rad(plain_value(*word, controller_.angle_increment)) : length_value(*word);
        changed_ = changed_ || value != shift_[joint];
        shift_[joint] = value;
        const std::uint32_t bit = std::uint32_t{1} << joint;
        shifted_ = value != 0 ? shifted_ | bit : shifted_ & ~bit;
    }
    if (!any) {
        report(Severity::error, "code-error", "", "a shift of coordinates names no axis", "write how far with the letter of each axis");
    }
}

void SimulatedControl::turn_coordinates(const BlockWords& words)
{
    const auto before = std::exchange(turned_, std::nullopt);
    const WordMeaning* plane = use(Group::plane);
    const auto [w, u, v] = directions_of(plane != nullptr ? plane->function : Function::plane_xy);
    const std::string letters = "XYZ";
    TurnedPlane turned;
    turned.across = w;
    const CodeWord* angle = words.take(controller_.rotation);
    bool whole = angle != nullptr;
    for (std::size_t k = 0; k < 2; ++k) {
        const char letter = letters[std::size_t(k == 0 ? u : v)];
        const CodeWord* word = words.take(letter);
        const auto joint = joint_of(letter);
        whole = whole && word != nullptr && joint;
        if (whole) {
            turned.joints[k] = *joint;
            turned.centre[k] = length_value(*word);
        }
        words.withdraw(letter);
    }
    words.withdraw(controller_.rotation);
    if (!whole) {
        report(Severity::error, "code-error", "",
               fmt::format("a rotation of coordinates needs its angle {} and the place about which it turns, {} and {}",
                           controller_.rotation, letters[std::size_t(u)], letters[std::size_t(v)]),
               "write them in the same block");
        return;
    }
    turned.angle = to_rad(plain_value(*angle, controller_.angle_increment));
    changed_ = changed_ || !before || before->across != turned.across || before->angle != turned.angle || before->centre != turned.centre;
    turned_ = turned;
}

/// The program's coordinates of joints of the plane that is turned, turned on (1) or back (-1).
std::array<double, 2> SimulatedControl::turned_place(const Readings& readings, double way)
{
    const TurnedPlane& t = *turned_;
    const double x = readings[Eigen::Index(t.joints[0])] - offset(t.joints[0]) - t.centre[0];
    const double y = readings[Eigen::Index(t.joints[1])] - offset(t.joints[1]) - t.centre[1];
    const double c = std::cos(t.angle);
    const double s = std::sin(t.angle) * way;
    return {t.centre[0] + c * x - s * y, t.centre[1] + s * x + c * y};
}

/// Half an increment of the angle at the lever of the place that is further out, and half of one of the centre's two words.
double SimulatedControl::turned_slack(const Readings& from, const Readings& to)
{
    const TurnedPlane& t = *turned_;
    double reach = 0;
    for (const Readings* at : {&from, &to}) {
        double squares = 0;
        for (std::size_t k = 0; k < 2; ++k) {
            const double way = (*at)[Eigen::Index(t.joints[k])] - offset(t.joints[k]) - t.centre[k];
            squares += way * way;
        }
        reach = std::max(reach, std::sqrt(squares));
    }
    const double centre = 2 * std::abs(std::sin(t.angle / 2)) * std::sqrt(0.5) * controller_.length_increment * unit_;
    return 0.5 * to_rad(controller_.angle_increment) * reach + centre;
}

} // namespace wexilum
