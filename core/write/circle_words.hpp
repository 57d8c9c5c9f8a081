// Words of joints that the control reads as places on a circle: on which turn they are, and how many blocks a way takes.
#pragma once

#include "core/write/written_place.hpp"

#include <array>
#include <optional>

namespace wexilum {

class CircleWords final : public WritePart {
public:
    /// All must outlive the object.
    CircleWords(const Assembly& assembly, WrittenPlace& place, WriteLog& log)
        : WritePart(log), assembly_(assembly), place_(place), further_(Readings::Zero(Eigen::Index(assembly.machine.joints.size())))
    {}

    void add_axis(Statement& statement, std::size_t joint, std::int64_t counts);
    /// The counts to write for a joint that goes from where it stands to these.
    [[gnu::always_inline]] inline std::int64_t axis_word(std::size_t joint, std::int64_t counts)
    {
        return place_.frame.reads(joint) == TurnReading::wound ? counts : circle_word(joint, counts);
    }
    /// The joint has been moved by other words.
    void forget(std::size_t joint) { words_[joint].reset(); }
    /// How many blocks a way of the rotary joints takes at least, so that the control goes the way that is meant.
    [[nodiscard]] int blocks_between(const Readings& from, const Readings& to) const;
    /// Planned readings, with the whole turns added by which joints that go one way only have come further.
    [[nodiscard]] Readings shifted(const Readings& planned) const { return planned + further_; }
    [[nodiscard]] double further(std::size_t joint) const { return further_[Eigen::Index(joint)]; }
    /// Where the machine stands, without those.
    [[nodiscard]] Readings planned_now() const { return place_.now() - further_; }
    /// Before a link: joints that go one way only come to the planned place by as many turns more as that takes.
    void go_one_way(const Readings& planned);
    /// In a cut such a joint can't go back.
    void check_one_way(const Readings& from, const Readings& to);
    /// The chain is another one.
    void forget_turns() { further_.setZero(); }

    /// A place on a circle depends on where the joint stands.
    [[nodiscard]] bool leaves_cuts_plain() const override { return !place_.frame.has_circles(); }

private:
    [[nodiscard]] std::int64_t circle_word(std::size_t joint, std::int64_t counts);

    const Assembly& assembly_;
    WrittenPlace& place_;
    std::array<std::optional<std::int64_t>, max_joints> words_; ///< last written
    Readings further_;                                          ///< by joint: whole turns, rad
};

} // namespace wexilum
