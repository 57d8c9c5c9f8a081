// Between machine readings and the counts written in the program: work offset, tool length, rounding.
#pragma once

#include "core/dialect/rounding.hpp"
#include "core/run/assembly.hpp"

namespace wexilum {

class ProgramFrame {
public:
    /// The assembly must be linked and outlive the frame.
    explicit ProgramFrame(const Assembly& assembly);

    /// The tool length that the control adds to its length joint; 0 while no length word is in force.
    void set_length_shift(double mm) { length_shift_ = mm; }

    [[nodiscard]] Quantity quantity(std::size_t joint) const;
    /// Counts of the word that brings the joint to `reading`.
    [[nodiscard]] std::int64_t counts(std::size_t joint, double reading) const;
    /// Counts of the word for an absolute machine position.
    [[nodiscard]] std::int64_t machine_counts(std::size_t joint, double reading) const;
    /// Where a word of such counts brings the joint.
    [[nodiscard]] double reading(std::size_t joint, std::int64_t counts) const;
    [[nodiscard]] const Rounding& rounding() const { return rounding_; }
    [[nodiscard]] const std::vector<bool>& is_rotary() const { return rotary_; }
    [[nodiscard]] const std::vector<bool>& in_chain() const { return chain_; }

private:
    [[nodiscard]] double shift(std::size_t joint) const;

    const Assembly& assembly_;
    Rounding rounding_;
    std::vector<bool> rotary_;
    std::vector<bool> chain_;
    std::size_t length_joint_ = SIZE_MAX;
    double length_shift_ = 0;
};

} // namespace wexilum
