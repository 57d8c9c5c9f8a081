// Reads toolpath lines: JSON, one record a line. Described in docs/formats/wtp.md.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/record_source.hpp"

#include <memory>
#include <string>
#include <vector>

namespace wexilum {

/// Streams records out of one file of toolpath lines. Lengths come out in mm whatever its units say.
class WtpReader final : public RecordReader {
public:
    /// `file_name` is used in error places only; `file_index` goes into each record's Source. The source must outlive the reader.
    WtpReader(ByteSource& source, std::string file_name, std::uint32_t file_index);
    ~WtpReader() override;
    WtpReader(const WtpReader&) = delete;
    WtpReader& operator=(const WtpReader&) = delete;
    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;

    /// The records that the reader knows; the documentation and the schema are tested against them.
    [[nodiscard]] static std::vector<std::string> records();

private:
    struct State;
    std::unique_ptr<State> state_;
};

} // namespace wexilum
