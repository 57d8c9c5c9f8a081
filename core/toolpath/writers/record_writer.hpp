// Records going out into a toolpath file, whatever its format.
#pragma once

#include "core/base/result.hpp"
#include "core/toolpath/record.hpp"

#include <cmath>

namespace wexilum {

class RecordWriter {
public:
    virtual ~RecordWriter() = default;
    /// Writes a record behind those before it, with numbers that read as the same bits. False where the format has no form for it: nothing
    /// is written, and the path of those that are is what it was. An error where leaving it out would change the path, or of the sink.
    virtual Result<bool> put(const Record& record) = 0;
    /// Writes what is to be behind the last record.
    virtual Status finish() { return {}; }
};

/// A value a minute that comes back as the same bits when it is read: of one a second. The one with few decimals where that does.
[[nodiscard]] inline double a_minute(double a_second)
{
    const double value = a_second * 60;
    for (const double near : {std::round(value * 1e6) / 1e6, value, std::nextafter(value, -HUGE_VAL), std::nextafter(value, HUGE_VAL)}) {
        if (near / 60 == a_second) {
            return near;
        }
    }
    return value;
}

} // namespace wexilum
