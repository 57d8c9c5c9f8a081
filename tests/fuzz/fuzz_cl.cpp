// Feeds bytes to the CL reader, in pieces of changing size, record by record and in runs, and puts every record aside and takes it back.
#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/record_spool.hpp"

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

/// The records of a source, as many at once as it has at hand.
Status read_runs(ByteSource& source, std::vector<Record>& out, RecordSpoolWriter& spool)
{
    ClReader reader(source, "x.cl", 0);
    LinearRun run;
    for (Record record;;) {
        if (reader.next_run(run)) {
            spool.put(run);
            for (std::size_t i = 0; i < run.count; ++i) {
                run.get(i, record);
                out.push_back(record);
            }
            continue;
        }
        const auto more = reader.next(record);
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
    Toolpath at_once;
    TextSource whole(text);
    const Status status = read_cl(whole, "x.cl", at_once);
    Toolpath in_pieces;
    InPieces pieces(text);
    const Status other = read_cl(pieces, "x.cl", in_pieces);
    if (status.ok() != other.ok() || at_once.records.size() != in_pieces.records.size() ||
        (!status.ok() && (status.error().text() != other.error().text() || status.error().cure.empty()))) {
        std::abort(); // the reader must not depend on how the bytes arrive
    }
    MemorySpool spool;
    RecordSpoolWriter writer(spool);
    std::vector<Record> runs;
    InPieces again(text);
    const Status third = read_runs(again, runs, writer);
    (void)writer.flush();
    // One that ends with an error keeps nothing.
    if (third.ok() != status.ok() ||
        (status.ok() && !std::equal(runs.begin(), runs.end(), at_once.records.begin(), at_once.records.end(), same)) ||
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
