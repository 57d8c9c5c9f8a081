#include "core/io/real_files.hpp"

#include "core/io/file_set.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
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

/// Plain files only: whoever opens a pipe or a device may wait for ever.
Result<File> open_for_reading(const std::string& path)
{
    if (const auto target = target_of(path); !target) {
        return target.error();
    }
    const int descriptor = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    File file(descriptor >= 0 ? fdopen(descriptor, "rb") : nullptr);
    if (!file) {
        const int problem = errno;
        if (descriptor >= 0) {
            ::close(descriptor);
        }
        return unreadable(path, fmt::format("can't be read: {}", std::strerror(problem)));
    }
    struct stat opened {};
    if (fstat(descriptor, &opened) != 0 || !S_ISREG(opened.st_mode)) { // it has become something else meanwhile
        return unreadable(path, "this is not a plain file");
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

RealDisk& real_disk()
{
    static RealDisk disk;
    return disk;
}

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

std::unique_ptr<NewFiles> RealFileSystem::begin_files() { return std::make_unique<FileSet>(real_disk()); }

Status RealFileSystem::remove(const std::vector<std::string>& paths)
{
    for (const std::string& path : paths) {
        const auto target = target_of(path);
        if (!target) {
            return target.error();
        }
        if (target->there && real_disk().unlink(target->path) != 0 && errno != ENOENT) {
            return unreadable(path, fmt::format("can't be removed: {}", std::strerror(errno)));
        }
        const std::string folder = fs::path(target->path).parent_path().string();
        clear_leftovers(real_disk(), folder.empty() ? "." : folder, fs::path(target->path).filename().string());
    }
    return {};
}

std::vector<std::string> RealFileSystem::list(const std::string& folder, const std::string& suffix) const
{
    std::vector<std::string> names;
    std::error_code problem;
    for (fs::directory_iterator at(folder, problem); !problem && at != fs::directory_iterator(); at.increment(problem)) {
        const std::string name = at->path().filename().string();
        if (name.ends_with(suffix)) {
            names.push_back(name);
        }
    }
    std::sort(names.begin(), names.end());
    return names;
}

void RealFileSystem::recover(const std::string& folder)
{
    clear_leftovers(real_disk(), folder);
    std::error_code problem;
    for (fs::directory_iterator at(folder, problem); !problem && at != fs::directory_iterator(); at.increment(problem)) {
        std::error_code unknown;
        if (at->is_directory(unknown) && !at->is_symlink(unknown)) {
            clear_leftovers(real_disk(), at->path().string());
        }
    }
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
