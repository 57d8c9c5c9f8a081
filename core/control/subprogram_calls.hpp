// Subprograms that are called, each of them inside of the one before.
#pragma once

#include "core/control/control_log.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/lexer.hpp"
#include "core/control/subprograms.hpp"

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace wexilum {

struct BlockWords;

class SubprogramCalls final : public ControlPart {
public:
    /// All must outlive the object.
    SubprogramCalls(const Controller& controller, const ControlMemory& memory, ControlLog& log);

    /// Whether the line that comes next in the file is to be done now; those of subprograms are done where they are called.
    [[nodiscard]] bool is_program(std::string_view line, BlockNumber number);
    /// The words of a block that call, or return.
    void apply(const BlockWords& words);
    /// After the block: the call that it has asked for begins.
    void begin();
    [[nodiscard]] bool on() const { return !calls_.empty(); }

    struct Line {
        std::string_view text;
        const CodeBlock& block;
        Status status; ///< of reading the block
    };
    /// The next line of the subprogram that is on; nothing where that has come to an end, which may be that of a call. Precondition: on().
    [[nodiscard]] std::optional<Line> next();
    /// Names and the blocks that have called them, the innermost last.
    [[nodiscard]] std::vector<std::pair<std::string, BlockNumber>> names() const;
    /// The program is over: says which subprograms nothing has called, or not done to their end.
    void finish();

    /// Inside of a subprogram a block may be the last one of it.
    [[nodiscard]] bool leaves_cuts_plain() const override { return calls_.empty(); }

private:
    struct Call {
        std::uint64_t number;
        long long times;
    };
    /// A subprogram that is being done.
    struct Called {
        Subprogram* subprogram;
        std::string name;
        BlockNumber from;     ///< that has called it
        long long left;       ///< times, without the one that is on
        bool on = false;      ///< one is
        std::size_t next = 0; ///< of its lines
    };
    [[nodiscard]] bool count();
    void go_back();

    const Controller& controller_;
    const ControlMemory& memory_;
    std::optional<Call> call_;  ///< of the block at hand
    std::vector<Called> calls_; ///< the innermost last
    CodeBlock read_;            ///< a line; kept for its memory, as is
    std::uint64_t lines_ = 0;
    bool returned_ = false; ///< the subprogram at hand has ended
    bool library_ = false;  ///< the file has come to its subprograms
};

} // namespace wexilum
