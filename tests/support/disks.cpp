#include "tests/support/disks.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <filesystem>
#include <fstream>
#include <sstream>

namespace wexilum::test {
namespace {

namespace fs = std::filesystem;

std::string text_of(int file)
{
    struct stat is {};
    fstat(file, &is);
    std::string text(std::size_t(is.st_size), '\0');
    const std::string path = "/proc/self/fd/" + std::to_string(file); // it may be open for writing alone
    std::ifstream in(path, std::ios::binary);
    in.read(text.data(), std::streamsize(text.size()));
    return text;
}

std::string text_of(const fs::path& path)
{
    std::ifstream in(path, std::ios::binary);
    std::ostringstream out;
    out << in.rdbuf();
    return out.str();
}

} // namespace

bool FullDisk::fails()
{
    if (++calls_ != fails_at_) {
        return false;
    }
    errno = ENOSPC;
    return true;
}

ssize_t FullDisk::write(int file, const char* bytes, std::size_t count)
{
    if (!fails()) {
        return RealDisk::write(file, bytes, count);
    }
    if (count > 1) {
        (void)RealDisk::write(file, bytes, count / 2); // some of it still finds room
    }
    errno = ENOSPC;
    return -1;
}

ForgetfulDisk::ForgetfulDisk(std::string root, bool syncs) : root_(std::move(root)), syncs_(syncs)
{
    for (const auto& entry : fs::recursive_directory_iterator(root_)) {
        const std::string name = inside(entry.path().string());
        if (entry.is_directory()) {
            folders_.insert(name);
        } else {
            names_[name] = inode_of(entry.path().string());
            data_[names_[name]] = text_of(entry.path());
        }
    }
}

ForgetfulDisk::Inode ForgetfulDisk::inode_of(int file)
{
    struct stat is {};
    fstat(file, &is);
    return is.st_ino;
}

ForgetfulDisk::Inode ForgetfulDisk::inode_of(const std::string& path)
{
    struct stat is {};
    lstat(path.c_str(), &is);
    return is.st_ino;
}

std::string ForgetfulDisk::inside(const std::string& path) const { return fs::path(path).lexically_relative(root_).string(); }

void ForgetfulDisk::note_data(int file) { steps_.push_back({Step::Kind::data, {}, {}, inode_of(file), text_of(file)}); }

int ForgetfulDisk::create(const std::string& path)
{
    const int file = RealDisk::create(path);
    if (file >= 0) {
        steps_.push_back({Step::Kind::give, inside(path), {}, inode_of(file), {}});
        note_data(file);
    }
    return file;
}

int ForgetfulDisk::open_again(const std::string& path) { return RealDisk::open_again(path); }

ssize_t ForgetfulDisk::write(int file, const char* bytes, std::size_t count)
{
    const ssize_t put = RealDisk::write(file, bytes, std::min<std::size_t>(count, 1000)); // in pieces, so that a cut comes between
    note_data(file);
    return put;
}

int ForgetfulDisk::reserve(int file, off_t size)
{
    const int done = RealDisk::reserve(file, size);
    note_data(file);
    return done;
}

int ForgetfulDisk::cut(int file, off_t size)
{
    const int done = RealDisk::cut(file, size);
    note_data(file);
    return done;
}

int ForgetfulDisk::sync(int file)
{
    if (syncs_) {
        steps_.push_back({Step::Kind::sync, {}, {}, inode_of(file), {}});
    }
    return 0;
}

int ForgetfulDisk::rename(const std::string& from, const std::string& to)
{
    const Inode inode = inode_of(from);
    const int done = RealDisk::rename(from, to);
    if (done == 0) {
        steps_.push_back({Step::Kind::move, inside(from), inside(to), inode, {}});
    }
    return done;
}

int ForgetfulDisk::link(const std::string& from, const std::string& to)
{
    const int done = RealDisk::link(from, to);
    if (done == 0) {
        steps_.push_back({Step::Kind::give, inside(to), {}, inode_of(to), {}});
    }
    return done;
}

int ForgetfulDisk::unlink(const std::string& path)
{
    const int done = RealDisk::unlink(path);
    if (done == 0) {
        steps_.push_back({Step::Kind::take, inside(path), {}, 0, {}});
    }
    return done;
}

int ForgetfulDisk::make_folder(const std::string& path)
{
    const int done = RealDisk::make_folder(path);
    if (done == 0) {
        steps_.push_back({Step::Kind::folder, inside(path), {}, 0, {}});
    }
    return done;
}

int ForgetfulDisk::sync_folder(const std::string& path)
{
    if (syncs_) {
        steps_.push_back({Step::Kind::sync_folder, inside(path), {}, 0, {}});
    }
    return 0;
}

std::size_t ForgetfulDisk::leave(std::size_t steps, std::size_t count, int data, const std::string& folder) const
{
    auto names = names_;
    auto folders = folders_;
    auto synced = data_;
    auto written = data_;
    std::vector<const Step*> waiting;
    const auto apply = [&](const Step& step) {
        switch (step.kind) {
        case Step::Kind::give: names[step.a] = step.inode; break;
        case Step::Kind::take: names.erase(step.a); break;
        case Step::Kind::folder: folders.insert(step.a); break;
        case Step::Kind::move:
            names.erase(step.a);
            names[step.b] = step.inode;
            break;
        default: break;
        }
    };
    const auto folder_of = [](const std::string& name) {
        const std::string out = fs::path(name).parent_path().string();
        return out.empty() ? std::string(".") : out;
    };
    for (std::size_t i = 0; i < steps; ++i) {
        const Step& step = steps_[i];
        switch (step.kind) {
        case Step::Kind::data: written[step.inode] = step.text; break;
        case Step::Kind::sync: synced[step.inode] = written[step.inode]; break;
        case Step::Kind::sync_folder:
            for (auto at = waiting.begin(); at != waiting.end();) {
                const bool here = folder_of((*at)->kind == Step::Kind::move ? (*at)->b : (*at)->a) == step.a;
                if (here) {
                    apply(**at);
                }
                at = here ? waiting.erase(at) : at + 1;
            }
            break;
        default: waiting.push_back(&step); break;
        }
    }
    for (std::size_t i = 0; i < std::min(count, waiting.size()); ++i) {
        apply(*waiting[i]);
    }
    for (const std::string& made : folders) {
        fs::create_directories(fs::path(folder) / made);
    }
    std::map<Inode, std::string> first; // names of one file stay names of one file
    for (const auto& [name, inode] : names) {
        const fs::path path = fs::path(folder) / name;
        if (!fs::exists(path.parent_path())) {
            continue; // its folder is gone
        }
        if (const auto [other, is_first] = first.try_emplace(inode, path.string()); !is_first) {
            fs::create_hard_link(other->second, path);
            continue;
        }
        const std::string& sure = synced[inode];
        const std::string& perhaps = written[inode];
        std::string text = data == 2 ? perhaps : sure;
        if (data == 1 && perhaps != sure) {
            const std::size_t half = perhaps.size() / 2;
            text = perhaps.substr(0, half) + (sure.size() > half ? sure.substr(half) : std::string());
        }
        std::ofstream(path, std::ios::binary) << text;
    }
    return waiting.size();
}

} // namespace wexilum::test
