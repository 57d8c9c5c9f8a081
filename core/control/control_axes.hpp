// A control's axes: which letter moves which joint, how their words are read, and where the joints stand.
#pragma once

#include "core/control/modal_words.hpp"
#include "core/machine/aligned.hpp"
#include "core/machine/machine.hpp"

#include <array>
#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

namespace wexilum {

struct BlockWords;

class ControlAxes final : public ControlPart {
public:
    /// All must outlive the object. `readings`: where the joints stand, by joint; the control moves them there.
    ControlAxes(const Controller& controller, const Machine& machine, Readings& readings, ModalWords& modal, ControlLog& log);

    [[nodiscard]] const Readings& now() const { return now_; }
    [[nodiscard]] double now(std::size_t joint) const { return now_[Eigen::Index(joint)]; }
    /// Joints that follow others go along.
    void stand(const Readings& readings)
    {
        now_ = readings;
        bring_followers(machine_, now_);
    }
    void stand(std::size_t joint, double reading) { now_[Eigen::Index(joint)] = reading; }
    /// mm or rad, between two readings of a joint, in mm or deg with its unit: "1.2500 mm".
    [[nodiscard]] std::string way_text(std::size_t joint, double way) const;

    /// Letters and their joints, in the order of the letters.
    [[nodiscard]] const std::vector<std::pair<char, std::size_t>>& letters() const { return letters_; }
    [[nodiscard]] std::optional<std::size_t> joint_of(char letter) const;
    /// How far one is from where it is to be: the joint that has furthest to go, of those that follow no other (mm or rad).
    [[nodiscard]] double furthest(const Readings& from, const Readings& to) const;
    [[nodiscard]] bool rotary(std::size_t joint) const { return machine_.joints[joint].kind == JointKind::rotary; }
    /// All joints that have a letter, a bit each.
    [[nodiscard]] std::uint32_t all() const { return all_; }

    /// Joints that the program itself has brought somewhere.
    [[nodiscard]] std::uint32_t known() const { return known_; }
    [[nodiscard]] bool known(std::size_t joint) const { return (known_ >> joint & 1U) != 0; }
    void brought(std::size_t joint) { known_ |= std::uint32_t{1} << joint; }
    void forget() { known_ = 0; }
    /// A cut while a joint's place is unknown: reported.
    void report_unplaced();

    /// Of a joint and those aligned with it the one that the block names; `otherwise` where it names none.
    [[nodiscard]] std::size_t named(const BlockWords& words, std::size_t joint, std::size_t otherwise) const;
    [[nodiscard]] bool has_aligned() const { return !aligned_.empty(); }
    /// The joints that a word of this one stands for together, itself the first; null where it stands for itself.
    [[nodiscard]] const std::vector<SignedJoint>* summed(std::size_t joint) const { return summed_[joint]; }

    /// A word's number, mm or rad. coordinate() relies on the units that are in force, coordinate_as_it_is() does not ask.
    [[nodiscard]] double coordinate(std::size_t joint, const CodeWord& word);
    [[nodiscard]] double coordinate_as_it_is(std::size_t joint, const CodeWord& word) const
    {
        return rotary(joint) ? modal_.angle(word) : modal_.length_as_it_is(word);
    }
    /// Where an absolute word of such a value brings a joint, `offset` added; rad or mm. A turn without a way is reported.
    [[nodiscard]] double turn(std::size_t joint, const CodeWord& word, double value, double offset);
    /// The same without a word about it.
    [[nodiscard]] Turned turned_by_word(std::size_t joint, double value, double offset) const;
    [[nodiscard]] TurnReading turn_reading(std::size_t joint) const { return turns_[joint]; }

    /// At feed to a place: joints that may only be positioned are reported.
    void check_positioned(const Readings& to);
    void check_travel(const Readings& to);

    [[nodiscard]] bool leaves_cuts_plain() const override { return known_ == all_ && aligned_.empty(); }

private:
    const Controller& controller_;
    const Machine& machine_;
    Readings& now_;
    ModalWords& modal_;
    std::vector<std::pair<char, std::size_t>> letters_;
    std::array<TurnReading, max_joints> turns_{}; ///< by joint
    std::vector<std::size_t> positioned_;         ///< joints that may not move in a cut
    std::vector<std::vector<SignedJoint>> aligned_;
    std::array<const std::vector<SignedJoint>*, max_joints> summed_{}; ///< by the joint whose word stands for all
    std::uint32_t known_ = 0;
    std::uint32_t all_ = 0;
};

} // namespace wexilum
