// Feeds bytes to the CL reader, in pieces of changing size, and puts every record aside and takes it back.
#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/record_spool.hpp"

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
    for (const Record& record : at_once.records) {
        writer.put(record);
    }
    (void)writer.flush();
    RecordSpoolReader reader(spool);
    Record back;
    for (const Record& record : at_once.records) {
        if (!reader.next(back) || back.data.index() != record.data.index() || !(back.source == record.source)) {
            std::abort();
        }
    }
    return 0;
}
