// Operations written once as a subprogram and called for each of their copies, where that makes the same cuts.
#pragma once

#include "core/write/called_copy.hpp"
#include "core/write/motion_writer.hpp"

#include <map>
#include <string>

namespace wexilum {

/// The lines of an operation, from where its tool first stands at the work to where it leaves it, are kept aside. The first operation of a
/// number is the subprogram; each copy's lines are made like any others, and left out for a call where the subprogram does what they do.
class SubprogramWriter {
public:
    /// All must outlive the writer.
    SubprogramWriter(const Assembly& assembly, WordEmitter& emitter, MotionWriter& motion, FindingList& findings)
        : assembly_(assembly), emitter_(emitter), motion_(motion), findings_(findings)
    {}

    /// Where the values of words are noted while they are made; it outlives the writer. Otherwise the writer has that done itself.
    void set_exact(const ExactValues* exact) { noted_ = exact; }
    /// The tool stands at the first place of the operation (by its index in the job), where that is to be a subprogram.
    void begin(std::size_t operation);
    [[nodiscard]] bool begun() const { return emitter_.aside(); }
    /// Before the tool leaves the work: writes the call, or the lines themselves.
    void end();
    /// Writes the subprograms, once. Nothing where there is none.
    void write();

private:
    struct Written {
        Aside lines;
        WordPlace from{};
        FrameKind frame = FrameKind::joints;
        std::string title;
    };
    [[nodiscard]] WordPlace here() const;
    void call(const Placing& placing, long long number);
    void write_out(const Aside& lines, const std::string& why);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    MotionWriter& motion_;
    FindingList& findings_;
    std::map<long long, Written> subprograms_; ///< by number
    std::size_t operation_ = SIZE_MAX;         ///< begun last
    WordPlace from_{};
    ExactValues exact_;
    const ExactValues* noted_ = nullptr; ///< by somebody else
    bool written_ = false;
};

} // namespace wexilum
