// A file system for tests: the real one with some files replaced in memory; writes stay in memory.
#pragma once

#include "core/io/real_files.hpp"

#include <map>

namespace wexilum::test {

class OverlayFiles final : public FileSystem {
public:
    std::map<std::string, std::string> replaced; ///< path -> text
    std::map<std::string, std::string> written;

    [[nodiscard]] Result<std::string> read_all(const std::string& path, std::size_t limit) const override;
    [[nodiscard]] Result<std::unique_ptr<ByteSource>> open(const std::string& path) const override;
    [[nodiscard]] std::unique_ptr<NewFiles> begin_files() override;
    Status remove(const std::vector<std::string>& paths) override;
    [[nodiscard]] std::vector<std::string> list(const std::string& folder, const std::string& suffix) const override;

private:
    RealFileSystem real_;
};

} // namespace wexilum::test
