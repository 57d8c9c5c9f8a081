// Questions about results: why a block is as it is, what an expression is worth at a record. Answered in the background; a later question
// of a kind replaces an earlier one.
#pragma once

#include "app/models/background.hpp"
#include "app/models/job_results.hpp"

namespace wexilum {
struct BlockTrace;
struct ControlState;
} // namespace wexilum

namespace wexilum::app {

class Questions final : public QObject {
    Q_OBJECT
public:
    explicit Questions(QObject* parent = nullptr) : QObject(parent), blocks_(*this), values_(*this) {}

    /// Why a block (from 1) is as it is: answered by traced(), or by state_answered() for a program that is read by itself. `results` may
    /// be null; `folder`: of the project.
    void ask(const std::shared_ptr<const JobResults>& results, const QString& folder, std::uint32_t block);
    /// What an expression of Lua is at a record: answered by evaluated().
    void evaluate(const std::shared_ptr<const JobResults>& results, const QString& folder, std::uint32_t record, const QString& expression);

Q_SIGNALS:
    void traced(const std::shared_ptr<const BlockTrace>& trace);
    void state_answered(std::uint32_t block, const std::shared_ptr<const ControlState>& state); ///< null: the program does not come to it
    void evaluated(const QString& text, bool fine);

private:
    void ask_state(const std::shared_ptr<const JobResults>& results, std::uint32_t block);

    Background blocks_;
    Background values_;
};

} // namespace wexilum::app
