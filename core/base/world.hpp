// The world behind interfaces. core/io holds the only implementations that touch real files and clocks.
#pragma once

#include "core/base/result.hpp"

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

namespace wexilum {

/// A stream of bytes, read once from front to back.
class ByteSource {
public:
    virtual ~ByteSource() = default;
    /// Fills up to buffer.size() bytes and returns how many; 0 means the end. After an error the source stays at its end.
    virtual Result<std::size_t> read(std::span<char> buffer) = 0;
};

/// Text in memory as a ByteSource; the text must outlive the source.
class TextSource final : public ByteSource {
public:
    explicit TextSource(std::string_view text) : rest_(text) {}
    Result<std::size_t> read(std::span<char> buffer) override;

private:
    std::string_view rest_;
};

/// A stream of bytes going out.
class ByteSink {
public:
    virtual ~ByteSink() = default;
    virtual Status write(std::string_view bytes) = 0;
};

/// A set of files being written, complete or not there at all: they carry temporary names until commit() gives all of them their
/// own. Without commit() nothing of them stays, and what stood under the names before is untouched.
class NewFiles {
public:
    virtual ~NewFiles() = default;
    /// Begins a file; its folder is made where missing. A link is followed; an error where something stands there that is not a plain file.
    /// The sink lives as long as the set, and is written before the next add().
    virtual Result<ByteSink*> add(const std::string& path) = 0;
    /// Once this has succeeded the files are on the disk and under their names, so that no power cut loses them. After an error, or a cut
    /// on the way, either all of the set stands there or what stood there before.
    virtual Status commit() = 0;
};

/// Files as the project code sees them. Paths are UTF-8, absolute or relative to wherever the implementation stands.
class FileSystem {
public:
    virtual ~FileSystem() = default;
    /// The whole file; an error of kind `unreadable` if it is missing, a folder, or larger than `limit` bytes.
    [[nodiscard]] virtual Result<std::string> read_all(const std::string& path, std::size_t limit) const = 0;
    [[nodiscard]] virtual Result<std::unique_ptr<ByteSource>> open(const std::string& path) const = 0;
    [[nodiscard]] virtual std::unique_ptr<NewFiles> begin_files() = 0;
    /// Removes files, following links; a file that is not there is no error, anything else than a plain file is one and stays.
    virtual Status remove(const std::vector<std::string>& paths) = 0;
    /// Names (no folders) of the files in a folder that end with `suffix`, sorted; empty where the folder can't be read.
    [[nodiscard]] virtual std::vector<std::string> list(const std::string& folder, const std::string& suffix) const = 0;
    /// A number for the bytes of a file, where it is known without reading them: the same number, the same bytes.
    [[nodiscard]] virtual std::optional<std::uint64_t> known_content(const std::string&) const { return std::nullopt; }
};

/// Bytes put aside during a run and read again, in whatever order; gone with the object. Data of unbounded length goes here, so that
/// memory stays flat.
class Spool {
public:
    virtual ~Spool() = default;
    virtual Status append(std::span<const char> bytes) = 0;
    /// Precondition for both: offset + bytes.size() <= size().
    virtual Status read_at(std::uint64_t offset, std::span<char> bytes) = 0;
    virtual Status write_at(std::uint64_t offset, std::span<const char> bytes) = 0;
    [[nodiscard]] virtual std::uint64_t size() const = 0;
};

/// A spool's bytes as a source and as a sink.
class SpoolSource final : public ByteSource {
public:
    explicit SpoolSource(Spool& spool) : spool_(spool) {}
    Result<std::size_t> read(std::span<char> buffer) override;

private:
    Spool& spool_;
    std::uint64_t at_ = 0;
};
class SpoolSink final : public ByteSink {
public:
    explicit SpoolSink(Spool& spool) : spool_(spool) {}
    Status write(std::string_view bytes) override { return spool_.append(std::span(bytes.data(), bytes.size())); }

private:
    Spool& spool_;
};

/// Makes spools.
class Scratch {
public:
    virtual ~Scratch() = default;
    virtual Result<std::unique_ptr<Spool>> spool() = 0;
};

/// A spool in memory, for short runs and tests.
class MemorySpool final : public Spool {
public:
    Status append(std::span<const char> bytes) override;
    Status read_at(std::uint64_t offset, std::span<char> bytes) override;
    Status write_at(std::uint64_t offset, std::span<const char> bytes) override;
    [[nodiscard]] std::uint64_t size() const override { return bytes_.size(); }

private:
    std::vector<char> bytes_;
};

class MemoryScratch final : public Scratch {
public:
    Result<std::unique_ptr<Spool>> spool() override { return std::unique_ptr<Spool>(std::make_unique<MemorySpool>()); }
};

/// Bytes that go to or come from a spool at once.
inline constexpr std::size_t spool_chunk = std::size_t{1} << 18;

/// Reads a spool from front to back in large pieces. After an error every further read gives zeros; ask status() at the end.
class SpoolReader {
public:
    explicit SpoolReader(Spool& spool) : spool_(spool), buffer_(spool_chunk) {}

    [[nodiscard]] bool at_end() const { return at_ == filled_ && offset_ == spool_.size(); }
    /// Precondition: as many bytes are left as were appended with put().
    template <typename T>
    T get()
    {
        static_assert(std::is_trivially_copyable_v<T>);
        T value;
        bytes(reinterpret_cast<char*>(&value), sizeof value);
        return value;
    }
    [[gnu::always_inline]] void bytes(char* to, std::size_t count) // inline, because most counts are known then
    {
        if (filled_ - at_ >= count) {
            std::memcpy(to, buffer_.data() + at_, count);
            at_ += count;
            return;
        }
        refill(to, count);
    }
    /// Passes bytes. Precondition: as many are left.
    void skip(std::size_t count)
    {
        const std::size_t held = std::min(count, filled_ - at_);
        at_ += held;
        offset_ += count - held;
    }
    [[nodiscard]] const Status& status() const { return status_; }

private:
    void refill(char* to, std::size_t count);

    Spool& spool_;
    std::vector<char> buffer_;
    std::size_t at_ = 0;
    std::size_t filled_ = 0;
    std::uint64_t offset_ = 0;
    Status status_;
};

/// Appends to a spool in large pieces. flush() before reading.
class SpoolWriter {
public:
    explicit SpoolWriter(Spool& spool) : spool_(spool), buffer_(limit) {}

    template <typename T>
    void put(const T& value)
    {
        static_assert(std::is_trivially_copyable_v<T>);
        bytes(reinterpret_cast<const char*>(&value), sizeof value);
    }
    [[gnu::always_inline]] void bytes(const char* from, std::size_t count) // inline, because most counts are known then
    {
        if (count > limit - used_ && !make_room(from, count)) {
            return;
        }
        std::memcpy(buffer_.data() + used_, from, count);
        used_ += count;
    }
    /// The first error met since the beginning.
    Status flush();

private:
    /// Flushes; false where even the whole buffer is too small and the bytes have gone to the spool themselves.
    bool make_room(const char* from, std::size_t count);

    static constexpr std::size_t limit = spool_chunk;
    Spool& spool_;
    std::vector<char> buffer_;
    std::size_t used_ = 0;
    Status status_;
};

/// Seconds since an arbitrary start, never going back.
class Clock {
public:
    virtual ~Clock() = default;
    [[nodiscard]] virtual double seconds() const = 0;
};

} // namespace wexilum
