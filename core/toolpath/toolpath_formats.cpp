#include "core/toolpath/toolpath_formats.hpp"

#include "core/toolpath/pose_table.hpp"
#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/readers/wtp_reader.hpp"
#include "core/toolpath/writers/cl_writer.hpp"
#include "core/toolpath/writers/wtp_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <vector>

namespace wexilum {
namespace {

template <typename Reader>
std::unique_ptr<RecordReader> read_with(ByteSource& source, std::string file_name, std::uint32_t file_index)
{
    return std::make_unique<Reader>(source, std::move(file_name), file_index);
}

template <typename Writer>
std::unique_ptr<RecordWriter> write_with(ByteSink& sink)
{
    return std::make_unique<Writer>(sink);
}

constexpr std::array<ToolpathFormat, 3> formats{{{".cl", read_with<ClReader>, write_with<ClWriter>, true, false},
                                                 {".wtp", read_with<WtpReader>, write_with<WtpWriter>, true, true},
                                                 {".csv", read_with<PoseTableReader>, write_with<PoseTableWriter>, false, false}}};

Error no_format(const std::string& path)
{
    std::vector<std::string> known;
    for (const ToolpathFormat& format : formats) {
        known.emplace_back(format.extension);
    }
    return wrong_value({path, 0, 0}, "the extension is that of no toolpath format", fmt::format("use {}", fmt::join(known, ", ")));
}

} // namespace

std::span<const ToolpathFormat> toolpath_formats() { return formats; }

const ToolpathFormat* toolpath_format_of(std::string_view path)
{
    const auto found =
        std::find_if(formats.begin(), formats.end(), [&](const ToolpathFormat& format) { return path.ends_with(format.extension); });
    return found == formats.end() ? nullptr : found;
}

std::unique_ptr<RecordReader> open_toolpath(ByteSource& source, const std::string& file_name, std::uint32_t file_index)
{
    const ToolpathFormat* format = toolpath_format_of(file_name);
    return (format != nullptr && format->in_jobs ? *format : formats.front()).reader(source, file_name, file_index);
}

Result<Converted> convert_toolpath(FileSystem& files, const std::string& from, const std::string& to)
{
    const ToolpathFormat* read = toolpath_format_of(from);
    const ToolpathFormat* write = toolpath_format_of(to);
    if (read == nullptr || write == nullptr) {
        return no_format(read == nullptr ? from : to);
    }
    auto source = files.open(from);
    if (!source) {
        return source.error();
    }
    if (files.open(to)) {
        return wrong_value({to, 0, 0}, "the file is there already", "give another name, or remove it first");
    }
    auto created = files.begin_files();
    auto sink = created->add(to);
    if (!sink) {
        return sink.error();
    }
    const auto reader = read->reader(**source, from, 0);
    const auto writer = write->writer(**sink);
    Converted out;
    const auto write_all = [&]() -> Status {
        Record record;
        for (;;) {
            const auto more = reader->next(record);
            if (!more || !*more) {
                return more ? Status() : Status(more.error());
            }
            auto written = writer->put(record);
            if (!written) {
                Error error = written.error();
                if (error.place.file.empty()) {
                    error.place = {from, record.source.line.value, 0};
                }
                return error;
            }
            const auto* linear = std::get_if<record::Linear>(&record.data);
            if (linear != nullptr && !linear->surface.isZero() && !write->has_surfaces) {
                ++out.left_out["normal of a surface"];
            }
            if (*written) {
                ++out.records;
            } else {
                ++out.left_out[record_kinds[record.data.index()].event];
            }
        }
    };
    Status status = write_all();
    status = status ? writer->finish() : status;
    status = status ? created->commit() : status;
    return status ? Result<Converted>(std::move(out)) : Result<Converted>(status.error());
}

} // namespace wexilum
