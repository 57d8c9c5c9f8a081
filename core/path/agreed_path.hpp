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

/// A toolpath's records with the leans their operations allow. Within the allowance of a pole the tool axis stands in the pole; from
/// there to twice the allowance it comes back to its own direction, so that it departs by no more than the allowance anywhere. A move
/// that passes a pole within the allowance while both its ends are further away gets a record in the pole.
class AgreedRecords final : public RecordSource {
public:
    /// Both must outlive the source. Precondition: a linked task.
    AgreedRecords(const Task& task, RecordSource& records);
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;
    [[nodiscard]] const std::vector<std::string>& files() const override { return records_.files(); }
    /// One entry an operation that leant, for the records read so far.
    [[nodiscard]] const std::vector<LeanReport>& leans() const { return leans_; }
    /// The same for tools that can't turn, and the directions that they can't have.
    [[nodiscard]] const std::vector<LeanReport>& departures() const { return departures_; }
    [[nodiscard]] const FindingList& findings() const { return findings_; }

private:
    [[nodiscard]] bool may_lean() const { return allowance_ > 0 && solver_->rotary().size() == 2; }
    void follow_posture(Record& out);
    void stand();
    void lean(Record& record);
    void note(std::vector<LeanReport>& list, const Source& source, double departure);

    const Task& task_;
    RecordSource& records_;
    PostureFollower postures_;
    const InverseSolver* solver_ = nullptr; ///< of the posture in force
    Vec3 pole_ = Vec3::UnitZ();             ///< part's frame
    bool fresh_ = true;                     ///< the next motion is a link, whatever it says
    std::size_t index_ = 0;
    std::size_t operations_ = 0;
    double allowance_ = 0;
    std::optional<Pose> asked_; ///< where the toolpath stands
    std::deque<Record> ready_;
    std::string operation_;
    std::vector<LeanReport> leans_;
    std::vector<LeanReport> departures_;
    FindingList findings_;
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
