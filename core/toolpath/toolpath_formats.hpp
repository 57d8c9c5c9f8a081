// The formats that toolpaths are read from and written in, by the extension of their files. A new one is a row here.
#pragma once

#include "core/base/world.hpp"
#include "core/toolpath/record_source.hpp"
#include "core/toolpath/writers/record_writer.hpp"

#include <map>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace wexilum {

struct ToolpathFormat {
    const char* extension; ///< ".cl", …
    /// Source and sink must outlive what is made. File name and index: as ClReader.
    std::unique_ptr<RecordReader> (*reader)(ByteSource& source, std::string file_name, std::uint32_t file_index);
    std::unique_ptr<RecordWriter> (*writer)(ByteSink& sink);
    bool in_jobs;      ///< an operation may name such a file
    bool has_surfaces; ///< it says record::Linear::surface
};
[[nodiscard]] std::span<const ToolpathFormat> toolpath_formats();
/// That of a file's name; null: none.
[[nodiscard]] const ToolpathFormat* toolpath_format_of(std::string_view path);
/// What reads a file for a job: by its extension, as CL data text where that says nothing.
[[nodiscard]] std::unique_ptr<RecordReader> open_toolpath(ByteSource& source, const std::string& file_name, std::uint32_t file_index);

/// What came of writing a toolpath in another format.
struct Converted {
    std::size_t records = 0;                     ///< written
    std::map<std::string, std::size_t> left_out; ///< those that the other format has no form for, by kind in words
};
/// Writes the toolpath of one file into another one, which must not be there yet; formats by extension. Record by record, so that memory
/// stays flat but for a table. After an error there is no new file.
Result<Converted> convert_toolpath(FileSystem& files, const std::string& from, const std::string& to);

} // namespace wexilum
