// Parts that the readers of machines, overlays and jobs share.
#pragma once

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"
#include "core/machine/machine.hpp"

namespace wexilum {

/// Reads a unit vector; false, with a problem where it is not one, where nothing was read.
bool read_direction(json::Fields& fields, const char* key, Vec3& out, bool required);

/// Reads a point, in mm; zero where it is missing.
[[nodiscard]] Vec3 read_point(json::Fields& fields, const char* key, const FileUnits& units, bool required);

/// Reads a number in a file's unit into the core's.
void read_scaled(json::Fields& fields, const char* key, double& out, double factor, json::Range range, bool required = false);

/// Reads what stands between the spindle and the tool of an attachment, and the coolant that comes through it.
void read_gearing(json::Fields& fields, Gearing& out);
void read_coolant(json::Fields& fields, Mount& mount);

/// Reads a spindle of a machine whose joints and mounts are known into it, and tells the mount that it turns.
void read_spindle(const json::Node& node, Machine& machine, json::Problems& problems);

/// One part of a sum for people: "0.5 mm/deg * C", or without a name "12 mm".
struct SumTerm {
    double value = 0;
    std::string unit;
    std::string of;
};
/// "X - 0.5 * Z + 12 mm".
[[nodiscard]] std::string sum_text(const std::vector<SumTerm>& terms);

/// Reads where a joint rests; one that follows others has no home of its own.
void read_home(json::Fields& fields, Joint& joint, double unit, bool follows);
/// Reads what a joint follows ("follows" of its node) into a machine whose joints are known.
void read_relation(const json::Node& follows, JointIndex follower, const FileUnits& units, Machine& machine, json::Problems& problems);
/// Gives joints that follow others what the file leaves out (home, travel, speed), and their leaders the limits that keep both inside
/// theirs. To be called again after a travel has changed (Joint::own_travel).
void settle_relations(Machine& machine);
/// Adds a problem where the drawing's posture, a home or a travel contradicts what a joint follows; `follows` are the nodes, in the order
/// of the relations. Precondition: settle_relations().
void check_relations(const Machine& machine, const std::vector<const json::Node*>& follows, json::Problems& problems);

/// Reads a witness of a machine whose joints are known.
Witness read_witness(const json::Node& node, const json::Document& document, const FileUnits& units, const Machine& machine,
                     json::Problems& problems);

/// Adds a problem for the first witness that the machine misses; `list` holds their nodes. Precondition: the machine has its chain.
void check_witnesses(const Machine& machine, const std::vector<Witness>& witnesses, const json::Node& list, json::Problems& problems);

/// Whether readings are given as what their joints are: an Error with the place of the first that is a length of a joint that turns, or an
/// angle of one that does not. Joints that the machine does not have are not looked at.
Status check_forms(const Machine& machine, const ReadingForms& forms);

} // namespace wexilum
