#include "core/setup/contact_set.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

Body cylinder(const char* id, double diameter, double length)
{
    Body body;
    body.id = id;
    body.shape = Shape::cylinder;
    body.bottom = body.top = diameter;
    body.length = length;
    return body;
}

/// What stands at a mount while a tool or an attachment is not fitted.
Body nothing(const Mount& spindle, const std::string& id)
{
    Body body = cylinder(id.c_str(), 1e-3, 1e-3);
    body.parent = spindle.parent;
    body.frame = spindle.frame;
    return body;
}

/// What holds a work; the machine's first work mount where it has no such.
const Mount& mount_of(const Machine& machine, const Work& work)
{
    const auto holder = machine.find_work_mount(work.holder);
    return holder ? machine.mounts[*holder] : *machine.first_mount(MountKind::work);
}

} // namespace

Result<ContactSet> ContactSet::make(const Machine& machine, const Setup& setup)
{
    ContactSet out(machine);
    if (Status status = out.set_up(setup); !status) {
        return status.error();
    }
    return out;
}

/// Solids of a joint and of all that it carries, fitted tools and stock included.
std::vector<std::size_t> ContactSet::below(int joint) const
{
    const auto& joints = machine_->joints;
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < solids_.size(); ++i) {
        int at = solids_[i].body().parent;
        while (at >= 0 && at != joint) {
            at = joints[std::size_t(at)].parent;
        }
        if (at == joint) {
            out.push_back(i);
        }
    }
    return out;
}

Result<std::vector<std::size_t>> ContactSet::named(const std::string& name) const
{
    std::vector<std::size_t> out;
    if (name == "cutter" || name == "holder" || name == "tool") {
        out = name == "cutter" ? std::vector{cutter_} : name == "holder" ? std::vector{holder_} : std::vector{cutter_, holder_};
        return out;
    }
    if (name == "stock") {
        for (std::size_t i = stock_; i < solids_.size(); ++i) {
            out.push_back(i);
        }
        return out;
    }
    if (name == "base") {
        for (std::size_t i = 0; i < solids_.size(); ++i) {
            if (solids_[i].body().parent < 0) {
                out.push_back(i);
            }
        }
        return out;
    }
    if (const auto joint = machine_->find_joint(name)) {
        return below(int(joint->value));
    }
    return Error{ErrorKind::value,
                 fmt::format("\"{}\" is not a joint of the machine", name.substr(0, 40)),
                 {},
                 "name a joint, or base, tool, cutter, holder or stock"};
}

void ContactSet::add_pair(std::vector<KeptApart>& pairs, const std::string& first, const std::vector<std::size_t>& a,
                          const std::string& second, const std::vector<std::size_t>& b, double clearance)
{
    const auto is_stock = [&](std::size_t solid) { return solid >= stock_; };
    KeptApart rest{first, second, a, b, clearance};
    for (const bool turned : {false, true}) {
        auto& with_cutter = turned ? rest.second_solids : rest.first_solids;
        auto& with_stock = turned ? rest.first_solids : rest.second_solids;
        const auto cutter = std::find(with_cutter.begin(), with_cutter.end(), cutter_);
        if (cutter == with_cutter.end() || std::none_of(with_stock.begin(), with_stock.end(), is_stock)) {
            continue;
        }
        // The cutter by itself: against the stock it is allowed to touch, against all else not.
        std::vector<std::size_t> stock;
        std::vector<std::size_t> other;
        for (const std::size_t solid : with_stock) {
            if (solid <= holder_ || is_stock(solid)) { // what is kept has a pair of its own
                (is_stock(solid) ? stock : other).push_back(solid);
            }
        }
        stock_pairs_.push_back(pairs.size());
        pairs.push_back({"cutter", "stock", {cutter_}, stock, 0});
        pairs.push_back({first, second, {cutter_}, other, clearance});
        with_cutter.erase(cutter);
        break;
    }
    pairs.push_back(std::move(rest));
}

/// What carries the tool against what carries the works.
void ContactSet::add_usual_pair(std::vector<KeptApart>& pairs, const Mount& spindle, const Setup& setup)
{
    const Machine& machine = *machine_;
    std::vector<Mount> works;
    for (const Work& work : setup.works) {
        works.push_back(mount_of(machine, work));
    }
    const auto outermost = [&](int joint) {
        while (joint >= 0 && machine.joints[std::size_t(joint)].parent >= 0) {
            joint = machine.joints[std::size_t(joint)].parent;
        }
        return joint;
    };
    const int tool_side = outermost(spindle.parent);
    const bool joints_between =
        std::any_of(works.begin(), works.end(), [&](const Mount& work) { return outermost(work.parent) != tool_side; });
    std::vector<std::size_t> carries_tool = spindle.parent < 0 ? std::vector{cutter_, holder_}
                                            : joints_between   ? below(tool_side)
                                                               : below(spindle.parent);
    std::vector<std::size_t> carries_work;
    const auto add = [&](const std::vector<std::size_t>& solids) {
        for (const std::size_t solid : solids) {
            if (std::find(carries_work.begin(), carries_work.end(), solid) == carries_work.end()) {
                carries_work.push_back(solid);
            }
        }
    };
    for (const Mount& work : works) {
        const int work_side = outermost(work.parent);
        add(work_side >= 0 && work_side != tool_side ? below(work_side) : *named("stock"));
    }
    add_pair(pairs, "what carries the tool", carries_tool, "what carries the work", carries_work, usual_clearance);
}

Status ContactSet::set_up(const Setup& setup)
{
    const Machine& machine = *machine_;
    const Mount& spindle = machine.mounts[machine.at_rest().mount];
    for (const Body& body : machine.bodies) {
        if (body.mount >= 0) {
            of_attachments_.emplace_back(solids_.size(), Solid(body));
        }
        solids_.emplace_back(body.mount >= 0 ? nothing(spindle, body.id) : body);
    }
    cutter_ = solids_.size();
    holder_ = cutter_ + 1;
    solids_.emplace_back(nothing(spindle, "cutter"));
    solids_.emplace_back(nothing(spindle, "holder"));
    const auto add_held = [&](const Work& work, Body body, const char* name) {
        const Mount& mount = mount_of(machine, work);
        body.id = body.id.empty() ? name : body.id;
        body.id = work.id.empty() ? body.id : work.id + ", " + body.id;
        body.parent = mount.parent;
        body.frame = mount.frame * work.part * body.frame;
        solids_.emplace_back(std::move(body));
    };
    std::vector<KeptApart> pairs;
    for (const Work& work : setup.works) {
        for (const Body& body : work.kept) {
            if (pairs.empty()) {
                pairs.push_back({"tool", "kept", {cutter_, holder_}, {}, 0});
            }
            pairs.back().second_solids.push_back(solids_.size());
            add_held(work, body, "kept");
        }
    }
    stock_ = solids_.size();
    for (std::uint32_t work = 0; work < setup.works.size(); ++work) {
        for (const Body& body : setup.works[work].stock) {
            add_held(setup.works[work], body, "stock");
            stock_works_.push_back(work);
        }
    }
    for (const Apart& apart : machine.apart) {
        const auto first = named(apart.first);
        const auto second = first ? named(apart.second) : first;
        if (!second) {
            Error error = second.error();
            error.place = apart.place;
            return error;
        }
        std::vector<std::size_t> others; // nothing is kept apart from itself
        std::set_difference(second->begin(), second->end(), first->begin(), first->end(), std::back_inserter(others));
        add_pair(pairs, apart.first, *first, apart.second, others, apart.clearance);
    }
    if (machine.apart.empty()) {
        add_usual_pair(pairs, spindle, setup);
    }
    watch_.emplace(machine, std::move(solids_), std::move(pairs));
    solids_.clear();
    return {};
}

/// The tool in the spindle, in the frame of the mount that has it: z from the tip to the holder, zero at the gauge point.
void ContactSet::fit(std::uint32_t mounted, const Tool* tool)
{
    const std::pair now{mounted, tool};
    if (fitted_ == now) {
        return;
    }
    fitted_ = now;
    const Mount& mount = machine_->mounts[mounted];
    if (std::exchange(mount_, int(mounted)) != int(mounted)) {
        const Mount& spindle = machine_->mounts[machine_->at_rest().mount];
        for (const auto& [place, solid] : of_attachments_) {
            watch_->exchange(place, solid.body().mount == int(mounted) ? solid : Solid(nothing(spindle, solid.body().id)));
        }
    }
    const auto placed = [&](Body body, double bottom) {
        body.parent = mount.parent;
        body.frame = mount.frame * Eigen::Translation3d(0, 0, bottom);
        return Solid(std::move(body));
    };
    const double length = tool != nullptr ? tool->length.value_or(0) : 0;
    if (mount.blade) { // a disc across y, with its flange beside it
        const auto across = [&](Body body, double from) {
            body.parent = mount.parent;
            body.frame = mount.frame * Eigen::Translation3d(0, from, 0) * Eigen::AngleAxisd(-pi / 2, Vec3::UnitX());
            return Solid(std::move(body));
        };
        const double width = tool != nullptr && tool->width > 0 ? tool->width : 1e-3;
        const bool held = tool != nullptr && tool->holder_length > 0;
        watch_->exchange(cutter_, across(cylinder("cutter", std::max(1e-3, 2 * length), width), -width / 2));
        watch_->exchange(holder_,
                         across(cylinder("holder", held ? tool->holder_diameter : 1e-3, held ? tool->holder_length : 1e-3), width / 2));
        return;
    }
    const double held = tool != nullptr ? std::min(tool->holder_length, 0.95 * length) : 0;
    const double diameter = tool != nullptr && tool->diameter > 0 ? tool->diameter : 1e-3;
    watch_->exchange(cutter_, placed(cylinder("cutter", diameter, std::max(1e-3, length - held)), -length));
    watch_->exchange(holder_, placed(cylinder("holder", held > 0 ? tool->holder_diameter : 1e-3, std::max(1e-3, held)), -held));
}

} // namespace wexilum
