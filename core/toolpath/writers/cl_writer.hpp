// Writes CL data text, as docs/formats/cl.md describes it.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/writers/record_writer.hpp"

#include <optional>

namespace wexilum {

class ClWriter final : public TextRecordWriter {
public:
    /// The sink must outlive the writer.
    explicit ClWriter(ByteSink& sink) : TextRecordWriter(sink, "UNITS/MM\nMULTAX/ON\n") {}
    /// No form have records that only the arrangement of a job makes, operations, what a reader of another format has not known, and texts
    /// that the words of CL can't hold.
    Result<bool> put(const Record& record) override;
};

} // namespace wexilum
