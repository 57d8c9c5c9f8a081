// The real files and the real clock: the only place in the core that touches them.
#pragma once

#include "core/base/world.hpp"

namespace wexilum {

class RealFileSystem final : public FileSystem {
public:
    [[nodiscard]] Result<std::string> read_all(const std::string& path, std::size_t limit) const override;
    [[nodiscard]] Result<std::unique_ptr<ByteSource>> open(const std::string& path) const override;
    Status replace(const std::vector<NewFile>& files) override;
    Status remove(const std::vector<std::string>& paths) override;
    [[nodiscard]] std::vector<std::string> list(const std::string& folder, const std::string& suffix) const override;
};

class SteadyClock final : public Clock {
public:
    [[nodiscard]] double seconds() const override;
};

} // namespace wexilum
