#include "core/io/real_files.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdio>
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

Status write_whole(const std::string& path, const std::string& text)
{
    File file(std::fopen(path.c_str(), "wb"));
    if (!file) {
        return unreadable(path, fmt::format("can't be written: {}", std::strerror(errno)));
    }
    const bool written = std::fwrite(text.data(), 1, text.size(), file.get()) == text.size();
    if (!written || std::fflush(file.get()) != 0 || fsync(fileno(file.get())) != 0) {
        return unreadable(path, fmt::format("can't be written: {}", std::strerror(errno)));
    }
    return {};
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

Status RealFileSystem::replace(const std::vector<NewFile>& files)
{
    std::vector<std::string> temporary;
    Status status;
    for (const NewFile& file : files) {
        std::error_code problem;
        if (const fs::path folder = fs::path(file.path).parent_path(); !folder.empty()) {
            fs::create_directories(folder, problem);
            if (problem) {
                status = unreadable(folder.string(), fmt::format("the folder can't be made: {}", problem.message()));
                break;
            }
        }
        temporary.push_back(fmt::format("{}.{}.part", file.path, getpid()));
        status = write_whole(temporary.back(), file.text);
        if (!status) {
            break;
        }
    }
    for (std::size_t i = 0; status.ok() && i < files.size(); ++i) {
        std::error_code problem;
        fs::rename(temporary[i], files[i].path, problem);
        if (problem) {
            status = unreadable(files[i].path, fmt::format("can't be written: {}", problem.message()));
        }
    }
    if (!status) {
        (void)remove(temporary);
    }
    return status;
}

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

double SteadyClock::seconds() const { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }

} // namespace wexilum
