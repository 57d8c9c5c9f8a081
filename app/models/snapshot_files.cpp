#include "app/models/snapshot_files.hpp"

#include <chrono>

namespace wexilum::app {
namespace {

constexpr std::size_t most_bytes = std::size_t{2} << 30;
constexpr std::chrono::seconds settled{2};

/// A shared text as a source.
class SharedSource final : public ByteSource {
public:
    explicit SharedSource(std::shared_ptr<const std::string> text) : text_(std::move(text)), source_(*text_) {}
    Result<std::size_t> read(std::span<char> buffer) override { return source_.read(buffer); }

private:
    std::shared_ptr<const std::string> text_;
    TextSource source_;
};

class NoFiles final : public NewFiles {
public:
    Result<ByteSink*> add(const std::string& path) override { return refused(path); }
    Status commit() override { return refused({}); }

private:
    static Error refused(const std::string& path)
    {
        return {ErrorKind::unreadable, "a snapshot of a project can't be written", {path, 0, 0}, "write to the folder itself"};
    }
};

} // namespace

Result<KeptTexts::Kept> KeptTexts::text(const std::string& path)
{
    const std::filesystem::path file(path);
    std::error_code failed;
    const auto changed = std::filesystem::last_write_time(file, failed);
    const auto size = failed ? 0 : std::filesystem::file_size(file, failed);
    const std::lock_guard lock(mutex_);
    if (const auto found = entries_.find(path); !failed && found != entries_.end()) {
        if (found->second.changed == changed && found->second.kept.text->size() == size) {
            return found->second.kept;
        }
    }
    entries_.erase(path);
    auto read = real_.read_all(path, most_bytes);
    if (!read) {
        return read.error();
    }
    const Kept kept{std::make_shared<const std::string>(std::move(*read)), ++last_number_};
    // Clocks of file systems are coarse: what was written a moment ago may be written again at the same time.
    if (!failed && std::filesystem::file_time_type::clock::now() - changed > settled) {
        entries_[path] = {kept, changed};
    }
    return kept;
}

Result<std::shared_ptr<const std::string>> SnapshotFiles::text(const std::string& path) const
{
    const std::lock_guard lock(mutex_);
    if (const auto found = texts_.find(path); found != texts_.end()) {
        return found->second;
    }
    asked_for_.push_back(path);
    auto read = kept_->text(path);
    if (!read) {
        return read.error();
    }
    numbers_[path] = read->number;
    return texts_[path] = std::move(read->text);
}

std::optional<std::uint64_t> SnapshotFiles::known_content(const std::string& path) const
{
    (void)text(path);
    const std::lock_guard lock(mutex_);
    const auto found = numbers_.find(path);
    return found != numbers_.end() ? std::optional(found->second) : std::nullopt;
}

Result<std::string> SnapshotFiles::read_all(const std::string& path, std::size_t limit) const
{
    auto found = text(path);
    if (!found) {
        return found.error();
    }
    if ((*found)->size() > limit) {
        return Error{ErrorKind::unreadable, "the file is too large", {path, 0, 0}, "check what this file is"};
    }
    return **found;
}

Result<std::unique_ptr<ByteSource>> SnapshotFiles::open(const std::string& path) const
{
    auto found = text(path);
    if (!found) {
        return found.error();
    }
    return std::unique_ptr<ByteSource>(std::make_unique<SharedSource>(std::move(*found)));
}

std::unique_ptr<NewFiles> SnapshotFiles::begin_files() { return std::make_unique<NoFiles>(); }

Status SnapshotFiles::remove(const std::vector<std::string>& paths)
{
    auto files = begin_files();
    return paths.empty() ? Status() : Status(files->add(paths.front()).error());
}

std::vector<std::string> SnapshotFiles::list(const std::string& folder, const std::string& suffix) const
{
    return real_.list(folder, suffix);
}

std::vector<std::string> SnapshotFiles::asked_for() const
{
    const std::lock_guard lock(mutex_);
    return asked_for_;
}

} // namespace wexilum::app
