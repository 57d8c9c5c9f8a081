// Keeps solids of a machine apart along its motion.
//
// Between two measured distances nothing is measured while the motion since the last one is less than what that distance has above the
// clearance: no point of two solids comes nearer by more than the bound that the joints between them allow. So nothing is stepped over,
// however fast the motion. Source of the principle: conservative advancement, B. Mirtich, Impulse-based Dynamic Simulation of Rigid
// Body Systems, 1996, section 2.3.
#pragma once

#include "core/collide/solid.hpp"
#include "core/machine/machine.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Two groups of solids and how far they have to be apart.
struct KeptApart {
    std::string first; ///< what they are called where they meet
    std::string second;
    std::vector<std::size_t> first_solids; ///< places among the watch's
    std::vector<std::size_t> second_solids;
    double clearance = 0; ///< mm
};

/// Two solids that come nearer than their clearance along a motion.
struct Meeting {
    std::size_t pair = 0; ///< of KeptApart
    std::size_t a = 0;    ///< solids
    std::size_t b = 0;
    double fraction = 0; ///< of the motion, where they are nearest, or first touch
    double distance = 0; ///< mm; 0: they touch
};

class ContactWatch {
public:
    /// The machine must outlive the watch.
    ContactWatch(const Machine& machine, std::vector<Solid> solids, std::vector<KeptApart> pairs);

    /// Another solid in the place of one (another tool).
    void exchange(std::size_t solid, Solid by);
    /// A pair that is not watched may touch. All are watched at first.
    void watch(std::size_t pair, bool watched) { pairs_[pair].watched = watched; }
    /// How far a pair is kept apart from here on, mm; pair() has what the machine states.
    void keep(std::size_t pair, double clearance) { pairs_[pair].clearance = clearance; }
    [[nodiscard]] std::size_t pairs() const { return pairs_.size(); }
    [[nodiscard]] const std::vector<Solid>& solids() const { return solids_; }
    [[nodiscard]] const KeptApart& pair(std::size_t pair) const { return pairs_[pair].kept; }

    /// Follows a motion in which every joint goes in proportion from one position to the other, but for `slack` mm by which points may be
    /// beside that. Adds the meetings to `out`: for each two solids the nearest place.
    void along(const Readings& from, const Readings& to, double slack, std::vector<Meeting>& out);

    /// How far two solids are apart where the joints stand so, mm; measured whether watched or not.
    [[nodiscard]] double apart(std::size_t a, std::size_t b, const Readings& readings) const;
    /// Their nearest points there, in the base frame; nothing where they touch.
    [[nodiscard]] std::optional<std::pair<Vec3, Vec3>> nearest(std::size_t a, std::size_t b, const Readings& readings) const;

    /// Distances measured so far.
    [[nodiscard]] std::uint64_t measured() const { return measured_; }

private:
    struct Two {
        std::size_t a = 0;
        std::size_t b = 0;
        std::uint32_t between = 0; ///< joints on the way from one to the other, a bit each
        double room = -1;          ///< mm: they are further apart than this where the last motion ended; -1: not known
    };
    struct Pair {
        KeptApart kept;
        std::vector<Two> twos;
        double clearance = 0; ///< mm
        bool watched = true;
    };
    struct Part {
        const Readings& from;
        const Readings& to;
        double begin; ///< fraction of the whole motion
        double end;
        double slack;
    };
    void follow(const Part& part, std::vector<Meeting>& out);
    [[nodiscard]] double bound(const Two& two, const Part& part, const std::vector<Frame>& frames) const;
    void measure(std::size_t pair, Two& two, const Part& part, double way, std::vector<Meeting>& out);
    [[nodiscard]] Frame placed(const Solid& solid, const std::vector<Frame>& frames) const;
    [[nodiscard]] std::uint32_t carried_by(int joint) const;

    const Machine& machine_;
    std::vector<Solid> solids_;
    std::vector<Pair> pairs_;
    Readings last_;
    std::uint64_t measured_ = 0;
};

} // namespace wexilum
