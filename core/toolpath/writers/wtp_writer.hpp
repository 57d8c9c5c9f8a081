// Writes toolpath lines: JSON, one record a line. Described in docs/formats/wtp.md.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/writers/record_writer.hpp"

#include <string>

namespace wexilum {

class WtpWriter final : public TextRecordWriter {
public:
    /// The sink must outlive the writer.
    explicit WtpWriter(ByteSink& sink);
    /// No form have records that only the arrangement of a job makes, operations, and texts that are not one line of UTF-8. In a cycle
    /// such a text is an Error.
    Result<bool> put(const Record& record) override;

private:
    std::string axis_ = "[0, 0, 1]"; ///< of the last pose, as it is written
};

} // namespace wexilum
