// The simulated control: reads blocks by the controller's definition alone and moves the machine's joints.
#pragma once

#include "core/base/finding.hpp"
#include "core/control/code_lines.hpp"
#include "core/control/control_memory.hpp"
#include "core/control/control_state.hpp"
#include "core/control/happening.hpp"
#include "core/control/machine_state.hpp"
#include "core/control/operator.hpp"
#include "core/control/subprograms.hpp"
#include "core/controller/controller.hpp"
#include "core/machine/aligned.hpp"
#include "core/machine/machine.hpp"
#include "core/solve/inverse.hpp"

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// How a control begins a program.
struct ControlStart {
    std::string file;           ///< of the program, for places
    bool from_unknown = false;  ///< nothing is known to be in force, and relying on it is a finding; otherwise the power-on words are
    std::uint32_t channel = 1;  ///< not 0
    bool cuts_together = false; ///< plain cuts may be told many at once, some blocks later, but before whatever else the control does
    std::optional<std::uint32_t> mount =
        std::nullopt; ///< that carries its tool, by its place in Machine::mounts; none: the machine's first
};

class SimulatedControl {
public:
    /// All references must outlive the control. It enters the machine's state, whose joints it moves from where they stand.
    SimulatedControl(const Controller& controller, const Machine& machine, MachineState& state, ControlMemory memory, ControlStart start,
                     LineSource& lines, FindingList& findings);
    ~SimulatedControl();
    SimulatedControl(const SimulatedControl&) = delete;
    SimulatedControl& operator=(const SimulatedControl&) = delete;

    /// The next happening, which lives until the next call; nullptr where there are no more lines. While the control is held at a mark
    /// (waits()), it is that wait again. Lines that can't be read are findings of kind "code-error"; the control then goes on with the
    /// next line, as far as it can.
    const Happening* step();
    [[nodiscard]] bool waits() const { return held_ && machine_state_.waits(start_.channel); }
    /// Where step() has said that there is no more: whether that is because the lines' source has failed.
    [[nodiscard]] const Status& status() const { return lines_.status(); }
    /// The program is over: says what is missing in it, or has not been reached.
    void finish();
    /// The block that the control is at, and how its joints stand.
    [[nodiscard]] BlockNumber block() const { return block_; }
    [[nodiscard]] const Readings& readings() const { return now_; }
    [[nodiscard]] std::uint32_t channel() const { return start_.channel; }
    /// What is in force now.
    [[nodiscard]] ControlState state() const;

private:
    struct State {
        const WordMeaning* meaning = nullptr; ///< nullptr: unknown
        bool by_program = false;
    };
    struct BlockWords;
    struct TipWords;
    struct PlainCuts;
    struct FeedWord {
        double feed;      ///< in the mode's own unit
        double precision; ///< half its last digit over it
    };
    /// Coordinates turned in a plane, about a place that the words told.
    struct TurnedPlane {
        std::array<std::size_t, 2> joints; ///< behind the plane's first and second axis
        int across = 2;                    ///< the direction across it
        double angle = 0;                  ///< rad
        std::array<double, 2> centre{};    ///< mm, in the program's coordinates
    };
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
    struct CycleRun;
    /// A cylinder on whose surface the words tell motion.
    struct Surface {
        std::size_t flat;    ///< the joint whose letter tells the way round, mm
        std::size_t turning; ///< the joint that turns the cylinder
        double scale;        ///< mm a rad
    };

    [[nodiscard]] bool advance();
    [[nodiscard]] bool next_line(std::string_view text);
    void next_called_line();
    void take(std::string_view text, const CodeBlock& block, const Status& status);
    Happening& happens(Happening::Kind kind);
    void begin_block(const CodeBlock& block);
    void end_block();
    void settle_block();
    void name_plain_words();
    void look_for_plain_cuts();
    [[nodiscard]] bool hold_for_plain_cuts();
    [[nodiscard]] bool plain_cut(const CodeBlock& block);
    void tell_cuts();
    void end_plain_cuts();
    void apply_calls(const BlockWords& words);
    void call(Call call);
    bool count_called();
    void finish_subprograms();
    void apply_coordinates(BlockWords& words);
    void shift(const BlockWords& words);
    void turn_coordinates(const BlockWords& words);
    [[nodiscard]] std::array<double, 2> turned_place(const Readings& readings, double way);
    [[nodiscard]] double turned_slack(const Readings& from, const Readings& to);
    bool sort_words(const CodeBlock& block, BlockWords& out);
    void apply_state(BlockWords& words);
    void apply_tool(const BlockWords& words);
    void apply_loop(const BlockWords& words);
    void apply_motion(BlockWords& words);
    [[nodiscard]] std::optional<std::size_t> joint_of(char address) const;
    [[nodiscard]] bool known(std::size_t joint) const { return (known_ >> joint & 1U) != 0; }
    [[nodiscard]] bool targets(const BlockWords& words, Readings& to);
    void go(const BlockWords& words, const Readings& to, bool feed, const std::optional<Arc>& arc = std::nullopt);
    void apply_brakes(const BlockWords& words);
    void take_mounts(const BlockWords& words);
    void mount_changed();
    void apply_frame(BlockWords& words);
    [[nodiscard]] bool in_frame() const;
    Status make_frame();
    void forget_frame();
    void name_frame_joints(const BlockWords& words);
    Status read_plane(const PlaneForm& form, BlockWords& words);
    /// Where the machine stands, as the words in force would tell it: of X, Y and Z coordinates where a frame is on.
    [[nodiscard]] Readings here();
    [[nodiscard]] Readings joints_of(const BlockWords& words, const Readings& place);
    [[nodiscard]] Vec3 tip_of(const Readings& place) const;
    [[nodiscard]] Status read_surface(const WordMeaning& meaning, BlockWords& words);
    void move_on_surface(ReplayMove& move);
    void move_in_frame(const BlockWords& words, const Readings& place, ReplayMove& move);
    void check_brakes(const Readings& to, bool feed);
    [[nodiscard]] std::uint32_t open_brakes() const;
    void stop(bool optional);
    void act_by_hand();
    /// Whether tool mounts are taken, by a person or by words; a witness has none.
    [[nodiscard]] bool takes_mounts() const { return operator_.needed() || (takes_mounts_ && !machine_.mounts.empty()); }
    void check_by_hand(bool feed);
    [[nodiscard]] std::string refused_coolant() const;
    [[nodiscard]] bool length_acts_beside() const;
    void set_state(ReplayMove& move) const;
    void hear(std::string_view text);
    void turn_through_gears(ReplayMove& move) const;
    void run_arc(const BlockWords& words, Readings to, bool clockwise);
    [[nodiscard]] std::size_t drilled(const BlockWords& words);
    void run_cycle(const BlockWords& words, Readings to);
    void cycle_leg(double level, bool feed);
    void next_cycle_leg();
    [[nodiscard]] double least_seconds(const Readings& from, const Readings& to) const;
    void time_feed(ReplayMove& move);
    void report_unplaced();
    void rely_on(const std::string& subject, const std::string& what, const char* cure);
    void check_feed_word(Function mode, const CodeWord& word);
    [[nodiscard]] std::uint32_t whole(const CodeWord& word);
    [[nodiscard]] FeedWord read_feed(Function mode, const CodeWord& word) const;
    [[nodiscard]] const WordMeaning* use(Group group);
    [[nodiscard]] double length_value(const CodeWord& word);
    [[nodiscard]] double length_of(const CodeWord& word) const;
    void check_skippable(const BlockWords& words);
    [[nodiscard]] double plain_value(const CodeWord& word, double increment) const;
    /// Where an absolute word of such a value brings a joint, rad or mm.
    double turn(std::size_t joint, const CodeWord& word, double value, double offset);
    [[nodiscard]] Turned turned_by_word(std::size_t joint, double value, double offset) const;
    [[nodiscard]] double offset(std::size_t joint);
    /// Of a joint and those aligned with it the one that the block names; `otherwise` where it names none.
    [[nodiscard]] std::size_t named(const BlockWords& words, std::size_t joint, std::size_t otherwise) const;
    [[nodiscard]] bool rotary(std::size_t joint) const { return machine_.joints[joint].kind == JointKind::rotary; }
    void report(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure, double worst = 0);

    const Controller& controller_;
    const Machine& machine_;
    ControlMemory memory_;
    MachineState& machine_state_;
    ControlStart start_;
    bool from_unknown_; ///< now, in a loop
    LineSource& lines_;
    FindingList& findings_;

    std::vector<Happening> happenings_; ///< of the block at hand
    std::size_t told_ = 0;              ///< of them
    std::deque<ReplayMove> moves_;      ///< that they point to
    bool held_ = false;                 ///< the one told last is a wait

    BlockNumber block_;
    std::array<State, group_count> state_;
    std::vector<std::pair<char, std::size_t>> joint_of_; ///< address -> joint
    std::array<TurnReading, max_joints> turns_{};        ///< by joint
    std::vector<std::size_t> positioned_;                ///< joints that may not move in a cut
    std::uint32_t function_letters_ = 0;                 ///< letters that words with a function begin with
    const CodeBlock* open_ = nullptr;                    ///< the block whose motion has been done, and the rest not
    CodeBlock read_;                                     ///< a subprogram's line; kept for its memory, as is
    std::unique_ptr<BlockWords> words_;
    std::unique_ptr<CycleRun> cycle_;             ///< null until a cycle has come
    std::unique_ptr<PlainCuts> plain_;            ///< null where cuts are told one by one
    const WordMeaning* offset_meaning_ = nullptr; ///< whose register is in
    std::vector<double> offsets_;                 ///< by joint
    std::vector<std::vector<SignedJoint>> aligned_;
    std::array<const std::vector<SignedJoint>*, max_joints> summed_{}; ///< by the joint whose word stands for all
    std::size_t length_default_ = SIZE_MAX;                            ///< what lengths and cycles mean by themselves
    std::size_t length_joint_ = SIZE_MAX;                              ///< that the length in force acts on
    std::size_t cycle_joint_ = SIZE_MAX;
    std::array<std::optional<bool>, max_joints> locked_{}; ///< of brakes that the program has words for; nothing: not known
    std::uint32_t braked_ = 0;                             ///< joints with such a brake, a bit each
    double waited_ = 0;                                    ///< s, for brakes since the last motion
    std::unique_ptr<TipWords> tip_words_;                  ///< null until a word for a frame has come
    std::optional<Surface> surface_;
    bool has_frames_ = false;                ///< the control knows words for them
    std::array<double, max_joints> shift_{}; ///< mm or rad, by joint
    std::uint32_t shifted_ = 0;              ///< joints with one, a bit each
    std::optional<TurnedPlane> turned_;
    bool has_turns_ = false;    ///< the control knows words for them
    std::optional<Call> call_;  ///< of the block at hand
    BlockNumber line_;          ///< of the file
    BlockNumber called_by_;     ///< 0: in the program itself
    std::vector<Called> calls_; ///< the innermost last
    std::uint64_t called_lines_ = 0;
    bool returned_ = false; ///< the subprogram at hand has ended
    bool library_ = false;  ///< the file has come to its subprograms
    Operator operator_;
    std::uint32_t mount_ = 0;
    bool takes_mounts_ = false;
    bool mount_said_ = false;
    bool mount_known_ = true;    ///< false: the control takes mounts by words, and none has said which is on
    bool length_beside_ = false; ///< a length register would act beside the tool
    Readings& now_;              ///< of the machine's state
    std::uint32_t known_ = 0;    ///< joints that the program itself has brought somewhere, a bit each
    std::uint32_t all_known_ = 0;
    double unit_ = 1;            // mm per program length unit
    std::optional<double> feed_; // in the mode's own unit: mm/s, mm/rev, 1/s
    double feed_precision_ = 0;
    std::optional<double> spindle_rpm_;
    record::SpindleState spindle_ = record::SpindleState::off;
    record::CoolantState coolant_ = record::CoolantState::off;
    std::uint32_t selected_tool_ = 0;
    std::uint32_t tool_ = 0;
    double tool_length_ = 0;
    double length_shift_ = 0;
    double initial_level_ = 0;
    std::optional<double> cycle_clearance_;
    std::optional<double> cycle_bottom_;
    std::optional<double> cycle_step_;
    double cycle_dwell_ = 0;
    bool changed_ = false; // the block did something
    bool ended_ = false;
    BlockNumber loop_;             // that began the loop that is on; 0: none
    bool unknown_outside_ = false; // from_unknown_ as it is outside the loop
};

} // namespace wexilum
