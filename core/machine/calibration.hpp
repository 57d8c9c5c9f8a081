// From readings and measured tip positions to how a machine differs from its drawing: zeros, directions and points of its rotary
// joints, the place of its gauge point. Least squares by Gauss and Newton with a singular value decomposition: what the measurements don't
// determine stays as the drawing has it. Source: C. L. Lawson, R. J. Hanson, Solving Least Squares Problems, 1974, chapters 18 and 25.
#pragma once

#include "core/machine/machine.hpp"
#include "core/toolpath/readers/csv_reader.hpp"

#include <span>
#include <string>
#include <vector>

namespace wexilum {

/// One position taken at the machine.
struct Measurement {
    Readings readings;       ///< of every joint
    double tool_length = 0;  ///< mm
    Vec3 tip = Vec3::Zero(); ///< in the frame of the work mount
    Place place;
};

struct Calibration {
    Machine machine;       ///< with what was found; its witnesses are the drawing's
    double rms_before = 0; ///< mm, of the distances between measured and computed tips
    double rms_after = 0;
    double worst_after = 0;
    std::size_t worst = 0; ///< the measurement it belongs to
    /// Rotary joints that turn the other way than the machine says, by the measurements: nothing has been fitted then.
    std::vector<std::string> wrong_senses;
    /// What the measurements say nothing about, in words ("the axis of C along Y"): as the drawing has it.
    std::vector<std::string> undetermined;
};

/// The rows of a table of measured tips: a column for each joint (mm or degrees), x, y, z and, where it varies, length; `tool_length` where
/// it has none. An Error with the table's place where a column is missing or not known.
Result<std::vector<Measurement>> measurements_of(const Machine& machine, const NumberTable& table, double tool_length,
                                                 const std::string& file);
/// Whether a witness was read with the machine's first tool mount, and is seen from its first work mount.
[[nodiscard]] bool is_measurement(const Machine& machine, const Witness& witness);
/// The same of the machine's witnesses that are measurements.
[[nodiscard]] std::vector<Measurement> measurements_of(const Machine& machine);
/// How far the machine has each tip from where it was measured, mm. Precondition: the machine has a chain.
[[nodiscard]] std::vector<double> residuals(const Machine& machine, std::span<const Measurement> measured);

/// Fits the rotary joints of the chain and the gauge point. An Error where there are fewer measurements than it takes to fit anything
/// (three), or the machine has no chain.
Result<Calibration> calibrate(const Machine& machine, std::span<const Measurement> measured);

/// By how much the gauge point was found beside the drawing's, mm.
[[nodiscard]] Vec3 gauge_shift(const Machine& drawing, const Calibration& found);
/// What was found of each rotary joint and of the gauge point, a line each.
[[nodiscard]] std::vector<std::string> description_of(const Machine& drawing, const Calibration& found);

/// The text of an "overlay/1" file with what a calibration found. `machine_path` and `name` are written as they are.
[[nodiscard]] std::string overlay_text(const Machine& drawing, const Calibration& found, const std::string& machine_path,
                                       const std::string& name);

} // namespace wexilum
