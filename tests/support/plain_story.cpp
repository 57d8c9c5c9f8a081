#include "tests/support/plain_control.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace wexilum::test {
namespace {

using Eigen::Vector3d;

constexpr double lever = 50; // mm: at which turning counts as a way

double between(const Vector3d& a, const Vector3d& b) { return std::atan2(a.cross(b).norm(), a.dot(b)) / degree; }

/// Motion of one kind without a break: poses in order, how far along each is, and what the way to it was made with.
struct Chain {
    bool feed = false;
    std::vector<PlainPose> poses;
    std::vector<double> along;
    std::vector<const std::string*> states;
    std::size_t line = 0;

    void add(const PlainStep& step)
    {
        for (const PlainPose& pose : step.poses) {
            const double way =
                poses.empty() ? 0 : (pose.tip - poses.back().tip).norm() + lever * degree * between(pose.axis, poses.back().axis);
            if (poses.empty() || way > 1e-9) {
                along.push_back(poses.empty() ? 0 : along.back() + way);
                poses.push_back(pose);
                states.push_back(&step.state);
            }
        }
    }
    [[nodiscard]] PlainPose at(double s, const std::string** state = nullptr) const
    {
        const auto behind = std::lower_bound(along.begin(), along.end(), s);
        const auto i = std::min(std::size_t(behind - along.begin()), along.size() - 1);
        if (state != nullptr) {
            *state = states[i];
        }
        if (i == 0 || along[i] == along[i - 1]) {
            return poses[i];
        }
        const double t = std::clamp((s - along[i - 1]) / (along[i] - along[i - 1]), 0.0, 1.0);
        return {poses[i - 1].tip + (poses[i].tip - poses[i - 1].tip) * t,
                (poses[i - 1].axis + (poses[i].axis - poses[i - 1].axis) * t).normalized(),
                (poses[i - 1].out + (poses[i].out - poses[i - 1].out) * t).normalized()};
    }
};

/// A program as chains of motion between what is done in it.
struct Story {
    std::vector<std::string> done;          ///< in order, each before the chain of the same number
    std::vector<std::vector<Chain>> chains; ///< rapid and feed in turn
};

Story story_of(const std::vector<PlainStep>& steps)
{
    Story out;
    out.chains.emplace_back();
    for (const PlainStep& step : steps) {
        if (!step.motion) {
            out.done.push_back(step.state);
            out.chains.emplace_back();
            continue;
        }
        const bool moves =
            step.poses.size() > 1 && ((step.poses.front().tip - step.poses.back().tip).norm() > 1e-9 || step.poses.size() > 2);
        if (!moves) {
            continue;
        }
        auto& here = out.chains.back();
        if (here.empty() || here.back().feed != step.feed) {
            here.push_back({step.feed, {}, {}, {}, step.line});
        }
        here.back().add(step);
    }
    return out;
}

/// The same but for the last digits of a feed.
bool same_state(const std::string& a, const std::string& b)
{
    const std::size_t at = a.find(" F");
    const std::size_t other = b.find(" F");
    if (at == std::string::npos || other == std::string::npos || a.substr(0, at) != b.substr(0, other)) {
        return a == b;
    }
    std::size_t end_a = 0;
    std::size_t end_b = 0;
    const double one = std::stod(a.substr(at + 2), &end_a);
    const double two = std::stod(b.substr(other + 2), &end_b);
    return std::abs(one - two) <= 0.015 * std::abs(one) && a.substr(at + 2 + end_a) == b.substr(other + 2 + end_b);
}

/// A stop between cuts changes nothing that is made.
std::vector<PlainStep> without_pauses(std::vector<PlainStep> steps)
{
    std::size_t kept = 0;
    bool feed = false;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        feed = steps[i].motion ? steps[i].feed : feed;
        const bool next = i + 1 < steps.size() && steps[i + 1].motion && steps[i + 1].feed;
        if (steps[i].motion || !steps[i].state.ends_with("stop") || (feed && next)) {
            steps[kept++] = steps[i];
        }
    }
    steps.resize(kept);
    return steps;
}

} // namespace

std::string difference(const PlainControl& control, const std::vector<PlainStep>& right, const std::vector<PlainStep>& changed)
{
    const std::vector<PlainStep> one_steps = without_pauses(right); // which the stories point into
    const std::vector<PlainStep> other_steps = without_pauses(changed);
    const Story one = story_of(one_steps);
    const Story other = story_of(other_steps);
    if (one.done != other.done) {
        const auto at = std::mismatch(one.done.begin(), one.done.end(), other.done.begin(), other.done.end());
        return "done: " + (at.first == one.done.end() ? std::string("nothing") : *at.first) + " / " +
               (at.second == other.done.end() ? std::string("nothing") : *at.second);
    }
    std::vector<PlainPose> cut;
    for (const PlainStep& step : right) {
        if (step.feed) {
            cut.insert(cut.end(), step.poses.begin(), step.poses.end());
        }
    }
    std::map<std::array<long, 3>, double> highest; // along a direction, of all that is cut
    const auto clear = [&](const PlainPose& pose) {
        const auto key = [](double v) { return std::lround(v * 1e6); };
        const auto [found, is_new] = highest.try_emplace({key(pose.out.x()), key(pose.out.y()), key(pose.out.z())}, -1e9);
        for (std::size_t i = 0; i < cut.size() && is_new; ++i) {
            found->second = std::max(found->second, pose.out.dot(cut[i].tip));
        }
        return pose.out.dot(pose.tip) > found->second + 0.5;
    };
    const double tip = control.tip_tolerance() + 0.0006;   // and half a last digit
    const double axis = control.axis_tolerance() + 0.0006; // deg
    for (std::size_t i = 0; i < one.chains.size(); ++i) {
        const auto feeds = [](const std::vector<Chain>& list) {
            std::vector<const Chain*> out;
            for (const Chain& chain : list) {
                if (chain.feed) {
                    out.push_back(&chain);
                }
            }
            return out;
        };
        const auto a = feeds(one.chains[i]);
        const auto b = feeds(other.chains[i]);
        if (a.size() != b.size()) {
            return "another number of cuts in a row";
        }
        for (std::size_t k = 0; k < a.size(); ++k) {
            if (std::abs(a[k]->along.back() - b[k]->along.back()) > 0.05 * tip * double(a[k]->along.size()) + tip) {
                return "a cut of another length from line " + std::to_string(a[k]->line + 1);
            }
            for (std::size_t p = 0; p < b[k]->poses.size(); ++p) {
                const double share = b[k]->along.back() > 0 ? b[k]->along[p] / b[k]->along.back() : 0;
                const std::string* state = nullptr;
                const PlainPose there = a[k]->at(share * a[k]->along.back() - 1e-6, &state);
                if ((there.tip - b[k]->poses[p].tip).norm() > tip || between(there.axis, b[k]->poses[p].axis) > axis) {
                    return "off by " + std::to_string((there.tip - b[k]->poses[p].tip).norm()) + " mm, " +
                           std::to_string(between(there.axis, b[k]->poses[p].axis)) + " deg in the cut from line " +
                           std::to_string(a[k]->line + 1);
                }
                bool made_so = p == 0;
                for (const double off : {0.0, -tip, tip}) {
                    const std::string* beside = nullptr;
                    (void)a[k]->at(share * a[k]->along.back() - 1e-6 + off, &beside);
                    made_so = made_so || same_state(*beside, *b[k]->states[p]);
                }
                if (!made_so) {
                    return *state + " / " + *b[k]->states[p];
                }
            }
        }
        // Rapids: on the ways of the others between the same cuts, or out of everything that is cut.
        std::size_t place = 0;
        for (const Chain& chain : other.chains[i]) {
            if (chain.feed) {
                ++place;
                continue;
            }
            std::vector<const Chain*> ways;
            std::size_t at = 0;
            for (const Chain& way : one.chains[i]) {
                at += way.feed ? 1 : 0;
                if (!way.feed && at == place) {
                    ways.push_back(&way);
                }
            }
            const int samples = 64;
            for (int s = 0; s <= samples; ++s) {
                const PlainPose pose = chain.at(chain.along.back() * s / samples);
                const bool on_way = std::any_of(ways.begin(), ways.end(), [&](const Chain* way) {
                    for (std::size_t p = 0; p < way->poses.size(); ++p) {
                        const PlainPose& before = way->poses[p == 0 ? 0 : p - 1];
                        const PlainPose& behind = way->poses[p];
                        const Vector3d& from = before.tip;
                        const Vector3d along = behind.tip - from;
                        const double t =
                            along.squaredNorm() > 0 ? std::clamp(along.dot(pose.tip - from) / along.squaredNorm(), 0.0, 1.0) : 0;
                        // On the arc between the axes at both ends.
                        const double off =
                            between(before.axis, pose.axis) + between(pose.axis, behind.axis) - between(before.axis, behind.axis);
                        if ((from + along * t - pose.tip).norm() < 2 * tip && off < 1) {
                            return true;
                        }
                    }
                    return false;
                });
                if (!on_way && !clear(pose)) {
                    return "a rapid elsewhere and low, from line " + std::to_string(chain.line + 1);
                }
            }
        }
    }
    return {};
}

} // namespace wexilum::test
