#include "app/views/machine/machine_scene.hpp"

#include "app/theme/theme.hpp"
#include "core/machine/kinematics.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>

namespace wexilum::app {
namespace {

/// What holds a work; without a setup the machine's first work mount.
const Mount* work_mount(const Machine& machine, const Setup* setup, std::size_t work)
{
    const auto found = setup != nullptr ? machine.find_work_mount(setup->works[work].holder) : std::nullopt;
    return found ? &machine.mounts[*found] : machine.first_mount(MountKind::work);
}

} // namespace

bool MachineScene::set_results(std::shared_ptr<const JobResults> results)
{
    const bool other = results && (!results_ || results_->assembly().machine.name != results->assembly().machine.name);
    results_ = std::move(results);
    motion.reset();
    tool_ = 0;
    if (machine() != nullptr) {
        place_joints(machine()->home());
    }
    build_parts();
    ++revisions_.path;
    renew_paint();
    return other;
}

bool MachineScene::set_draft(std::optional<Machine> machine, bool strange)
{
    const bool other = machine.has_value() != draft_.has_value() || strange != strange_ ||
                       (machine && draft_ && machine->bodies.empty() != draft_->bodies.empty());
    draft_ = std::move(machine);
    strange_ = strange;
    if (this->machine() != nullptr) {
        place_joints(this->machine()->home());
    }
    build_parts();
    if (other) {
        ++revisions_.path;
        renew_paint();
    }
    return other;
}

bool MachineScene::set_position(const Readings& readings, std::uint32_t tool, double tool_length, std::uint32_t mount)
{
    if (machine() == nullptr || std::size_t(readings.size()) != machine()->joints.size()) {
        return false;
    }
    place_joints(readings);
    if (tool != tool_ || tool_length != tool_length_ || mount != mount_) {
        mount_ = mount;
        tool_ = tool;
        tool_length_ = tool_length;
        build_parts();
    }
    return true;
}

void MachineScene::place_joints(const Readings& readings)
{
    ++revisions_.places;
    joints_ = joint_frames(*machine(), readings);
    beyond_ = overtravels(*machine(), readings, 1e-6);
}

void MachineScene::set_colouring(PathColouring colouring)
{
    colouring_ = colouring;
    renew_paint();
}

const std::vector<PathShape::Chunk>& MachineScene::chunks() const
{
    static const std::vector<PathShape::Chunk> none;
    return has_job() && results_->shape ? results_->shape->chunks : none;
}

const Mount* MachineScene::tool_mount() const
{
    const auto& mounts = machine()->mounts;
    return mount_ < mounts.size() && mounts[mount_].kind == MountKind::tool ? &mounts[mount_] : machine()->first_mount(MountKind::tool);
}

void MachineScene::build_parts()
{
    parts_.clear();
    ++revisions_.parts;
    ++revisions_.places;
    if (machine() != nullptr) {
        collect_parts();
    }
    for (Part& part : parts_) {
        const auto& corners = part.solid.triangles;
        part.low = part.high = corners.empty() ? Vec3(Vec3::Zero()) : Vec3(corners.front().at.cast<double>());
        for (const Solid::Corner& corner : corners) {
            part.low = part.low.cwiseMin(corner.at.cast<double>());
            part.high = part.high.cwiseMax(corner.at.cast<double>());
        }
    }
}

void MachineScene::collect_parts()
{
    const Tokens& t = tokens();
    for (const Body& body : machine()->bodies) {
        if (body.mount >= 0 && std::uint32_t(body.mount) != mount_) {
            continue; // of an attachment that is not fitted
        }
        parts_.push_back({body.id, solid_of(body), body.parent < 0 ? Carrier::base : Carrier::joint, body.parent, body.frame, t.body});
    }
    if (!has_job()) {
        return;
    }
    const Assembly& a = results_->assembly();
    const Rgb stock = is_dark() ? 0x4F6F69 : 0xC9DAD2;
    for (std::size_t work = 0; work < a.setup.works.size(); ++work) {
        for (const Body& body : a.setup.works[work].stock) {
            parts_.push_back({body.id, solid_of(body), Carrier::part, int(work), body.frame, stock});
        }
    }
    add_tool();
}

void MachineScene::add_tool()
{
    const Tool* tool = results_->assembly().setup.find_tool(tool_);
    if (tool == nullptr || tool_length_ <= 0) {
        return;
    }
    Frame frame = Frame::Identity();
    const Mount* mount = tool_mount();
    const Rgb colour = is_dark() ? Rgb(0x8FB0C8) : Rgb(0x56788F);
    if (mount != nullptr && mount->blade) { // a disc across y
        Body disc;
        disc.shape = wexilum::Shape::cylinder;
        disc.bottom = disc.top = 2 * tool_length_;
        disc.length = std::max(0.5, tool->width);
        frame = Eigen::Translation3d(0, -disc.length / 2, 0) * Eigen::AngleAxisd(-pi / 2, Vec3::UnitX());
        parts_.push_back({"cutter", solid_of(disc), Carrier::tool, -1, frame, colour});
    } else {
        frame.translation() = Vec3(0, 0, -tool_length_);
        parts_.push_back({"cutter", solid_of(*tool, tool_length_), Carrier::tool, -1, frame, colour});
    }
}

/// Takes the colours of the segments anew; those by state come with the results.
void MachineScene::renew_paint()
{
    ++revisions_.colours;
    if (!has_job() || !results_->replayed) {
        paint_.reset();
    } else if (colouring_ == PathColouring::state) {
        paint_ = results_->paint;
    } else {
        paint_ =
            std::make_shared<const PathPaint>(path_paint_of(*results_->posted, results_->replayed->track, results_->states, colouring_));
    }
    painted_.reset();
    for (const std::uint8_t status : paint_ ? paint_->status : std::vector<std::uint8_t>()) {
        painted_.set(status);
    }
}

std::vector<Rgb> MachineScene::palette() const
{
    const Tokens& t = tokens();
    const auto state = [&](State s) { return t.states[std::size_t(s)]; };
    const Rgb rapid = is_dark() ? 0x59636D : 0xB9B09C;
    if (colouring_ == PathColouring::operation) {
        return is_dark() ? std::vector<Rgb>{rapid, 0x6CC4B1, 0xD0BA84, 0xA7A4DC, 0xE0A58C, 0x8FBCE0, 0xB6C77A}
                         : std::vector<Rgb>{rapid, 0x1F7A6C, 0x8A6A1E, 0x55529C, 0x9A4E33, 0x2F6690, 0x5C6E1C};
    }
    if (colouring_ == PathColouring::deviation) {
        return is_dark() ? std::vector<Rgb>{rapid, 0x2F5F56, 0x43897B, 0x6CC4B1, 0xC9C07A, 0xE0A843, state(State::beyond)}
                         : std::vector<Rgb>{rapid, 0x9CCBBF, 0x55A393, 0x1F7A6C, 0x8E7A1E, 0xB07A14, state(State::beyond)};
    }
    return {rapid,
            t.fill,
            state(State::margin),
            state(State::singular),
            state(State::beyond),
            state(State::contact),
            state(State::close),
            state(State::contact)};
}

bool MachineScene::is_beyond(int joint) const
{
    return std::any_of(beyond_.begin(), beyond_.end(), [joint](const Overtravel& over) { return int(over.joint.value) == joint; });
}

Frame MachineScene::ride() const
{
    if (machine() == nullptr) {
        return Frame::Identity();
    }
    const Mount* work = work_mount(*machine(), has_job() ? &results_->assembly().setup : nullptr, 0);
    if (riding == Riding::machine || work == nullptr || work->parent < 0) {
        return upright();
    }
    // The work keeps still, as in the reference posture.
    return upright() * joints_[std::size_t(work->parent)].inverse();
}

Frame MachineScene::upright() const
{
    const Vec3& up = machine()->up;
    const Vec3 about = up.cross(Vec3::UnitZ());
    return Frame(Eigen::AngleAxisd(angle_between(up, Vec3::UnitZ()), about.norm() > 1e-9 ? Vec3(about.normalized()) : any_across(up)));
}

Frame MachineScene::part_in_base(std::size_t of) const
{
    const Mount* work = work_mount(*machine(), has_job() ? &results_->assembly().setup : nullptr, of);
    Frame frame = Frame::Identity();
    if (work != nullptr) {
        frame = (work->parent < 0 ? Frame::Identity() : joints_[std::size_t(work->parent)]) * work->frame;
    }
    return has_job() ? frame * results_->assembly().setup.works[of].part : frame;
}

std::array<Vec3, 8> MachineScene::box_in_base(const Part& part) const
{
    const Frame frame = in_base(part);
    std::array<Vec3, 8> out;
    for (std::size_t i = 0; i < out.size(); ++i) {
        out[i] = frame * Vec3((i & 1U) != 0 ? part.high.x() : part.low.x(), (i & 2U) != 0 ? part.high.y() : part.low.y(),
                              (i & 4U) != 0 ? part.high.z() : part.low.z());
    }
    return out;
}

Frame MachineScene::in_base(const Part& part) const
{
    const auto carried = [&](int joint) { return joint < 0 ? Frame::Identity() : joints_[std::size_t(joint)]; };
    switch (part.carrier) {
    case Carrier::base: return part.frame;
    case Carrier::joint: return carried(part.joint) * part.frame;
    case Carrier::part: return part_in_base(std::size_t(part.joint)) * part.frame;
    case Carrier::tool: break;
    }
    const Mount* mount = tool_mount();
    return mount == nullptr ? Frame::Identity() : Frame(carried(mount->parent) * mount->frame * part.frame);
}

std::pair<double, double> MachineScene::extent(int axis) const
{
    std::pair<double, double> out{0, 0};
    bool first = true;
    for (const Part& part : parts_) {
        for (const Vec3& corner : box_in_base(part)) {
            const double at = corner[axis];
            out = first ? std::pair(at, at) : std::pair(std::min(out.first, at), std::max(out.second, at));
            first = false;
        }
    }
    return out;
}

} // namespace wexilum::app
