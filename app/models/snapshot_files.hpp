// The project's files as one run sees them: those open in the window as they stand there, everything else as it is on the disk, each
// read once, so that a run never sees two versions of a file.
#pragma once

#include "core/io/real_files.hpp"

#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace wexilum::app {

/// Texts of files on the disk, kept from run to run as long as they stand there unchanged. Safe from several threads.
class KeptTexts {
public:
    struct Kept {
        std::shared_ptr<const std::string> text;
        std::uint64_t number = 0; ///< the same for the same text, from 1
    };
    /// Reads a file, or gives what was read before.
    [[nodiscard]] Result<Kept> text(const std::string& path);

private:
    struct Entry {
        Kept kept;
        std::filesystem::file_time_type changed;
    };
    RealFileSystem real_;
    std::mutex mutex_;
    std::map<std::string, Entry> entries_;
    std::uint64_t last_number_ = 0;
};

class SnapshotFiles final : public FileSystem {
public:
    using Texts = std::map<std::string, std::shared_ptr<const std::string>>;
    /// `open`: path -> text of what is open in the window. `kept` may be null.
    explicit SnapshotFiles(Texts open, std::shared_ptr<KeptTexts> kept = nullptr)
        : kept_(kept ? std::move(kept) : std::make_shared<KeptTexts>()), texts_(std::move(open))
    {}

    [[nodiscard]] Result<std::string> read_all(const std::string& path, std::size_t limit) const override;
    [[nodiscard]] Result<std::unique_ptr<ByteSource>> open(const std::string& path) const override;
    /// Nothing is written through a snapshot.
    [[nodiscard]] std::unique_ptr<NewFiles> begin_files() override;
    Status remove(const std::vector<std::string>& paths) override;
    [[nodiscard]] std::vector<std::string> list(const std::string& folder, const std::string& suffix) const override;
    [[nodiscard]] std::optional<std::uint64_t> known_content(const std::string& path) const override;

    /// The file's text, shared. Safe from several threads.
    [[nodiscard]] Result<std::shared_ptr<const std::string>> text(const std::string& path) const;
    /// Paths of all files read so far, whether they could be or not.
    [[nodiscard]] std::vector<std::string> asked_for() const;

private:
    RealFileSystem real_;
    std::shared_ptr<KeptTexts> kept_;
    mutable std::mutex mutex_;
    mutable Texts texts_;
    mutable std::map<std::string, std::uint64_t> numbers_; ///< of texts from the disk
    mutable std::vector<std::string> asked_for_;
};

} // namespace wexilum::app
