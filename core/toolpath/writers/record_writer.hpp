// Records going out into a toolpath file, whatever its format.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"
#include "core/toolpath/record.hpp"

#include <cmath>
#include <string>
#include <utility>

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

/// A file of text that begins with a head, whether there are records or not.
class TextRecordWriter : public RecordWriter {
public:
    Status finish() final { return begin(); }

protected:
    /// The sink must outlive the writer.
    TextRecordWriter(ByteSink& sink, std::string head) : sink_(sink), head_(std::move(head)) {}
    /// Writes the text of a record.
    Result<bool> write(const std::string& text)
    {
        Status status = begin();
        status = status ? sink_.write(text) : status;
        return status ? Result<bool>(true) : Result<bool>(status.error());
    }

private:
    Status begin() { return std::exchange(begun_, true) ? Status() : sink_.write(head_); }

    ByteSink& sink_;
    std::string head_;
    bool begun_ = false;
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
