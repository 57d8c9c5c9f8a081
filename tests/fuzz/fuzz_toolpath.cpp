// Feeds bytes to a reader of toolpaths (WEXILUM_FORMAT, its extension), in pieces of changing size, record by record and in runs; puts
// every record aside and takes it back; and writes them in each format and reads them again.
#include "core/toolpath/record_spool.hpp"
#include "core/toolpath/toolpath_formats.hpp"

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstdlib>

using namespace wexilum;

namespace {

/// Gives a text out in pieces, so that lines fall across their borders.
class InPieces final : public ByteSource {
public:
    explicit InPieces(std::string_view text) : rest_(text) {}
    Result<std::size_t> read(std::span<char> buffer) override
    {
        const std::size_t count = std::min({rest_.size(), buffer.size(), std::size_t(1 + piece_++ % 97)});
        std::copy_n(rest_.data(), count, buffer.data());
        rest_.remove_prefix(count);
        return count;
    }

private:
    std::string_view rest_;
    std::size_t piece_ = 0;
};

bool same(const Record& a, const Record& b)
{
    const Pose* one = end_pose(a.data);
    const Pose* other = end_pose(b.data);
    return a.data.index() == b.data.index() && a.source == b.source && (one == nullptr) == (other == nullptr) &&
           (one == nullptr || (one->tip == other->tip && one->axis == other->axis));
}

const ToolpathFormat& format() { return *toolpath_format_of(WEXILUM_FORMAT); }

/// The records of a source, one by one; none where that fails.
Status read_all(const ToolpathFormat& with, ByteSource& source, std::vector<Record>& out)
{
    const auto reader = with.reader(source, "x", 0);
    const Status status = each_record(*reader, [&](Record&& record) { out.push_back(std::move(record)); });
    if (!status) {
        out.clear();
    }
    return status;
}

/// Every format reads what it has written, as the same motions.
void write_and_read(const std::vector<Record>& records)
{
    for (const ToolpathFormat& one : toolpath_formats()) {
        MemorySpool spool;
        SpoolSink sink(spool);
        const auto writer = one.writer(sink);
        std::vector<Record> kept;
        bool whole = true;
        for (const Record& record : records) {
            const auto put = writer->put(record);
            whole = whole && put.ok();
            if (put.ok() && *put) {
                kept.push_back(record);
            }
        }
        SpoolSource source(spool);
        std::vector<Record> back;
        if (!writer->finish() || !whole || std::string_view(one.extension) == ".csv") {
            continue; // a table has straight cuts alone
        }
        if (!read_all(one, source, back) || back.size() != kept.size()) {
            std::abort();
        }
        for (std::size_t i = 0; i < back.size(); ++i) {
            const Pose* was = end_pose(kept[i].data);
            const Pose* is = end_pose(back[i].data);
            if (back[i].data.index() != kept[i].data.index() ||
                (was != nullptr && (was->tip != is->tip || !was->axis.isApprox(is->axis, 1e-15)))) {
                std::abort();
            }
        }
    }
}

/// The records of a source, as many at once as it has at hand.
Status read_runs(ByteSource& source, std::vector<Record>& out, RecordSpoolWriter& spool)
{
    const auto reader = format().reader(source, "x", 0);
    LinearRun run;
    for (Record record;;) {
        if (reader->next_run(run)) {
            spool.put(run);
            for (std::size_t i = 0; i < run.count; ++i) {
                run.get(i, record);
                out.push_back(record);
            }
            continue;
        }
        const auto more = reader->next(record);
        if (!more || !*more) {
            return more ? Status() : Status(more.error());
        }
        spool.put(record);
        out.push_back(record);
    }
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    std::vector<Record> at_once;
    TextSource whole(text);
    const Status status = read_all(format(), whole, at_once);
    std::vector<Record> in_pieces;
    InPieces pieces(text);
    const Status other = read_all(format(), pieces, in_pieces);
    if (status.ok() != other.ok() || at_once.size() != in_pieces.size() ||
        (!status.ok() && (status.error().text() != other.error().text() || status.error().cure.empty()))) {
        std::abort(); // the reader must not depend on how the bytes arrive
    }
    write_and_read(at_once);
    MemorySpool spool;
    RecordSpoolWriter writer(spool);
    std::vector<Record> runs;
    InPieces again(text);
    const Status third = read_runs(again, runs, writer);
    (void)writer.flush();
    // One that ends with an error keeps nothing.
    if (third.ok() != status.ok() || (status.ok() && !std::equal(runs.begin(), runs.end(), at_once.begin(), at_once.end(), same)) ||
        (!status.ok() && third.error().text() != status.error().text())) {
        std::abort(); // nor on how many records are asked for at once
    }
    RecordSpoolReader reader(spool);
    Record back;
    for (const Record& record : runs) {
        if (!reader.next(back) || !same(back, record)) {
            std::abort();
        }
    }
    return 0;
}
