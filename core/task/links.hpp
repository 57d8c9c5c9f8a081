// Links: the partial moves by which the tool comes to an operation, leaves it, and goes from place to place in between.
//
// A job may state them for each operation, and the surface that they ride on; otherwise they are the safe ones: along the tool until it
// is clear, to the home of the joint that retracts, the rotary joints, over the place, down, and along the tool to it.
#pragma once

#include "core/base/file_units.hpp"
#include "core/geometry/clearance.hpp"
#include "core/machine/machine.hpp"
#include "core/task/link_mark.hpp"

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

struct Task;

/// Where a partial move brings its joints.
enum class LinkTarget {
    home,     ///< each joint's home
    leave,    ///< out along the tool from where it stands, until it is clear
    ride,     ///< to the next place's clear one, along the clearance surface, rotary joints turning on the way
    clear,    ///< from where the way along the tool leads to the next place
    start,    ///< the next place
    readings, ///< stated readings of the machine
};

/// A partial move: which joints move together, and where to.
struct LinkStep {
    LinkTarget to = LinkTarget::start;
    std::vector<JointIndex> joints;  ///< empty: all that move the tool against the work
    std::vector<HeldJoint> readings; ///< where to is readings
};

/// The links of one operation.
struct OperationLinks {
    std::optional<ClearanceSurface> clearance; ///< part's frame; none: clear is what the operation does not reach along the tool
    std::vector<LinkStep> approach;            ///< to its first place, and to others after a tool change or text that moves the machine
    std::vector<LinkStep> retreat;             ///< before the next operation, a tool change or a change of posture
    std::vector<LinkStep> within;              ///< to a place with other readings of the rotary joints; empty: retreat, then approach
    bool own_approach = false;                 ///< the job states it
    bool own_retreat = false;
};

/// The same in the job's words.
struct LinkStepWish {
    LinkTarget to = LinkTarget::start;
    std::vector<std::string> joints;
    std::vector<std::pair<std::string, double>> readings; ///< mm or rad
    ReadingForms forms;
    Place place;
};
struct LinksWish {
    std::optional<ClearanceSurface> clearance;
    std::vector<LinkStepWish> approach;
    std::vector<LinkStepWish> retreat;
    std::vector<LinkStepWish> within;
    Place place;
};

/// Reads "links" of a job or an operation.
std::optional<LinksWish> read_links(json::Fields& parent, const FileUnits& units, const json::Document& document);

/// Reads an object of joint -> number, or joint -> {"angle": number}: in mm and rad. `angles`: bare numbers are angles.
void read_joint_readings(json::Fields& fields, const char* key, const FileUnits& units, bool angles, const json::Document& document,
                         std::vector<std::pair<std::string, double>>& out, ReadingForms& forms);

/// Settles the links of each operation against the machine as the operation has it. Precondition: postures are settled. Errors name the
/// job's place.
Status resolve_links(Task& task);

/// Of one operation, as `wish` states them; the safe ones where it states none.
Result<OperationLinks> resolved_links(const Task& task, std::size_t operation, const std::optional<LinksWish>& wish);

/// An operation's links in the words of a job, each list as it is in force.
[[nodiscard]] std::string text_of(const OperationLinks& links, const Machine& machine);

/// "ride"
[[nodiscard]] const char* name_of(LinkTarget target);

} // namespace wexilum
