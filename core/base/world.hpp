// The world behind interfaces. core/io holds the only implementations that touch real files and clocks.
#pragma once

#include "core/base/result.hpp"

#include <cstddef>
#include <memory>
#include <span>
#include <string>
#include <string_view>
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

/// Files as the project code sees them. Paths are UTF-8, absolute or relative to wherever the implementation stands.
class FileSystem {
public:
    virtual ~FileSystem() = default;
    /// The whole file; an error of kind `unreadable` if it is missing, a folder, or larger than `limit` bytes.
    [[nodiscard]] virtual Result<std::string> read_all(const std::string& path, std::size_t limit) const = 0;
    [[nodiscard]] virtual Result<std::unique_ptr<ByteSource>> open(const std::string& path) const = 0;
    struct NewFile {
        std::string path;
        std::string text;
    };
    /// Writes a set of files as a whole: all under temporary names first, then renamed; on failure nothing of the set
    /// stays and what stood under the names before is untouched. Missing folders are made.
    virtual Status replace(const std::vector<NewFile>& files) = 0;
    /// Takes files away; a file that is not there is no error.
    virtual Status remove(const std::vector<std::string>& paths) = 0;
    /// Names (no folders) of the files in a folder that end with `suffix`, sorted; empty where the folder can't be read.
    [[nodiscard]] virtual std::vector<std::string> list(const std::string& folder, const std::string& suffix) const = 0;
};

/// Seconds since an arbitrary start, never going back.
class Clock {
public:
    virtual ~Clock() = default;
    [[nodiscard]] virtual double seconds() const = 0;
};

} // namespace wexilum
