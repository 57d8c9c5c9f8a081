#include "core/io/real_files.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>

namespace wexilum {
namespace {

namespace fs = std::filesystem;

struct Closer {
    void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Closer>;

Error unreadable(const std::string& path, const std::string& what)
{
    return {ErrorKind::unreadable, what, {path, 0, 0}, "check the path and its permissions"};
}

Result<File> open_for_reading(const std::string& path)
{
    std::error_code problem;
    if (fs::is_directory(path, problem)) {
        return unreadable(path, "this is a folder, not a file");
    }
    File file(std::fopen(path.c_str(), "rb"));
    if (!file) {
        return unreadable(path, fmt::format("can't be read: {}", std::strerror(errno)));
    }
    return file;
}

class FileSource final : public ByteSource {
public:
    FileSource(File file, std::string path) : file_(std::move(file)), path_(std::move(path)) {}
    Result<std::size_t> read(std::span<char> buffer) override
    {
        const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), file_.get());
        if (got == 0 && std::ferror(file_.get()) != 0) {
            return unreadable(path_, "reading failed");
        }
        return got;
    }

private:
    File file_;
    std::string path_;
};

class FileSpool final : public Spool {
public:
    FileSpool(int descriptor, std::string folder) : descriptor_(descriptor), folder_(std::move(folder)) {}
    FileSpool(const FileSpool&) = delete;
    FileSpool& operator=(const FileSpool&) = delete;
    ~FileSpool() override { close(descriptor_); }
    Status append(std::span<const char> bytes) override
    {
        auto status = write_at(size_, bytes);
        size_ += status.ok() ? bytes.size() : 0;
        return status;
    }
    Status read_at(std::uint64_t offset, std::span<char> bytes) override
    {
        while (!bytes.empty()) {
            const ssize_t got = pread(descriptor_, bytes.data(), bytes.size(), static_cast<off_t>(offset));
            if (got <= 0) {
                return failed();
            }
            bytes = bytes.subspan(static_cast<std::size_t>(got));
            offset += static_cast<std::uint64_t>(got);
        }
        return {};
    }
    Status write_at(std::uint64_t offset, std::span<const char> bytes) override
    {
        while (!bytes.empty()) {
            const ssize_t put = pwrite(descriptor_, bytes.data(), bytes.size(), static_cast<off_t>(offset));
            if (put < 0) {
                return failed();
            }
            bytes = bytes.subspan(static_cast<std::size_t>(put));
            offset += static_cast<std::uint64_t>(put);
        }
        return {};
    }
    [[nodiscard]] std::uint64_t size() const override { return size_; }

private:
    [[nodiscard]] Error failed() const
    {
        return {ErrorKind::unreadable,
                fmt::format("the run's temporary file failed: {}", std::strerror(errno)),
                {folder_, 0, 0},
                "make room there, or let TMPDIR name another folder"};
    }
    int descriptor_;
    std::string folder_;
    std::uint64_t size_ = 0;
};

class RealNewFiles final : public NewFiles {
public:
    explicit RealNewFiles(bool keep) : keep_(keep) {}
    RealNewFiles(const RealNewFiles&) = delete;
    RealNewFiles& operator=(const RealNewFiles&) = delete;
    ~RealNewFiles() override
    {
        for (const auto& entry : entries_) {
            std::error_code problem;
            fs::remove(entry->temporary, problem);
        }
    }

    Result<ByteSink*> add(const std::string& path) override
    {
        std::error_code problem;
        if (const fs::path folder = fs::path(path).parent_path(); !folder.empty()) {
            fs::create_directories(folder, problem);
            if (problem) {
                return unreadable(folder.string(), fmt::format("the folder can't be made: {}", problem.message()));
            }
        }
        auto entry = std::make_unique<Entry>();
        entry->path = path;
        entry->temporary = fmt::format("{}.{}.part", path, getpid());
        entry->file.reset(std::fopen(entry->temporary.c_str(), "wb"));
        if (!entry->file) {
            return unreadable(path, fmt::format("can't be written: {}", std::strerror(errno)));
        }
        entries_.push_back(std::move(entry));
        return static_cast<ByteSink*>(entries_.back().get());
    }

    Status commit() override
    {
        for (const auto& entry : entries_) {
            if (std::fflush(entry->file.get()) != 0 || (keep_ && fsync(fileno(entry->file.get())) != 0)) {
                return unreadable(entry->path, fmt::format("can't be written: {}", std::strerror(errno)));
            }
        }
        for (const auto& entry : entries_) {
            std::error_code problem;
            if (!keep_ && exchanged(entry->temporary, entry->path)) {
                fs::remove(entry->temporary, problem); // what stood there before
                continue;
            }
            fs::rename(entry->temporary, entry->path, problem);
            if (problem) {
                return unreadable(entry->path, fmt::format("can't be written: {}", problem.message()));
            }
        }
        entries_.clear();
        return {};
    }

private:
    /// Exchanges two files. Renaming over a file makes some file systems write the new one out at once, exchanging does not.
    [[nodiscard]] static bool exchanged(const std::string& a, const std::string& b)
    {
        std::error_code problem;
        return fs::is_regular_file(fs::symlink_status(b, problem)) &&
               renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
    }

    struct Entry final : ByteSink {
        std::string path;
        std::string temporary;
        File file;
        Status write(std::string_view bytes) override
        {
            if (std::fwrite(bytes.data(), 1, bytes.size(), file.get()) != bytes.size()) {
                return unreadable(path, fmt::format("can't be written: {}", std::strerror(errno)));
            }
            return {};
        }
    };
    bool keep_;
    std::vector<std::unique_ptr<Entry>> entries_;
};

} // namespace

Result<std::string> RealFileSystem::read_all(const std::string& path, std::size_t limit) const
{
    auto file = open_for_reading(path);
    if (!file) {
        return file.error();
    }
    std::string out;
    std::array<char, 65536> chunk{};
    std::size_t got = 0;
    while ((got = std::fread(chunk.data(), 1, chunk.size(), file->get())) > 0) {
        out.append(chunk.data(), got);
        if (out.size() > limit) {
            return unreadable(path, fmt::format("the file is larger than {} MiB", limit >> 20));
        }
    }
    if (std::ferror(file->get()) != 0) {
        return unreadable(path, "reading failed");
    }
    return out;
}

Result<std::unique_ptr<ByteSource>> RealFileSystem::open(const std::string& path) const
{
    auto file = open_for_reading(path);
    if (!file) {
        return file.error();
    }
    return std::unique_ptr<ByteSource>(std::make_unique<FileSource>(std::move(*file), path));
}

std::unique_ptr<NewFiles> RealFileSystem::begin_files(bool keep) { return std::make_unique<RealNewFiles>(keep); }

Status RealFileSystem::remove(const std::vector<std::string>& paths)
{
    for (const std::string& path : paths) {
        std::error_code problem;
        fs::remove(path, problem);
        if (problem) {
            return unreadable(path, fmt::format("can't be taken away: {}", problem.message()));
        }
    }
    return {};
}

std::vector<std::string> RealFileSystem::list(const std::string& folder, const std::string& suffix) const
{
    std::vector<std::string> names;
    std::error_code problem;
    for (const auto& entry : fs::directory_iterator(folder, problem)) {
        const std::string name = entry.path().filename().string();
        if (name.ends_with(suffix)) {
            names.push_back(name);
        }
    }
    std::sort(names.begin(), names.end());
    return names;
}

Result<std::unique_ptr<Spool>> FileScratch::spool()
{
    const char* wanted = std::getenv("TMPDIR");
    const std::string folder = wanted != nullptr && *wanted != '\0' ? wanted : "/var/tmp";
    std::string name = folder + "/wexilum-XXXXXX";
    const int descriptor = mkostemp(name.data(), O_CLOEXEC);
    if (descriptor < 0) {
        return Error{ErrorKind::unreadable,
                     fmt::format("no temporary file can be made: {}", std::strerror(errno)),
                     {folder, 0, 0},
                     "make room there, or let TMPDIR name another folder"};
    }
    unlink(name.c_str());
    return std::unique_ptr<Spool>(std::make_unique<FileSpool>(descriptor, folder));
}

double SteadyClock::seconds() const { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }

} // namespace wexilum
