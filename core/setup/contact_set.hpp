// The solids of a machine with its tool and stock, as the machine's "apart" list keeps them from each other.
#pragma once

#include "core/collide/contact_watch.hpp"
#include "core/setup/setup.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace wexilum {

/// The clearance between what carries the tool and what carries the work where the machine states none, mm.
inline constexpr double usual_clearance = 2;

class ContactSet {
public:
    /// The machine must outlive the set. An Error of kind value where the machine's list names what the machine does not have.
    static Result<ContactSet> make(const Machine& machine, const Setup& setup);

    [[nodiscard]] ContactWatch& watch() { return *watch_; }
    [[nodiscard]] const ContactWatch& watch() const { return *watch_; }
    /// The pairs of cutter and stock, which may touch in a cut.
    [[nodiscard]] const std::vector<std::size_t>& stock_pairs() const { return stock_pairs_; }
    [[nodiscard]] std::size_t cutter() const { return cutter_; } ///< its place among the watch's solids
    /// The work that a solid of the stock belongs to. Precondition: not before stock().
    [[nodiscard]] std::uint32_t work_of_stock(std::size_t solid) const { return stock_works_[solid - stock_]; }
    [[nodiscard]] std::size_t stock() const { return stock_; } ///< the first of the stock; all behind it are stock too
    /// Puts a tool into a mount, and what belongs to that mount where it is; null: none that has a size. The tool must stay until the next
    /// call.
    void fit(std::uint32_t mount, const Tool* tool);

private:
    explicit ContactSet(const Machine& machine) : machine_(&machine) {}
    Status set_up(const Setup& setup);
    [[nodiscard]] std::vector<std::size_t> below(int joint) const;
    [[nodiscard]] Result<std::vector<std::size_t>> named(const std::string& name) const;
    void add_usual_pair(std::vector<KeptApart>& pairs, const Mount& spindle, const Setup& setup);
    void add_pair(std::vector<KeptApart>& pairs, const std::string& first, const std::vector<std::size_t>& a, const std::string& second,
                  const std::vector<std::size_t>& b, double clearance);

    const Machine* machine_;
    std::optional<ContactWatch> watch_;
    std::vector<Solid> solids_; ///< until the watch has them
    std::size_t cutter_ = 0;    ///< places among the solids
    std::size_t holder_ = 0;
    std::vector<std::uint32_t> stock_works_;                    ///< by solid, from the first of the stock
    std::size_t stock_ = 0;                                     ///< the first; all behind it are stock
    std::vector<std::size_t> stock_pairs_;                      ///< of cutter and stock
    std::vector<std::pair<std::size_t, Solid>> of_attachments_; ///< their places, and what stands there while they are fitted
    std::optional<std::pair<std::uint32_t, const Tool*>> fitted_;
    int mount_ = -1; ///< whose bodies are there
};

} // namespace wexilum
