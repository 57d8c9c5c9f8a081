// What one run is about, without a word of how it is written: the job, its setup and toolpath, the machine and its control. Code is
// written for it, and replayed code is judged by it.
#pragma once

#include "core/controller/controller.hpp"
#include "core/controller/frame_kind.hpp"
#include "core/geometry/tolerance.hpp"
#include "core/setup/setup.hpp"
#include "core/task/arrangement.hpp"
#include "core/task/links.hpp"
#include "core/toolpath/posture.hpp"
#include "core/toolpath/record.hpp"

#include <algorithm>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

class InverseSolver;

/// What an operation allows beyond its toolpath.
struct OperationSettings {
    double pole_lean = 0;           ///< rad: the tool may lean so far to go through a pole of the rotary joints; recorded as a departure
    double pole_lift = 0;           ///< mm: how far the tool is lifted while it turns at a pole; 0: it stands on the work
    std::optional<FrameKind> frame; ///< in which coordinates it is written; none: as the job or the dialect has it
    long long subprogram = 0;       ///< the number under which it is written once and called for itself and its copies; 0: written out
    std::optional<double> reorient_clearance; ///< mm along the tool; set: it may be retracted to change its rotary joints where travel ends
};

/// How the machine is to stand for an operation, in the job's words.
struct PostureWish {
    std::string attachment;                             ///< a tool mount or attachment; empty: the machine's first tool mount
    std::vector<std::pair<std::string, double>> set;    ///< joint id -> reading of its scale, rad
    std::vector<std::pair<std::string, double>> parked; ///< joint id -> where it stands, mm or rad, in the order of positioning
    ReadingForms forms;                                 ///< of both
    std::string free;                                   ///< id of a rotary joint that the path may move at will; empty: none
    std::optional<double> lean; ///< rad: how far the tool may depart from the path's direction; none: as the job's tolerance
    Place place;
};

/// The same, resolved: what is held throughout, and what a person sets by each direction.
struct OperationPosture {
    Posture posture;
    std::vector<JointIndex> stated; ///< set by hand as `posture` says; others that a person sets stay as they are
    std::vector<JointIndex> open;   ///< of its mount: set by hand as the path's direction asks
    double lean = 0;
};

struct JobOperation {
    std::string id;
    std::string name;
    std::string toolpath; ///< path from the project's folder
    OperationSettings settings;
    PostureWish posture;
    std::string work; ///< id of the setup's; empty: the only one
    Arrangement arrangement;
    std::optional<LinksWish> links; ///< none: the job's
    Place place;
};

struct Job {
    std::string name;
    std::string program;  ///< title in the code
    long long number = 1; ///< program number
    std::string post;
    std::string setup;
    std::string overlay;     ///< what the machine at hand has measured of its own; empty: the drawing's values
    std::string work_offset; ///< register of works that state none
    Tolerance tolerance;
    std::optional<FrameKind> frame;       ///< in which coordinates operations are written that say nothing; none: as the dialect has it
    std::optional<LinksWish> links;       ///< of operations that state none
    std::vector<JobOperation> operations; ///< copies behind what they are copies of, each an operation of its own
};
/// The settings in force after `begun` operations have begun; those of an operation that allows nothing before the first.
[[nodiscard]] const OperationSettings& settings_of(const Job& job, std::size_t begun);

/// Which of aligned joints was chosen to work where an operation is silent.
struct AlignedChoice {
    std::size_t operation = 0;
    std::string text;    ///< what was chosen, and why not less
    double overhang = 0; ///< mm
};

struct Task {
    Job job;
    Machine machine;
    Controller controller;
    Setup setup;
    Toolpath toolpath;                           ///< all operations in order; each begins with record::Operation
    std::shared_ptr<const InverseSolver> solver; ///< of the posture that the run begins in; set by link()
    std::vector<OperationPosture> postures; ///< by operation; empty: all stand as the machine does at rest, at the only work. Set by link()
    std::vector<AlignedChoice> choices;     ///< of operations that leave open which of aligned joints works
    std::vector<OperationLinks> links;      ///< by operation. Set by link()
    std::optional<double> loops;            ///< how often the program's loop is to be done; none: not stated. Set by link()
    std::string job_file;
    std::string machine_file; ///< that errors name. Set by link()

    [[nodiscard]] std::vector<std::string> joint_names() const;
    /// The work of an operation, by its number from 0.
    [[nodiscard]] const Work& work_of(std::size_t operation) const { return setup.works[posture_of(operation).work]; }
    /// The register of a work's zero, by its place in the setup.
    [[nodiscard]] const std::string& register_of(std::uint32_t work) const;
    /// Offset of a joint in a work's register, mm or rad.
    [[nodiscard]] double offset(JointIndex joint, std::uint32_t work) const;
    /// How the machine stands in an operation, by its number from 0.
    [[nodiscard]] Posture posture_of(std::size_t operation) const
    {
        return operation < postures.size() ? postures[operation].posture : machine.at_rest();
    }
    /// The links after `begun` operations have begun; those of the first one before it. Precondition: linked.
    [[nodiscard]] const OperationLinks& links_of(std::size_t begun) const
    {
        static const OperationLinks none;
        return links.empty() ? none : links[std::min(begun > 0 ? begun - 1 : 0, links.size() - 1)];
    }
};

} // namespace wexilum
