// Native motion: brings the machine from where it stands to where a record wants it, block by block.
//
// Rules kept here: rotary joints move in rapid only while the tool is retracted; a rapid that moves sideways happens at the
// higher end of its way; what is written is decided on rounded readings; where rotary joints move, the feed is written so
// that the tip keeps its own.
#pragma once

#include "core/dialect/word_emitter.hpp"
#include "core/geometry/path_piece.hpp"
#include "core/run/assembly.hpp"
#include "core/run/finding.hpp"
#include "core/run/program_frame.hpp"

#include <optional>
#include <vector>

namespace wexilum {

/// The feed a record asks for.
struct FeedSpec {
    FeedMode mode = FeedMode::per_minute;
    double value = 0; ///< as in record::Feed; 0: none stated yet
    double spindle_rpm = 0;
    /// Time for a way of the tip; 0 where the feed is missing.
    [[nodiscard]] double seconds(double length) const;
};

class MotionWriter {
public:
    /// Everything must outlive the writer. It starts where the machine is at home, position not yet stated.
    MotionWriter(const Assembly& assembly, WordEmitter& emitter, FindingList& findings);

    void set_place(const Place& source, std::size_t record)
    {
        source_ = source;
        record_ = record;
    }
    /// A tool is in the spindle now: its length has to be stated with the next approach.
    void set_tool(const Tool& tool);

    void retract();
    void rotary_home();
    /// In rapid to a pose (work mount's frame) by the planned readings. With `last` the way down of a first approach goes at that
    /// feed: the path does not say that the tool may come there in rapid.
    void rapid(const Pose& pose, const Readings& planned, const FeedSpec* last = nullptr);
    /// States again what every block relies on and the control may have lost (units, absolute, offset, length).
    void restate_base();
    /// At feed along a piece (work mount's frame); `start` are the planned readings at its beginning. An arc is written as
    /// arcs where controller and dialect have them in its plane, otherwise as lines within the job's tolerance.
    void feed(const PathPiece& piece, const Readings& start, const FeedSpec& feed);

    /// Where the machine stands, from the counts written.
    [[nodiscard]] const Readings& now() const { return now_; }
    [[nodiscard]] bool positioned() const { return positioned_; }
    [[nodiscard]] double tool_length() const { return tool_length_; }
    [[nodiscard]] ProgramFrame& frame() { return frame_; }
    /// Readings for a pose with the rotary joints as they stand now, rounded as they would be written.
    [[nodiscard]] Readings with_same_turn(const Vec3& tip) const;
    /// Whether the tool stands at least as high as a pose, with the rotary joints where `planned` wants them.
    [[nodiscard]] bool stands_above(const Pose& pose, const Readings& planned) const;
    /// Whether moving along the tool moves the length joint alone (a canned cycle drills along that one).
    [[nodiscard]] bool tool_along_length_joint() const;
    /// The control has moved a joint by itself (end of a cycle).
    void moved_to(std::size_t joint, double reading) { now_[Eigen::Index(joint)] = reading; }
    void check_travel(const Readings& readings);
    void lost_place() { emitter_.forget_all(); }
    /// Adds a finding at the record and block at hand.
    void report(Severity severity, const std::string& kind, const std::string& subject, std::string message, std::string cure, double worst,
                std::size_t gap = 1);
    /// Slots for mode and value of a feed; remembers the mode.
    void add_feed(Statement& statement, FeedMode mode, double value);

private:
    /// An arc seen in the program's own axes X, Y, Z.
    /// An arc seen in the program's own axes X, Y, Z.
    struct ArcFrame {
        std::array<std::size_t, 3> joints{}; ///< joint behind X, Y, Z
        std::array<double, 3> signs{};
        int u = 0; ///< in-plane axes in the plane's own order,
        int v = 1;
        int w = 2; ///< and the one across
        Function plane = Function::plane_xy;
        bool counter_clockwise = true;
        Vec3 centre = Vec3::Zero(); ///< readings of the three joints at the centre
        bool helix = false;
    };
    [[nodiscard]] Readings rounded(Readings planned, const Vec3& tip) const;
    [[nodiscard]] bool differs(const Readings& target, bool rotary) const;
    bool move(Function function, const Readings& target, bool rotary, bool linear, std::size_t without = SIZE_MAX);
    void approach(const Pose& pose, const Readings& target, const FeedSpec* last);
    void add_length(Statement& statement);
    void feed_line(const Readings& target, double seconds, double length, const FeedSpec& feed);
    void add_block_feed(Statement& statement, const Readings& target, double seconds, double length, const FeedSpec& feed);
    [[nodiscard]] std::optional<ArcFrame> arc_frame(const PathPiece& piece) const;
    void feed_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const FeedSpec& feed, int depth);
    bool write_arc(const PathPiece& piece, const ArcFrame& frame, double s0, double s1, const Readings& target, const FeedSpec& feed);

    const Assembly& assembly_;
    const InverseSolver& solver_;
    WordEmitter& emitter_;
    FindingList& findings_;
    ProgramFrame frame_;
    Readings now_;
    bool positioned_ = false;
    bool retracted_ = false;
    std::vector<bool> stated_; // joints that the program itself has brought somewhere
    bool length_stated_ = false;
    double tool_length_ = 0;
    std::uint32_t length_register_ = 0;
    std::optional<FeedMode> mode_;
    double carried_seconds_ = 0;
    double carried_length_ = 0;
    Place source_;
    std::size_t record_ = 0;
};

} // namespace wexilum
