// The agreed path: the toolpath with the departures that its operations allow. Code is written for it and compared with it.
//
// Three kinds. A tool that can't turn (a head that is fixed or set by hand) departs from a direction by as much as its operation allows;
// with it come the changes of posture, which no toolpath states. A *lean* follows from the toolpath alone: the tool axis is led through a
// pole that it would pass nearby. An *excursion* (the tool lifted at a pole, or retracted to change its rotary joints) follows from the
// choice over the whole path.
#pragma once

#include "core/base/finding.hpp"
#include "core/path/excursion.hpp"
#include "core/task/postures.hpp"
#include "core/task/task.hpp"
#include "core/toolpath/record_source.hpp"

#include <deque>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// How far an operation's tool leans away from its toolpath.
struct LeanReport {
    std::string operation;
    std::size_t records = 0; ///< that lean
    double most = 0;         ///< rad
    Source first;
};

/// Reports of one sort, an entry for each operation that has any.
class LeanReports {
public:
    void begin_operation(const record::Operation& operation) { operation_ = operation.id + " " + operation.name; }
    /// `departure`: rad; next to nothing is none.
    void note(const Source& source, double departure);
    [[nodiscard]] const std::vector<LeanReport>& list() const { return list_; }

private:
    std::string operation_;
    std::vector<LeanReport> list_;
};

/// Changes records on their way. Each has to say when it leaves straight cuts as they are, and only where all do, runs of cuts pass.
class RecordEdit {
public:
    RecordEdit() = default;
    virtual ~RecordEdit() = default;
    RecordEdit(const RecordEdit&) = delete;
    RecordEdit& operator=(const RecordEdit&) = delete;

    /// Whether straight cuts that come next pass as they are, with nothing between them.
    [[nodiscard]] virtual bool leaves_cuts() const = 0;
    /// Adds what becomes of a record to `out`.
    virtual void edit(Record record, std::deque<Record>& out) = 0;
};

/// Puts changes of posture between records, and turns directions that a tool can't have by what its operation allows.
class PostureEdit final : public RecordEdit {
public:
    /// All must outlive the object. `files` are those that sources point into.
    PostureEdit(const Task& task, const std::vector<std::string>& files, FindingList& findings)
        : files_(files), findings_(findings), postures_(task)
    {}
    [[nodiscard]] bool leaves_cuts() const override { return !postures_.any(); }
    void edit(Record record, std::deque<Record>& out) override;
    /// Of the posture in force. Precondition: a change has come.
    [[nodiscard]] const InverseSolver& solver() const { return postures_.solver(); }
    [[nodiscard]] const std::vector<LeanReport>& departures() const { return departures_.list(); }

private:
    [[nodiscard]] std::optional<record::PostureChange> follow(Record& record);

    const std::vector<std::string>& files_;
    FindingList& findings_;
    PostureFollower postures_;
    LeanReports departures_;
    bool fresh_ = true; ///< the next motion is a link, whatever it says
    std::size_t index_ = 0;
    std::size_t operations_ = 0;
};

/// Leans the tool where the path passes a pole. Within the allowance of a pole the tool axis stands in the pole; from there to twice the
/// allowance it comes back to its own direction, so that it departs by no more than the allowance anywhere. A move that passes a pole
/// within the allowance while both its ends are further away gets a record in the pole.
class LeanEdit final : public RecordEdit {
public:
    /// Both must outlive the object.
    LeanEdit(const Task& task, const PostureEdit& postures);
    [[nodiscard]] bool leaves_cuts() const override { return allowance_ <= 0 || !solver_->has_poles(); }
    void edit(Record record, std::deque<Record>& out) override;
    [[nodiscard]] const std::vector<LeanReport>& leans() const { return leans_.list(); }

private:
    void stand();
    void lean(Record& record, Pose& pose, std::deque<Record>& out);
    [[nodiscard]] std::optional<Record> in_the_pole(const Record& record, const Pose& asked, double off);
    [[nodiscard]] Vec3 pole_near(const Vec3& axis) const { return axis.dot(pole_) < 0 ? Vec3(-pole_) : pole_; }

    const Task& task_;
    const PostureEdit& postures_;
    const InverseSolver* solver_; ///< of the posture in force
    Vec3 pole_ = Vec3::UnitZ();   ///< part's frame
    std::size_t operations_ = 0;
    double allowance_ = 0;
    std::optional<Pose> asked_; ///< where the toolpath stands
    LeanReports leans_;
};

/// A toolpath's records with the changes of posture and the leans that their operations take.
class AgreedRecords final : public RecordSource {
public:
    /// Both must outlive the source. Precondition: a linked task.
    AgreedRecords(const Task& task, RecordSource& records);
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;
    [[nodiscard]] const std::vector<std::string>& files() const override { return records_.files(); }
    /// One entry an operation that leant, for the records read so far.
    [[nodiscard]] const std::vector<LeanReport>& leans() const { return lean_.leans(); }
    /// The same for tools that can't turn, and the directions that they can't have.
    [[nodiscard]] const std::vector<LeanReport>& departures() const { return postures_.departures(); }
    [[nodiscard]] const FindingList& findings() const { return findings_; }
    /// Another edit, behind those there are; it must outlive the source. Before the first record.
    void add(RecordEdit& edit) { edits_.push_back(&edit); }

private:
    [[nodiscard]] bool leaves_cuts() const;

    RecordSource& records_;
    FindingList findings_;
    PostureEdit postures_;
    LeanEdit lean_;
    std::vector<RecordEdit*> edits_; ///< in the order in which they see records
    std::deque<Record> ready_;
    std::deque<Record> edited_; ///< kept for its memory
};

/// Puts excursions between records, and judges them by the job: motion has to go along the tool from a place of the path and back to it, no
/// further than the operation allows; all else is an error among findings().
class WithExcursions final : public RecordSource {
public:
    /// All must outlive the source; `excursions` are in the order of their records. Precondition: a linked task.
    WithExcursions(const Task& task, RecordSource& records, const std::vector<Excursion>& excursions)
        : task_(task), records_(records), excursions_(excursions)
    {}
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;
    [[nodiscard]] const std::vector<std::string>& files() const override { return records_.files(); }
    /// The record that next() has given last is an excursion's.
    [[nodiscard]] bool inserted() const { return gave_inserted_; }
    [[nodiscard]] const FindingList& findings() const { return findings_; }

private:
    void judge(const Excursion& excursion, const Record* before);
    void pass(const Record& record);

    const Task& task_;
    RecordSource& records_;
    const std::vector<Excursion>& excursions_;
    FindingList findings_;
    std::size_t operations_ = 0;
    std::optional<Pose> here_; ///< where the path stands
    bool gave_inserted_ = false;
    std::size_t excursion_ = 0;
    std::size_t inserted_ = 0;
    std::size_t index_ = 0;
    std::optional<Record> held_; ///< the record behind the excursion at hand
};

} // namespace wexilum
