#include "core/compare/compare_run.hpp"

#include "core/base/units.hpp"
#include "core/path/outline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double at_bottom = 0.05;                   // mm: nearer to a hole's bottom a dwell is there
constexpr std::size_t farthest_tool_change = 200000; // items: further ahead the path's next tool change is not looked for

/// The first joint that a person has set otherwise than the posture holds it; nullptr where all stand right.
const HeldJoint* wrong_by_hand(const Machine& machine, const Posture& posture, const Readings& readings)
{
    for (const HeldJoint& held : posture.held) {
        const double off = readings[Eigen::Index(held.joint.value)] - held.reading;
        if (machine.joints[held.joint.value].by_hand && std::abs(std::remainder(off, whole_turn)) > 1e-6) {
            return &held;
        }
    }
    return nullptr;
}

} // namespace

Comparer::Comparer(const Task& task, const Follower& follower, ExpectedPath& path, ReplayReport& report, MotionListener* observer)
    : task_(task), follower_(follower), path_(path), report_(report), observer_(observer), budget_(task), kerf_(task),
      brakes_(task.machine,
              [this](const Joint& joint, const Expected& item, BlockNumber block) {
                  find(Severity::error, "brake-open", joint.id,
                       fmt::format("{} is not held by its brake, and none of the operation's cuts turns it", joint.id),
                       "lock the brake once the joint is in its place", &item, block);
              }),
      loops_(task.loops), in_work_(task.setup.part), last_set_(task.machine.joints.size()), strayed_(task.machine.joints.size())
{}

Comparer::~Comparer() = default;

// --- helpers --------------------------------------------------------------------------------------------------------

Comparer::Seen Comparer::see(const Followed& motion)
{
    const ReplayMove& move = motion.move;
    budget_.set_length_increment(move.length_increment);
    budget_.set_surface(move.surface_joint, move.surface_scale);
    budget_.set_coordinates(move.shifted, move.turned_slack, move.called_by.value != 0 && move.on_plane);
    const Chain& chain = this->chain(move.mount);
    return {move,
            motion.from,
            motion.to,
            budget_.at_record(chain.kinematics, move.tip_words ? Readings(Readings::Zero(motion.levers.size())) : motion.levers),
            lever_term(chain, motion.levers),
            motion.turn,
            motion.stands_for_rapid()};
}

bool Comparer::within(const Deviation& deviation, const Budget& budget)
{
    return deviation.tip <= budget.tip && deviation.axis <= budget.axis;
}

void Comparer::find(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                    const Expected* item, BlockNumber block, double worst)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    if (item != nullptr) {
        finding.source = place_of(path_.files(), item->source);
    }
    if (block.value != 0) {
        finding.code = {code_file_, block.value, 0};
    }
    report_.findings.add(std::move(finding), subject, block.value != 0 ? block.value : (item != nullptr ? item->record : 0));
}

void Comparer::note(Measured& measured, const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block)
{
    if (observer_ != nullptr) {
        observer_->measured(block, deviation, budget);
    }
    measured.tip = std::max(measured.tip, deviation.tip);
    measured.axis = std::max(measured.axis, deviation.axis);
    measured.tip_budget = std::max(measured.tip_budget, budget.tip);
    measured.axis_budget = std::max(measured.axis_budget, budget.axis);
    const double ratio = std::max(deviation.tip / budget.tip, deviation.axis / budget.axis);
    if (ratio > report_.worst_ratio) {
        report_.worst_ratio = ratio;
        report_.worst_source = place_of(path_.files(), item.source);
        report_.worst_code = {code_file_, block.value, 0};
    }
    if (!within(deviation, budget)) {
        find(Severity::error, "off-path", "",
             fmt::format("the tool is {:.4f} mm and {:.4f} deg off the path; {:.4f} mm and {:.4f} deg are allowed", deviation.tip,
                         to_deg(deviation.axis), budget.tip, to_deg(budget.axis)),
             "compare this block with its record: a wrong word, sign or offset, or a missing block before it", &item, block, ratio);
    }
}

void Comparer::reached(const Seen& seen, const Expected& item, const Deviation& deviation)
{
    note(report_.at_records, deviation, seen.budget, item, seen.move.block);
    ++report_.compared;
    check_rotary_words(seen, item, 1, 0);
}

void Comparer::advance(const Pose& at)
{
    ++next_;
    progress_ = 0;
    progress_place_ = 0;
    progress_reach_ = 0;
    progress_exact_ = true;
    progress_block_ = BlockNumber();
    link_from_ = at;
    take_front(at);
    any_rapid_ = false;
    hole_.reset();
}

void Comparer::uncovered(std::size_t from, std::size_t to)
{
    for (std::size_t i = from; i < to; ++i) {
        const Expected& item = *path_.at(i);
        switch (item.kind) {
        case Expected::Kind::tool_change:
            find(Severity::error, "tool-change-missing", "", fmt::format("the program does not change to tool {}", item.tool),
                 "restore the tool change", &item, {});
            break;
        case Expected::Kind::dwell:
        case Expected::Kind::stop:
        case Expected::Kind::optional_stop:
            find(Severity::error, "stop-missing", "", "a dwell or stop of the path is not in the program", "restore the block", &item, {});
            break;
        case Expected::Kind::by_hand:
            find(Severity::error, "set-missing", "", "nobody is told to fit or set what the path needs", "restore the message and its stop",
                 &item, {});
            break;
        case Expected::Kind::rapid:
            find(Severity::error, "target-missed", "", "no rapid of the program ends at this position", "restore the block that goes there",
                 &item, {});
            break;
        default:
            find(Severity::error, "uncovered", "", "no block of the program covers this record",
                 "restore the block, or take the record out of the path", &item, {});
            ++report_.uncovered;
        }
    }
}

// --- events ---------------------------------------------------------------------------------------------------------

void Comparer::tool_change(BlockNumber block, std::uint32_t tool)
{
    pass_tiny(nullptr);
    leave_unfinished();
    std::size_t at = next_;
    const std::size_t end = next_ + farthest_tool_change;
    while (at < end && path_.at(at) != nullptr && path_.at(at)->kind != Expected::Kind::tool_change) {
        ++at;
    }
    const Expected* change = at < end ? path_.at(at) : nullptr;
    if (change == nullptr) {
        find(Severity::error, "tool-change-extra", "", fmt::format("the program changes to tool {}, the path does not", tool),
             "take the tool change away", nullptr, block);
        return;
    }
    if (any_rapid_) {
        miss_rapids();
    }
    uncovered(next_, at);
    if (change->tool != tool) {
        find(Severity::error, "tool-differs", "", fmt::format("the program takes tool {}, the path asks for tool {}", tool, change->tool),
             "correct the tool word", change, block);
    }
    next_ = at;
    advance({});
    link_from_.reset();
    front_.reset();
}

/// Whether the tool stands in its cut: the path goes on cutting from here, and nothing has retracted.
bool Comparer::inside_cut()
{
    if (follower_.last_readings().size() == 0 || retracted(follower_.last_readings())) {
        return false;
    }
    for (std::size_t i = next_; const Expected* item = path_.at(i); ++i) {
        if (item->kind != Expected::Kind::dwell && item->kind != Expected::Kind::stop && item->kind != Expected::Kind::optional_stop) {
            return item->kind == Expected::Kind::feed;
        }
    }
    return false;
}

/// What the run has put into the path may stand between its cuts only.
void Comparer::check_added(const char* what, BlockNumber block)
{
    if (current()->added && inside_cut()) {
        find(Severity::error, "added-in-cut", "", fmt::format("a rule's {} comes in the middle of a cut, where the path has none", what),
             "let the rule retract before it, or ask for it in the toolpath", current(), block);
    }
}

void Comparer::dwell(BlockNumber block, double seconds)
{
    if (hole_) {
        const Pose& mouth = current()->piece.to;
        const double height = mouth.axis.dot(follower_.last_pose().tip - mouth.tip) - current()->plan.bottom;
        if (std::abs(height) > at_bottom) {
            find(Severity::error, "dwell-differs", "place",
                 fmt::format("the program dwells {:.3f} mm above the bottom of the hole", height),
                 "write the dwell where the hole is deepest", current(), block, height);
            return;
        }
        hole_->dwell += seconds;
        return;
    }
    pass_tiny(nullptr);
    const Expected* item = current();
    if (item == nullptr || item->kind != Expected::Kind::dwell) {
        find(inside_cut() ? Severity::error : Severity::warning, "dwell-extra", "",
             fmt::format("the program dwells {:.3f} s, the path does not", seconds), "take the dwell away", nullptr, block);
        return;
    }
    check_added("dwell", block);
    if (std::abs(item->dwell - seconds) > task_.controller.time_increment) {
        find(Severity::error, "dwell-differs", "",
             fmt::format("the program dwells {:.3f} s, the path asks for {:.3f} s", seconds, item->dwell), "correct the time word", item,
             block);
    }
    ++next_;
}

void Comparer::stop(BlockNumber block, bool optional)
{
    pass_tiny(nullptr);
    const Expected* item = current();
    const auto kind = optional ? Expected::Kind::optional_stop : Expected::Kind::stop;
    if (item == nullptr || item->kind != kind) {
        find(inside_cut() ? Severity::error : Severity::warning, "stop-extra", "", "the program stops where the path does not",
             "take the stop away, or add it to the path", nullptr, block);
        return;
    }
    check_added("stop", block);
    ++next_;
}

void Comparer::loop(BlockNumber block, double count)
{
    if (!loops_) {
        find(Severity::warning, "loop-count", "",
             fmt::format("a loop is done {:g} times, and the job has no option that says how often it should be", count),
             "declare the post's option that counts it with \"loops\": true", nullptr, block);
    } else if (looped_ || count != *loops_) {
        find(Severity::error, "loop-count", "",
             looped_ ? std::string("the program has a second loop, the job's options ask for one")
                     : fmt::format("a loop is done {:g} times, the job's options ask for {:g}", count, *loops_),
             "correct the loop's count", nullptr, block);
    }
    looped_ = true;
}

void Comparer::check_kerf(const Seen& seen)
{
    const Tool* tool = chain(seen.move.mount).kinematics.blade() ? task_.setup.find_tool(seen.move.tool) : nullptr;
    const Body* body = tool != nullptr ? kerf_.reached(seen.from, seen.to, *tool) : nullptr;
    if (body != nullptr) {
        find(Severity::error, "reaches-kept", body->id,
             fmt::format("the blade reaches {}, which is to be kept", body->id.empty() ? "a body" : body->id),
             "end the cut sooner, cut less deep, or take a smaller blade", current(), seen.move.block);
    }
}

void Comparer::by_hand(BlockNumber block, std::uint32_t mount, const Readings& readings)
{
    pass_tiny(nullptr);
    if (any_rapid_) {
        miss_rapids();
    }
    const Expected* item = current();
    if (item == nullptr || item->kind != Expected::Kind::by_hand) {
        find(Severity::error, "set-extra", "", "a person is told to fit or set something where the path goes on as it is",
             "take the message and its stop away", item, block);
        return;
    }
    if (mount != item->posture->mount || wrong_by_hand(task_.machine, *item->posture, readings) != nullptr) {
        return; // another message has to follow
    }
    ++next_;
    link_from_.reset();
    front_.reset();
}

/// The tool cuts before a person has made the machine stand as the path needs it.
void Comparer::miss_posture(const ReplayMove& move)
{
    const Expected& item = *current();
    const Machine& machine = task_.machine;
    std::string message;
    if (move.mount != item.posture->mount) {
        message = fmt::format("the {} is on the machine, the path needs the {}", machine.mounts[move.mount].name,
                              machine.mounts[item.posture->mount].name);
    }
    const HeldJoint* wrong = wrong_by_hand(machine, *item.posture, move.to);
    if (message.empty() && wrong != nullptr) {
        message = fmt::format("{} has been set to {:g} deg, the path needs {:g} deg", machine.joints[wrong->joint.value].id,
                              to_deg(move.to[Eigen::Index(wrong->joint.value)]), to_deg(wrong->reading));
    }
    find(Severity::error, "set-wrong", "", message, "correct the message, or restore the one that is missing with its stop", &item,
         move.block);
    ++next_;
    link_from_.reset();
    front_.reset();
}

/// Joints that the control moves and the posture holds stand where it says.
void Comparer::check_parked(const ReplayMove& move)
{
    checked_posture_ = current()->posture;
    for (const HeldJoint& held : checked_posture_ != nullptr ? checked_posture_->held : std::vector<HeldJoint>()) {
        const std::size_t i = held.joint.value;
        const Joint& joint = task_.machine.joints[i];
        const double off = std::abs(move.to[Eigen::Index(i)] - held.reading);
        if (!joint.by_hand && off > budget_.half_increment(i) * allowed_share) {
            const bool turns = joint.kind == JointKind::rotary;
            find(Severity::error, "parked-wrong", joint.id,
                 fmt::format("{} stands {:.4f} {} from where the operation parks it", joint.id, turns ? to_deg(off) : off,
                             turns ? "deg" : "mm"),
                 "correct the word that brings it there", current(), last_set_[i].value != 0 ? last_set_[i] : move.block, off);
        }
    }
}

void Comparer::begin_file(const std::string& name)
{
    code_file_ = name;
    last_set_.assign(last_set_.size(), BlockNumber());
}

void Comparer::program_end(BlockNumber) {}

/// A cut that has begun and is not gone on with.
void Comparer::leave_unfinished()
{
    const Expected* item = current();
    if (item != nullptr && item->kind == Expected::Kind::feed && progress_ > 0) {
        const double rest = item->piece.length() * (1 - progress_);
        find(Severity::error, "uncovered", "", fmt::format("the last {:.4f} mm of this record are not covered", rest),
             "restore the block that ends here", item, progress_block_);
        ++report_.uncovered;
        ++next_;
        progress_ = 0;
    }
}

void Comparer::finish()
{
    if (any_rapid_) {
        miss_rapids();
    }
    pass_tiny(nullptr);
    leave_unfinished();
    brakes_.settle();
    tell_strayed();
    for (; current() != nullptr; ++next_) {
        uncovered(next_, next_ + 1);
        path_.pass(next_);
    }
    if (loops_ && *loops_ > 1 && !looped_) {
        find(Severity::error, "loop-count", "", fmt::format("the job's options ask for {:g} passes, the program has no loop", *loops_),
             "restore the loop", nullptr, {});
    }
    if (report_.compared == 0 && !report_.findings.has_errors()) {
        find(Severity::error, "nothing-moves", "", "neither the toolpath nor the program has any motion: nothing can be proven of it",
             "give the job an operation whose toolpath moves", nullptr, {});
    }
}

void Comparer::moved(const Followed& motion)
{
    path_.pass(next_);
    const ReplayMove& move = motion.move;
    const Seen seen = see(motion);
    for (std::size_t i = 0; i < last_set_.size(); ++i) {
        if (std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) > 1e-12) {
            last_set_[i] = move.block;
        }
    }
    pass_tiny(&seen);
    if (move.feed && kerf_.any()) {
        check_kerf(seen);
    }
    const auto on_path = [&] {
        const Expected* next = current();
        return next != nullptr && next->kind == Expected::Kind::feed &&
               within(deviation_at(next->piece, next->piece.project(seen.to, progress_), seen.to), seen.budget);
    };
    const bool cuts = move.feed && (!seen.stands_for_rapid || on_path());
    if (cuts && current() != nullptr) {
        brakes_.cut(move, *current());
    }
    if (cuts && current() != nullptr && current()->kind == Expected::Kind::by_hand) {
        miss_posture(move);
    }
    if (cuts && current() != nullptr && current()->posture != checked_posture_) {
        check_parked(move);
    }
    if (hole_ || (current() != nullptr && current()->kind == Expected::Kind::hole)) {
        if (hole(seen)) {
            return;
        }
    }
    if (cuts) {
        cut(seen);
    } else {
        rapid(seen);
    }
}

} // namespace wexilum
