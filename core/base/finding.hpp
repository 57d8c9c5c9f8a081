// Problems and remarks of a run, as ranges with the worst value.
#pragma once

#include "core/base/result.hpp"

#include <cstddef>
#include <map>
#include <string>
#include <vector>

namespace wexilum {

enum class Severity { remark, warning, error };
[[nodiscard]] const char* name_of(Severity severity);

struct Finding {
    Severity severity = Severity::error;
    std::string kind;    ///< a stable word, e.g. "beyond-travel"
    std::string message; ///< of the worst member of the range
    std::string cure;
    std::size_t count = 1;              ///< how many places the range stands for
    Place source;                       ///< toolpath: where the range begins
    std::uint32_t last_source_line = 0; ///< where it ends
    Place code;                         ///< program: where the range begins, line = block
    std::uint32_t last_code_line = 0;
    Place rule;         ///< in a rulebook, where one is the reason
    double worst = 0;   ///< what the members of a range are compared by; message and cure are those of the worst
    Place worst_source; ///< where the worst member is
    Place worst_code;

    static Finding make(Severity severity, std::string kind, std::string message, std::string cure, double worst = 0);
};

/// Collects findings. Neighbouring ones of one kind and subject become a range that shows its worst member; at most
/// `most_ranges` ranges of a kind are kept, what comes later is counted in the last of its subject, or of the kind.
class FindingList {
public:
    static constexpr std::size_t most_ranges = 100;

    /// `position` orders places of one subject: positions at most `gap` apart are one range.
    void add(Finding finding, const std::string& subject, std::size_t position, std::size_t gap = 1);
    void add(Finding finding) { add(std::move(finding), "", next_free_ += 1000); }
    /// The errors of another list, but for those that are in this one already.
    void add_errors_of(const FindingList& other);
    /// Counts a place into the open range of its kind and subject where it is no worse than what the range shows already; false where
    /// a whole finding has to be added. Spares the texts of the many members of a range.
    bool absorb(const char* kind, const std::string& subject, std::size_t position, std::size_t gap, double worst,
                std::uint32_t source_line, std::uint32_t code_line);

    [[nodiscard]] const std::vector<Finding>& list() const { return list_; }
    [[nodiscard]] bool has_errors() const;
    [[nodiscard]] std::size_t count(Severity severity) const;

private:
    struct Open {
        std::size_t index;
        std::size_t last;
    };
    std::vector<Finding> list_;
    std::map<std::string, Open> open_;
    struct Ranges {
        std::size_t count = 0;
        std::size_t last = 0; ///< index of the last one
    };
    std::map<std::string, Ranges> ranges_; ///< by kind
    std::size_t next_free_ = 0;
};

} // namespace wexilum
