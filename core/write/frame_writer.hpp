// The coordinates in which motion is written, the words that switch them, and the tool length that they carry.
#pragma once

#include "core/path/outline.hpp"
#include "core/write/circle_words.hpp"

namespace wexilum {

/// What motion needs to know of its operation; all may be null before the first.
struct LinkedOperation {
    const OperationOutline* outline = nullptr;
    const OperationLinks* links = nullptr;
    const Wrap* wrap = nullptr; ///< null: not wound
};

/// The operation of the last motion, and that of the next one.
struct OperationsAtHand {
    LinkedOperation here;
    LinkedOperation next;
};

class FrameWriter final : public WritePart {
public:
    /// All must outlive the object.
    FrameWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles,
                const OperationsAtHand& operations, WriteLog& log);

    /// In which coordinates the next motion is to be written. A change takes a retract.
    void want(FrameKind kind) { wanted_ = kind; }
    [[nodiscard]] FrameKind wanted() const { return wanted_; }
    [[nodiscard]] bool in_wanted() const;
    /// Switches to the wanted coordinates of the tip for motion about a pose; the tool stands still meanwhile. False where they can't be
    /// written, which is reported; then the joints' own are wanted.
    bool enter(const Pose& pose, const Readings& planned);
    /// Where the tool stands over a cylinder: from here on the control turns it.
    void enter_cylinder();
    /// Back to the joints' own readings, where coordinates of the tip are in force.
    void leave();
    /// Text has switched coordinates, `to_joints`: to the joints' own readings; otherwise the writer switches back to those, and true: the
    /// path is left.
    [[nodiscard]] bool by_text(bool to_joints);
    /// States again what every block relies on and the control may have lost (units, absolute, offset, length).
    void restate_base();

    void set_tool(std::uint32_t length_register);
    /// Adds the words that put the tool's length in force.
    void add_length(Statement& statement);
    /// Until the coordinates of the tip are on, which bring it along.
    void switch_length_off();
    /// Another joint carries the length: it has to be stated again.
    void forget_length();
    void forget();

    /// Where the control sees other coordinates than the joints' each cut is brought to them by itself.
    [[nodiscard]] bool leaves_cuts_plain() const override { return place_.frame.kind() == FrameKind::joints; }

private:
    void refuse(const Status& status);
    void forget_coordinates();
    [[nodiscard]] Statement plane_words(const Pose& pose, const Readings& planned);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    const OperationsAtHand& operations_;
    FrameKind wanted_ = FrameKind::joints;
    std::uint64_t base_known_at_ = UINT64_MAX; ///< what the emitter had forgotten when the base was last restated
    std::uint32_t length_register_ = 0;
    bool length_stated_ = false;
    bool length_on_ = false; ///< the control may have a length in force, of this tool or another
};

} // namespace wexilum
