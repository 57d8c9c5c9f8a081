#include "core/compare/compare_log.hpp"

#include "core/base/units.hpp"
#include "core/path/outline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {

CompareLog::CompareLog(const Machine& machine, const ExpectedPath& path, ReplayReport& report,
                       const std::vector<MotionListener*>& observers)
    : path_(path), report_(report), observers_(observers), set_by_(machine.joints.size())
{}

void CompareLog::begin_file(const std::string& name)
{
    code_file_ = name;
    set_by_.assign(set_by_.size(), BlockNumber());
}

void CompareLog::find(Severity severity, const char* kind, const std::string& subject, std::string message, std::string cure,
                      const Expected* item, BlockNumber block, double worst)
{
    Finding finding = Finding::make(severity, kind, std::move(message), std::move(cure), worst);
    if (item != nullptr) {
        finding.source = place_of(path_.files(), item->source);
    }
    if (block.value != 0) {
        finding.code = {code_file_, block.value, 0};
    }
    report_.findings.add(std::move(finding), subject, block.value != 0 ? block.value : (item != nullptr ? item->record : 0));
}

void CompareLog::note(Measured& measured, const Deviation& deviation, const Budget& budget, const Expected& item, BlockNumber block)
{
    for (MotionListener* observer : observers_) {
        observer->measured(block, deviation, budget);
    }
    measured.tip = std::max(measured.tip, deviation.tip);
    measured.axis = std::max(measured.axis, deviation.axis);
    measured.tip_budget = std::max(measured.tip_budget, budget.tip);
    measured.axis_budget = std::max(measured.axis_budget, budget.axis);
    const double ratio = std::max(deviation.tip / budget.tip, deviation.axis / budget.axis);
    note_worst(ratio, item.source, block);
    if (!fits(deviation, budget)) {
        find(Severity::error, "off-path", "",
             fmt::format("the tool is {:.4f} mm and {:.4f} deg off the path; {:.4f} mm and {:.4f} deg are allowed", deviation.tip,
                         to_deg(deviation.axis), budget.tip, to_deg(budget.axis)),
             "compare this block with its record: a wrong word, sign or offset, or a missing block before it", &item, block, ratio);
    }
}

void CompareLog::note_worst(double ratio, const Source& source, BlockNumber block)
{
    if (ratio > report_.worst_ratio) {
        report_.worst_ratio = ratio;
        report_.worst_source = place_of(path_.files(), source);
        report_.worst_code = {code_file_, block.value, 0};
    }
}

void CompareLog::note_motion(const ReplayMove& move)
{
    for (std::size_t i = 0; i < set_by_.size(); ++i) {
        if (std::abs(move.to[Eigen::Index(i)] - move.from[Eigen::Index(i)]) > 1e-12) {
            set_by_[i] = move.block;
        }
    }
}

void CompareLog::note_cuts(const CutRun& run, std::size_t first, std::size_t end)
{
    for (std::size_t joint = 0; joint < set_by_.size(); ++joint) {
        for (std::size_t i = end; i-- > first;) {
            if (std::abs(run.to[joint][i] - run.from(joint, i)) > 1e-12) {
                set_by_[joint] = run.block[i];
                break;
            }
        }
    }
}

} // namespace wexilum
