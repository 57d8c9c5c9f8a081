// The agreed path as the replay expects to see it: the toolpath's records with the state each is cut in.
#pragma once

#include "core/geometry/path_piece.hpp"
#include "core/path/agreed_path.hpp"
#include "core/task/postures.hpp"
#include "core/toolpath/arc_piece.hpp"
#include "core/toolpath/cycle.hpp"
#include "core/toolpath/record_source.hpp"

#include <deque>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

struct Expected {
    enum class Kind { rapid, feed, hole, tool_change, dwell, stop, optional_stop, by_hand };
    Kind kind = Kind::rapid;
    PathPiece piece;                  ///< part's frame. rapid and hole: only `to` counts
    Vec3 surface_from = Vec3::Zero(); ///< feed: normals at the piece's ends, as record::Linear::surface
    Vec3 surface_to = Vec3::Zero();
    bool start_known = true; ///< feed: false where the path does not say where it comes from
    bool may_feed = false;   ///< rapid: the path only has a cut that ends there, and not where it comes from
    bool added = false;      ///< the run has put it between the toolpath's records
    CyclePlan plan;          ///< hole
    FeedMode feed_mode = FeedMode::per_minute;
    double feed = 0;        ///< mm/s, mm/rev, 1/s
    std::uint32_t tool = 0; ///< in force; of a tool_change: the new one
    double tool_length = 0;
    record::SpindleState spindle = record::SpindleState::off;
    double spindle_rpm = 0;
    record::CoolantState coolant = record::CoolantState::off;
    double dwell = 0;                      ///< s
    const InverseSolver* solver = nullptr; ///< of the posture in force; lives as long as the path
    const Posture* posture = nullptr;      ///< likewise; null where the job has none
    std::size_t operations = 0;            ///< that have begun
    std::size_t record = 0;                ///< index in the assembly's toolpath
    Source source;

    /// Seconds that `length` mm of this cut should take; 0 where the feed does not say.
    [[nodiscard]] double seconds(double length, double whole_length) const
    {
        switch (feed_mode) {
        case FeedMode::per_minute: return feed > 0 ? length / feed : 0;
        case FeedMode::per_revolution: return feed > 0 && spindle_rpm > 0 ? length / (feed * spindle_rpm / 60) : 0;
        case FeedMode::inverse_time: return feed > 0 && whole_length > 0 ? length / whole_length / feed : 0;
        }
        return 0;
    }
};

/// The expected path as a window over a stream of records: items are numbered from 0, made when they are asked for, and gone when they
/// are passed.
class ExpectedPath {
public:
    /// Both must outlive the path.
    ExpectedPath(const Task& task, WithExcursions& records) : task_(task), records_(records), solvers_(task)
    {
        state_.solver = &*task.solver;
    }

    /// Item `index`; nullptr behind the last. The pointer lives until the item is passed. Precondition: not passed yet.
    [[nodiscard]] const Expected* at(std::size_t index)
    {
        if (index == first_ && !window_.empty()) {
            return &window_.front(); // mostly
        }
        while (index - first_ >= window_.size()) {
            if (!read_more()) {
                return nullptr;
            }
        }
        return &window_[index - first_];
    }
    /// Cuts that come next where no item has been made of them.
    struct Cuts {
        const LinearRun* run; ///< of them, those from `at` to before `end`
        std::size_t at;
        std::size_t end;
        Pose from;             ///< where the first of them begins
        const Expected* state; ///< of them all; not its piece, record and source
    };
    /// They live until anything else is called. Precondition: every item that has been made is passed, or nothing comes of it.
    [[nodiscard]] std::optional<Cuts> cuts();
    /// The next `count` of those that cuts() has given are passed.
    void pass_cuts(std::size_t count);
    /// Items before `index` are not asked for again.
    void pass(std::size_t index)
    {
        for (; first_ < index && !window_.empty(); ++first_) {
            window_.pop_front();
        }
    }
    [[nodiscard]] const std::vector<std::string>& files() const { return records_.files(); }
    /// An error of the source; the path then ends where it happened.
    [[nodiscard]] const Status& status() const { return status_; }

private:
    [[nodiscard]] bool run_comes();
    bool read_more();
    Expected& add(Expected::Kind kind);
    void motion(Expected::Kind kind, const PathPiece& piece);

    void on(const record::From&) {} // only says where the tool is thought to stand
    void on(const record::Rapid& r);
    void on(const record::Linear& r);
    template <Curve T>
    void on(const T& r);
    void on(const record::CycleStart& r);
    void on(const record::CyclePoint& r);
    void on(const record::CycleEnd&) { plan_.reset(); }
    void on(const record::ToolChange& r);
    void on(const record::Feed& r);
    void on(const record::Spindle& r);
    void on(const record::Coolant& r) { state_.coolant = r.state; }
    void on(const record::Stop&) { add(Expected::Kind::stop); }
    void on(const record::OptionalStop&) { add(Expected::Kind::optional_stop); }
    void on(const record::Dwell& r);
    void on(const record::PostureChange& r);
    void on(const record::Operation&) { ++state_.operations; }
    template <typename T>
    void on(const T&) // names, comments, inserted text, unknown words: nothing that moves
    {}

    const Task& task_;
    WithExcursions& records_;
    SolverBook solvers_;
    std::deque<Expected> window_;
    std::size_t first_ = 0; ///< number of the window's first item
    Status status_;
    bool ended_ = false;
    Record record_;
    bool added_ = false; ///< the record at hand is an excursion's
    LinearRun run_;      ///< cuts that come next
    std::size_t run_at_ = 0;
    std::size_t index_ = 0;
    Expected state_;
    std::optional<Pose> here_;
    Vec3 surface_ = Vec3::Zero(); ///< normal where the last cut ended
    std::optional<CyclePlan> plan_;
    double cycle_feed_ = 0;
    double cycle_per_rev_ = 0;
};

} // namespace wexilum
