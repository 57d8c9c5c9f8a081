// Brakes of joints that the program has words for.
#pragma once

#include "core/path/outline.hpp"
#include "core/write/written_place.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

class BrakeWriter final : public WritePart {
public:
    /// All must outlive the object.
    BrakeWriter(const Assembly& assembly, WordEmitter& emitter, const WrittenPlace& place, WriteLog& log);

    /// A word of text has locked or released a joint's brake.
    void is(const std::string& joint, bool locked);
    /// Before a joint moves.
    void release(std::size_t joint);
    /// Before all those move that a position has elsewhere.
    void release_moving(const MachinePosition& target);
    /// After positioning: joints that stand still in all cuts of the operation are held by their brakes. `operation`: null: unknown.
    void lock_standing(const OperationOutline* operation);
    void forget();

    /// A cut may have to release one.
    [[nodiscard]] bool leaves_cuts_plain() const override { return brakes_.empty(); }

private:
    struct Brake {
        std::size_t joint;
        const BrakeWords* words;
        std::optional<bool> locked; ///< nothing: not known
    };
    const Assembly& assembly_;
    WordEmitter& emitter_;
    const WrittenPlace& place_;
    std::vector<Brake> brakes_;
};

} // namespace wexilum
