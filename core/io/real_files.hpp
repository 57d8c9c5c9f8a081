// The real files and the real clock: the only place in the core that touches them.
#pragma once

#include "core/base/world.hpp"

namespace wexilum {

class RealFileSystem final : public FileSystem {
public:
    [[nodiscard]] Result<std::string> read_all(const std::string& path, std::size_t limit) const override;
    [[nodiscard]] Result<std::unique_ptr<ByteSource>> open(const std::string& path) const override;
    /// See FileSet for how they are written.
    [[nodiscard]] std::unique_ptr<NewFiles> begin_files() override;
    Status remove(const std::vector<std::string>& paths) override;
    [[nodiscard]] std::vector<std::string> list(const std::string& folder, const std::string& suffix) const override;
    /// Finishes sets of files in a project's folder and its subfolders that a killed program or a power cut has left half done.
    void recover(const std::string& folder);
};

/// Spools in files that have no name any more: they vanish with the process, whatever ends it. They lie in TMPDIR, or /var/tmp.
class FileScratch final : public Scratch {
public:
    Result<std::unique_ptr<Spool>> spool() override;
};

class SteadyClock final : public Clock {
public:
    [[nodiscard]] double seconds() const override;
};

} // namespace wexilum
