// What a control reports: what it does next, and findings about it, each at the block at hand.
#pragma once

#include "core/base/finding.hpp"
#include "core/control/happening.hpp"

#include <deque>
#include <string>
#include <vector>

namespace wexilum {

class ControlPart;

class ControlLog {
public:
    /// The findings must outlive the log. `file`: of the program, for places. `from_unknown`: what is in force when the program begins is
    /// not known.
    ControlLog(FindingList& findings, std::string file, std::uint32_t channel, bool from_unknown);
    ControlLog(const ControlLog&) = delete;
    ControlLog& operator=(const ControlLog&) = delete;

    [[nodiscard]] std::uint32_t channel() const { return channel_; }
    /// The block at hand.
    [[nodiscard]] BlockNumber block() const { return block_; }
    void set_block(BlockNumber block) { block_ = block; }
    /// The block of the program itself whose call has led here; 0: none.
    [[nodiscard]] BlockNumber called_by() const { return called_by_; }
    void set_called_by(BlockNumber block) { called_by_ = block; }
    /// Whether the block at hand has done anything, since begin_block().
    [[nodiscard]] bool changed() const { return changed_; }
    void note_change(bool changed = true) { changed_ = changed_ || changed; }
    void begin_block() { changed_ = false; }
    /// The program is over.
    [[nodiscard]] bool ended() const { return ended_; }
    void end() { ended_ = true; }

    void report(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure, double worst = 0);
    /// What is in force, or where a joint is, without the program's doing: reported once a cause.
    void rely_on(const std::string& subject, const std::string& what, const char* cure);
    /// Whether nothing is known that the program has not stated: the program begins so, or it is in a loop.
    [[nodiscard]] bool from_unknown() const { return from_unknown_; }
    /// The block that began the loop that is on; 0: none.
    [[nodiscard]] BlockNumber loop() const { return loop_; }
    /// At the block at hand: from here on nothing is known, as at the beginning of a later pass.
    void begin_loop();
    void end_loop();

    /// Something happens. The reference lives until the next call.
    Happening& happens(Happening::Kind kind);
    void moves(ReplayMove&& move);
    /// What has happened and has not been taken; it lives until forget(). Null: nothing.
    [[nodiscard]] const Happening* take() { return taken_ < happenings_.size() ? &happenings_[taken_++] : nullptr; }
    /// What take() gave last. Precondition: it was not null.
    [[nodiscard]] const Happening& taken() const { return happenings_[taken_ - 1]; }
    [[nodiscard]] bool empty() const { return happenings_.empty(); }
    void forget()
    {
        if (!happenings_.empty()) {
            happenings_.clear();
            moves_.clear();
            taken_ = 0;
        }
    }

    /// Parts of the control's state, in the order in which they were made.
    [[nodiscard]] const std::vector<const ControlPart*>& parts() const { return parts_; }

private:
    friend class ControlPart;

    FindingList& findings_;
    std::string file_;
    std::uint32_t channel_;
    std::vector<const ControlPart*> parts_;
    std::vector<Happening> happenings_; ///< of the block at hand
    std::size_t taken_ = 0;             ///< of them
    std::deque<ReplayMove> moves_;      ///< that they point to
    BlockNumber block_;
    BlockNumber called_by_;
    bool changed_ = false;
    bool ended_ = false;
    bool from_unknown_; ///< now, in a loop
    BlockNumber loop_;
    bool unknown_outside_ = false; ///< from_unknown_ as it is outside the loop
};

/// A part of a control's state. Whatever may act on a cut is a part: it has to say when it leaves cuts plain. Its constructor enters it in
/// the log, so that none can be forgotten.
class ControlPart {
public:
    /// The log must outlive the part, and the part whoever asks the log for its parts.
    explicit ControlPart(ControlLog& log);
    virtual ~ControlPart() = default;
    ControlPart(const ControlPart&) = delete;
    ControlPart& operator=(const ControlPart&) = delete;

    /// Whether blocks of axis words and a feed word, in straight cuts, do and say no more for this part than that the joints go where
    /// their words and the offsets say, as fast as the feed says.
    [[nodiscard]] virtual bool leaves_cuts_plain() const = 0;

protected:
    ControlLog& log_; // NOLINT(misc-non-private-member-variables-in-classes): every part reports there
};

} // namespace wexilum
