// The state of a run that sections and rules can ask for.
#pragma once

#include "core/dialect/section.hpp"
#include "core/events/path_motion.hpp"
#include "core/events/spindle_and_coolant.hpp"

namespace wexilum {

class RunState {
public:
    /// All must outlive the object.
    RunState(const Assembly& assembly, const WordEmitter& emitter, const RunCourse& course, const SpindleAndCoolant& spindle,
             const PathMotion& path)
        : assembly_(assembly), emitter_(emitter), course_(course), spindle_(spindle), path_(path)
    {}
    [[nodiscard]] expr::Value value(StateName name) const;
    [[nodiscard]] StateValues all() const;

private:
    const Assembly& assembly_;
    const WordEmitter& emitter_;
    const RunCourse& course_;
    const SpindleAndCoolant& spindle_;
    const PathMotion& path_;
};

} // namespace wexilum
