// Reads CL data text: records of ISO 3592, post-processor words of ISO 4343. Each word is described in docs/formats/cl.md.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"
#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/record_source.hpp"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Streams records out of one CL file. Lengths come out in mm whatever UNITS says, tool axes as unit vectors.
class ClReader final : public RecordReader {
public:
    /// `file_name` is used in error places only; `file_index` goes into each record's Source. The source must outlive the reader.
    ClReader(ByteSource& source, std::string file_name, std::uint32_t file_index);
    ~ClReader() override;
    ClReader(const ClReader&) = delete;
    ClReader& operator=(const ClReader&) = delete;

    Result<bool> next(Record& out) override;
    bool next_run(LinearRun& out) override;

    /// Every word the reader knows, sorted; the documentation is tested against it.
    [[nodiscard]] static std::vector<std::string> words();

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Reads a whole source into `into`, adding the file's name to its table. On an error `into` is left as it was.
Status read_cl(ByteSource& source, const std::string& file_name, Toolpath& into);

} // namespace wexilum
