#include "core/task/links.hpp"

#include "core/machine/machine_parts.hpp"
#include "core/task/postures.hpp"
#include "core/task/task.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <utility>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

struct Name {
    LinkTarget to;
    const char* text;
};
constexpr std::array<Name, 5> names{Name{LinkTarget::home, "home"}, Name{LinkTarget::leave, "leave"}, Name{LinkTarget::ride, "ride"},
                                    Name{LinkTarget::clear, "clear"}, Name{LinkTarget::start, "start"}};

std::optional<ClearanceSurface> read_clearance(Fields& links, const FileUnits& units)
{
    const Node* node = links.node("clearance", Kind::object);
    if (node == nullptr) {
        return std::nullopt;
    }
    Fields fields(*node, "the clearance", links.problems());
    std::optional<ClearanceSurface> out;
    int shapes = 0;
    const auto shape = [&](const char* key, const auto& read) {
        if (const Node* found = fields.node(key, Kind::object)) {
            Fields parts(*found, fmt::format("the {}", key), links.problems());
            ++shapes;
            read(parts);
            parts.finish();
        }
    };
    const auto diameter = [&](Fields& parts) {
        double value = 0;
        parts.number("diameter", value, json::positive, true);
        return value * units.length;
    };
    const auto direction_of = [](Fields& parts) {
        Vec3 direction = Vec3::UnitZ();
        read_direction(parts, "direction", direction, true);
        return direction;
    };
    shape("plane", [&](Fields& parts) { out = ClearanceSurface::plane(read_point(parts, "point", units, true), direction_of(parts)); });
    shape("cylinder", [&](Fields& parts) {
        const Vec3 point = read_point(parts, "point", units, true);
        out = ClearanceSurface::cylinder(point, direction_of(parts), diameter(parts) / 2);
    });
    shape("sphere", [&](Fields& parts) {
        const Vec3 point = read_point(parts, "point", units, true);
        out = ClearanceSurface::sphere(point, diameter(parts) / 2);
    });
    shape("box", [&](Fields& parts) {
        const Vec3 low = read_point(parts, "low", units, true);
        const Vec3 high = read_point(parts, "high", units, true);
        if (!((high - low).array() > 0).all()) {
            parts.problem(*node, "the box of the clearance has no inside", "state its low corner under \"low\", the other under \"high\"");
            return;
        }
        out = ClearanceSurface::box(low, high);
    });
    if (shapes != 1) {
        fields.problem(*node, "a clearance is one surface", "write one of \"plane\", \"cylinder\", \"sphere\", \"box\"");
    }
    fields.finish();
    return out;
}

void read_list(Fields& links, const char* key, const FileUnits& units, const json::Document& document, std::vector<LinkStepWish>& out)
{
    links.each_item(key, [&](const Node& node) {
        Fields fields(node, "the partial move", links.problems());
        LinkStepWish step;
        step.place = document.place_of(node.begin);
        fields.texts("joints", step.joints);
        const Node* to = node.find("to");
        if (to != nullptr && to->kind == Kind::object) {
            step.to = LinkTarget::readings;
            read_joint_readings(fields, "to", units, false, document, step.readings, step.forms);
        } else {
            std::vector<std::pair<std::string, LinkTarget>> words;
            words.reserve(names.size());
            for (const Name& name : names) {
                words.emplace_back(name.text, name.to);
            }
            fields.choice("to", step.to, words, true);
        }
        fields.finish();
        out.push_back(std::move(step));
    });
}

} // namespace

void read_joint_readings(Fields& fields, const char* key, const FileUnits& units, bool angles, const json::Document& document,
                         std::vector<std::pair<std::string, double>>& out, ReadingForms& forms)
{
    fields.each_member(key, [&](const std::string& joint, const Node& value) {
        const Node* angle = value.kind == Kind::object && value.items.empty() ? value.find("angle") : nullptr;
        const Node& number = angle != nullptr ? *angle : value;
        if (number.kind != Kind::number || std::abs(number.number) > 1e7) {
            fields.problem(value, fmt::format("{} of \"{}\" is not a number within 1e7", key, joint.substr(0, 40)),
                           angles ? "write an angle" : "write a length, or {\"angle\": value} for a rotary joint");
            return;
        }
        const bool turns = angles || angle != nullptr;
        out.emplace_back(joint, number.number * (turns ? units.angle : units.length));
        if (number.number != 0) {
            forms[joint] = {turns, document.place_of(value.begin)};
        }
    });
}

std::optional<LinksWish> read_links(Fields& parent, const FileUnits& units, const json::Document& document)
{
    const Node* node = parent.node("links", Kind::object);
    if (node == nullptr) {
        return std::nullopt;
    }
    Fields fields(*node, "the links", parent.problems());
    LinksWish out;
    out.place = document.place_of(node->begin);
    out.clearance = read_clearance(fields, units);
    read_list(fields, "approach", units, document, out.approach);
    read_list(fields, "retreat", units, document, out.retreat);
    read_list(fields, "within", units, document, out.within);
    fields.finish();
    return out;
}

const char* name_of(LinkTarget target)
{
    const auto found = std::find_if(names.begin(), names.end(), [&](const Name& n) { return n.to == target; });
    return found == names.end() ? "readings" : found->text;
}

// --- against the machine ------------------------------------------------------------------------------------------------

namespace {

class LinkResolver {
public:
    LinkResolver(const Task& a, std::size_t operation) : a_(a), operation_(a.job.operations[operation])
    {
        chain_ = joints_of(a, a.posture_of(operation));
    }

    Result<OperationLinks> resolve(const std::optional<LinksWish>& wish)
    {
        OperationLinks out;
        out.approach = safe_approach();
        if (wish) {
            out.clearance = wish->clearance;
            Status status = take(wish->approach, "approach", out);
            status = status ? take(wish->within, "within", out) : status;
            status = status ? take(wish->retreat, "retreat", out) : status;
            if (!status) {
                return status.error();
            }
        }
        if (!out.own_retreat) {
            out.retreat = reversed(out.approach);
        }
        return out;
    }

private:
    [[nodiscard]] bool in_chain(JointIndex j) const { return std::find(chain_.begin(), chain_.end(), j) != chain_.end(); }

    /// Home, rotary joints, over the place, down, along the tool.
    [[nodiscard]] std::vector<LinkStep> safe_approach() const
    {
        std::vector<LinkStep> out;
        std::vector<JointIndex> rotary;
        std::vector<JointIndex> across;
        const auto away = !a_.machine.retract
                              ? std::nullopt
                              : working_joint(a_.machine, a_.controller, *a_.machine.retract, [&](JointIndex j) { return in_chain(j); });
        for (const JointIndex j : chain_) {
            if (a_.machine.joints[j.value].kind == JointKind::rotary) {
                rotary.push_back(j);
            } else if (j != away) {
                across.push_back(j);
            }
        }
        if (away) {
            out.push_back({LinkTarget::home, {*away}, {}});
        }
        if (!rotary.empty()) {
            out.push_back({LinkTarget::start, rotary, {}});
        }
        out.push_back({LinkTarget::clear, across, {}});
        if (away) {
            out.push_back({LinkTarget::clear, {*away}, {}});
        }
        out.push_back({LinkTarget::start, {}, {}});
        return out;
    }

    /// The way back: the joints of each partial move go where they were before it, as far as the list itself says, last first.
    [[nodiscard]] std::vector<LinkStep> reversed(const std::vector<LinkStep>& list) const
    {
        struct Undone {
            std::size_t step;
            JointIndex joint;
            std::size_t before; ///< the step that had brought it to where it was
        };
        std::vector<Undone> undone;
        std::map<JointIndex, std::size_t> at;
        for (std::size_t i = 0; i < list.size(); ++i) {
            for (const JointIndex j : moved_by(list[i])) {
                const auto was = at.find(j);
                if (was != at.end() && list[was->second].to != list[i].to) {
                    undone.push_back({i, j, was->second});
                }
                at[j] = i;
            }
        }
        std::vector<LinkStep> out;
        std::stable_sort(undone.begin(), undone.end(),
                         [](const Undone& a, const Undone& b) { return a.step != b.step ? a.step > b.step : a.before > b.before; });
        for (std::size_t k = 0; k < undone.size(); ++k) {
            const Undone& one = undone[k];
            const LinkStep& before = list[one.before];
            if (k == 0 || undone[k - 1].step != one.step || undone[k - 1].before != one.before) {
                out.push_back({before.to == LinkTarget::home || before.to == LinkTarget::readings ? before.to : LinkTarget::leave, {}, {}});
            }
            if (before.to == LinkTarget::home) {
                out.back().joints.push_back(one.joint);
            }
            for (const HeldJoint& held : before.readings) {
                if (held.joint == one.joint) {
                    out.back().readings.push_back(held);
                }
            }
        }
        // Out along the tool is one way, by however many partial moves the tool came in.
        const auto again = [seen = false](const LinkStep& step) mutable {
            return step.to == LinkTarget::leave && std::exchange(seen, true);
        };
        out.erase(std::remove_if(out.begin(), out.end(), again), out.end());
        return out;
    }

    [[nodiscard]] std::vector<JointIndex> moved_by(const LinkStep& step) const
    {
        std::vector<JointIndex> out;
        std::transform(step.readings.begin(), step.readings.end(), std::back_inserter(out), [](const HeldJoint& h) { return h.joint; });
        return step.to == LinkTarget::readings ? out : step.joints.empty() ? chain_ : step.joints;
    }

    Result<JointIndex> joint(const LinkStepWish& step, const std::string& id) const
    {
        const auto found = a_.machine.find_joint(id);
        if (!found) {
            return wrong_value(step.place,
                               fmt::format("a partial move names \"{}\", which is not a joint of the machine", id.substr(0, 40)),
                               "name one of its joints");
        }
        if (!in_chain(*found)) {
            return wrong_value(step.place, fmt::format("{} does not move the tool in the operation {}", id, operation_.id),
                               "it is parked, set by hand or of another tool mount: name one that works");
        }
        return *found;
    }

    Status take(const std::vector<LinkStepWish>& wishes, const std::string& list, OperationLinks& out) const
    {
        if (wishes.empty()) {
            return {};
        }
        std::vector<LinkStep> steps;
        for (const LinkStepWish& wish : wishes) {
            auto step = resolved(wish, list, out);
            if (!step) {
                return step.error();
            }
            steps.push_back(std::move(*step));
        }
        const LinkStep& last = steps.back();
        if (list != "retreat" && (last.to != LinkTarget::start || !last.joints.empty())) {
            return wrong_value(wishes.back().place,
                               fmt::format("the {} of the operation {} does not end at its place", list, operation_.id),
                               "let its last partial move be {\"to\": \"start\"}");
        }
        (list == "approach" ? out.approach : list == "retreat" ? out.retreat : out.within) = std::move(steps);
        out.own_approach = out.own_approach || list == "approach";
        out.own_retreat = out.own_retreat || list == "retreat";
        return {};
    }

    Result<LinkStep> resolved(const LinkStepWish& wish, const std::string& list, const OperationLinks& out) const
    {
        const bool forwards = wish.to == LinkTarget::ride || wish.to == LinkTarget::clear || wish.to == LinkTarget::start;
        if ((list == "retreat" && forwards) || (list == "approach" && wish.to == LinkTarget::leave)) {
            return wrong_value(wish.place, fmt::format("\"{}\" has no meaning in the {}", name_of(wish.to), list),
                               list == "retreat" ? "a retreat leads to \"leave\", \"home\" or readings: it does not know the next place"
                                                 : "\"leave\" belongs in the retreat of the operation before");
        }
        if (wish.to == LinkTarget::ride && !out.clearance) {
            return wrong_value(wish.place, fmt::format("the operation {} has no clearance surface to ride on", operation_.id),
                               "state \"clearance\" in its links");
        }
        const bool whole = wish.to == LinkTarget::leave || wish.to == LinkTarget::ride || wish.to == LinkTarget::readings;
        if (whole && !wish.joints.empty()) {
            return wrong_value(wish.place, fmt::format("\"{}\" takes no joints", name_of(wish.to)), "remove \"joints\"");
        }
        if (wish.to == LinkTarget::home && wish.joints.empty()) {
            return wrong_value(wish.place, "nothing says which joints go home", "name them under \"joints\"");
        }
        LinkStep step{wish.to, {}, {}};
        for (const std::string& id : wish.joints) {
            const auto found = joint(wish, id);
            if (!found) {
                return found.error();
            }
            step.joints.push_back(*found);
        }
        if (Status status = check_forms(a_.machine, wish.forms); !status) {
            return status.error();
        }
        for (const auto& [id, reading] : wish.readings) {
            const auto found = joint(wish, id);
            if (!found) {
                return found.error();
            }
            if (const auto outside = outside_travel(a_.machine.joints[found->value], reading)) {
                return wrong_value(wish.place, fmt::format("{} can't be brought to {}", id, *outside), "state a reading inside its travel");
            }
            step.readings.push_back({*found, reading});
        }
        return step;
    }

    const Task& a_;
    const JobOperation& operation_;
    std::vector<JointIndex> chain_;
};

} // namespace

Result<OperationLinks> resolved_links(const Task& a, std::size_t operation, const std::optional<LinksWish>& wish)
{
    return LinkResolver(a, operation).resolve(wish);
}

Status resolve_links(Task& a)
{
    a.links.clear();
    for (std::size_t i = 0; i < a.job.operations.size(); ++i) {
        auto links = resolved_links(a, i, a.job.operations[i].links ? a.job.operations[i].links : a.job.links);
        if (!links) {
            return links.error();
        }
        a.links.push_back(std::move(*links));
    }
    return {};
}

std::string text_of(const OperationLinks& links, const Machine& machine)
{
    const auto step_text = [&](const LinkStep& step) {
        std::vector<std::string> parts;
        for (const JointIndex j : step.joints) {
            parts.push_back(fmt::format("\"{}\"", machine.joints[j.value].id));
        }
        const std::string joints = parts.empty() ? std::string() : fmt::format("\"joints\": [{}], ", fmt::join(parts, ", "));
        parts.clear();
        for (const HeldJoint& held : step.readings) {
            const Joint& joint = machine.joints[held.joint.value];
            parts.push_back(joint.kind == JointKind::rotary ? fmt::format("\"{}\": {{\"angle\": {:g}}}", joint.id, to_deg(held.reading))
                                                            : fmt::format("\"{}\": {:g}", joint.id, held.reading));
        }
        return parts.empty() ? fmt::format("{{{}\"to\": \"{}\"}}", joints, name_of(step.to))
                             : fmt::format("{{\"to\": {{{}}}}}", fmt::join(parts, ", "));
    };
    std::vector<std::string> lists;
    const auto add = [&](const char* key, const std::vector<LinkStep>& list) {
        std::vector<std::string> steps;
        std::transform(list.begin(), list.end(), std::back_inserter(steps), step_text);
        if (!steps.empty()) {
            lists.push_back(fmt::format("  \"{}\": [{}]", key, fmt::join(steps, ", ")));
        }
    };
    add("approach", links.approach);
    add("within", links.within);
    add("retreat", links.retreat);
    return fmt::format("{{\n{}\n}}", fmt::join(lists, ",\n"));
}

} // namespace wexilum
