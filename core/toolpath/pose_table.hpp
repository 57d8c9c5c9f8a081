// Poses as a table of numbers, x,y,z,i,j,k: tips in mm and unit vectors from tip to holder. Described in docs/formats/csv.md.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/readers/csv_reader.hpp"
#include "core/toolpath/record_source.hpp"
#include "core/toolpath/writers/record_writer.hpp"

#include <optional>
#include <string>

namespace wexilum {

/// Reads each row as a straight cut to its pose.
class PoseTableReader final : public RecordReader {
public:
    /// As ClReader.
    PoseTableReader(ByteSource& source, std::string file_name, std::uint32_t file_index)
        : source_(source), file_name_(std::move(file_name)), file_index_(file_index)
    {}
    Result<bool> next(Record& out) override;

private:
    ByteSource& source_;
    std::string file_name_;
    std::uint32_t file_index_;
    std::optional<NumberTable> table_;
    std::size_t at_ = 0; ///< row
};

/// Writes the ends of rapids and straight cuts.
class PoseTableWriter final : public TextRecordWriter {
public:
    /// The sink must outlive the writer.
    explicit PoseTableWriter(ByteSink& sink) : TextRecordWriter(sink, "x,y,z,i,j,k\n") {}
    /// No form has what moves nothing, nor a stated position. An arc or a cycle is an Error: without it the path would be another one.
    Result<bool> put(const Record& record) override;
};

} // namespace wexilum
