#include "core/io/file_set.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sys/file.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <filesystem>

namespace wexilum {
namespace {

namespace fs = std::filesystem;

constexpr off_t ahead = off_t{4} << 20;   // bytes that go to the disk at once while a file is written
constexpr int most_links = 40;            // as the kernel has it
constexpr std::size_t longest_stem = 200; // of 255, so that there is room for what stands behind it
constexpr std::size_t key_digits = 16;
constexpr std::string_view part_end = ".part";
constexpr std::string_view list_begin = ".wexilum-";
constexpr std::string_view list_end = ".set";

Error failed(const std::string& path, int problem)
{
    const bool full = problem == ENOSPC || problem == EDQUOT || problem == EFBIG;
    return {ErrorKind::unreadable,
            fmt::format("can't be written: {}", std::strerror(problem)),
            {path, 0, 0},
            full ? "make room on the disk, then do it again" : "check the path and its permissions"};
}

std::string folder_of(const std::string& path)
{
    const std::string folder = fs::path(path).parent_path().string();
    return folder.empty() ? "." : folder;
}

/// A key that no other file of this or another program has.
std::string new_key()
{
    static std::atomic<std::uint64_t> count{0};
    const auto now = std::uint64_t(std::chrono::system_clock::now().time_since_epoch().count());
    return fmt::format("{:016x}", now * 1000003U + std::uint64_t(getpid()) * 4099U + ++count);
}

std::string stem_of(const std::string& path) { return fs::path(path).filename().string().substr(0, longest_stem); }

bool is_key(std::string_view text)
{
    return text.size() == key_digits && text.find_first_not_of("0123456789abcdef") == std::string_view::npos;
}

/// Whether a name is that of a temporary file, of `stem` where one is given.
bool is_part(std::string_view name, std::string_view stem)
{
    const std::size_t behind = 1 + key_digits + part_end.size();
    if (!name.ends_with(part_end) || name.size() <= behind || name[name.size() - behind] != '.') {
        return false;
    }
    return is_key(name.substr(name.size() - behind + 1, key_digits)) && (stem.empty() || name.substr(0, name.size() - behind) == stem);
}

bool is_list(std::string_view name)
{
    return name.size() == list_begin.size() + key_digits + list_end.size() && name.starts_with(list_begin) && name.ends_with(list_end);
}

std::string list_in(const std::string& folder, const std::string& key)
{
    return fmt::format("{}/{}{}{}", folder, list_begin, key, list_end);
}

std::string part_in(const std::string& folder, const std::string& stem, const std::string& key)
{
    return fmt::format("{}/{}.{}{}", folder, stem, key, part_end);
}

std::vector<std::string> once_each(std::vector<std::string> folders)
{
    std::sort(folders.begin(), folders.end());
    folders.erase(std::unique(folders.begin(), folders.end()), folders.end());
    return folders;
}

Status sync_each(Disk& disk, const std::vector<std::string>& folders)
{
    for (const std::string& folder : folders) {
        if (disk.sync_folder(folder) != 0) {
            return failed(folder, errno);
        }
    }
    return {};
}

bool locked(int file) { return flock(file, LOCK_EX | LOCK_NB) == 0; }

/// Takes what a program that has ended has left: opened and locked; -1 where somebody has it.
int take(const std::string& path)
{
    const int file = ::open(path.c_str(), O_RDWR | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    struct stat there {};
    if (file >= 0 && (!locked(file) || fstat(file, &there) != 0 || !S_ISREG(there.st_mode) || there.st_nlink == 0)) {
        ::close(file);
        return -1;
    }
    return file;
}

int write_all(Disk& disk, int file, std::string_view bytes)
{
    while (!bytes.empty()) {
        const ssize_t put = disk.write(file, bytes.data(), bytes.size());
        if (put < 0 && errno == EINTR) {
            continue;
        }
        if (put <= 0) {
            errno = put == 0 ? ENOSPC : errno;
            return -1;
        }
        bytes.remove_prefix(std::size_t(put));
    }
    return 0;
}

/// A new file that is locked for as long as it is open. `name`: of a path by a key.
template <typename Name>
Result<std::pair<int, std::string>> create_locked(Disk& disk, const std::string& asked, const Name& name)
{
    for (int tries = 0; tries < 8; ++tries) {
        const std::string path = name(new_key());
        const int file = disk.create(path);
        if (file < 0 && errno == EEXIST) {
            continue;
        }
        if (file < 0) {
            return failed(asked, errno);
        }
        struct stat made {};
        const bool ours = flock(file, LOCK_EX | LOCK_NB) == 0 || errno == ENOLCK || errno == EOPNOTSUPP || errno == EINVAL;
        if (ours && fstat(file, &made) == 0 && made.st_nlink > 0) { // nobody has taken it for left behind
            return std::pair(file, path);
        }
        disk.close(file);
    }
    return failed(asked, EEXIST);
}

/// Puts all bytes of one file into another that stands there already.
int write_over(Disk& disk, int from, const std::string& path)
{
    struct stat size {};
    if (fstat(from, &size) != 0) {
        return -1;
    }
    const int file = disk.open_again(path);
    if (file < 0) {
        return -1;
    }
    int done = disk.reserve(file, size.st_size);
    std::string chunk(std::size_t{1} << 18, '\0');
    for (off_t at = 0; done == 0 && at < size.st_size;) {
        const ssize_t got = pread(from, chunk.data(), chunk.size(), at);
        if (got <= 0) {
            errno = got == 0 ? EIO : errno;
            done = -1;
            break;
        }
        done = write_all(disk, file, std::string_view(chunk).substr(0, std::size_t(got)));
        at += got;
    }
    done = done == 0 ? disk.cut(file, size.st_size) : done;
    done = done == 0 ? disk.sync(file) : done;
    const int problem = errno;
    disk.close(file);
    errno = problem;
    return done;
}

int copy_file(Disk& disk, const std::string& from, const std::string& to)
{
    const int file = ::open(from.c_str(), O_RDONLY | O_CLOEXEC);
    const int made = file >= 0 ? disk.create(to) : -1;
    const int done = made >= 0 && disk.close(made) == 0 ? write_over(disk, file, to) : -1;
    const int problem = errno;
    if (file >= 0) {
        ::close(file);
    }
    if (made >= 0 && done != 0) {
        disk.unlink(to);
    }
    errno = problem;
    return done;
}

/// Attributes, access lists among them, as far as this user may.
void copy_attributes(const std::string& from, int to)
{
    std::string names(4096, '\0');
    const ssize_t size = llistxattr(from.c_str(), names.data(), names.size());
    std::string value(65536, '\0');
    for (std::size_t at = 0; size > 0 && at < std::size_t(size);) {
        const char* name = names.data() + at;
        const ssize_t got = lgetxattr(from.c_str(), name, value.data(), value.size());
        if (got >= 0) {
            (void)fsetxattr(to, name, value.data(), std::size_t(got), 0);
        }
        at += std::strlen(name) + 1;
    }
}

struct Pair {
    std::string temporary;
    std::string target;
    bool over = false;
};

/// The pairs of a list; nothing where it was not written to its end, or where it lacks its like in one of the other folders: then nothing
/// has been done by it yet, or all has.
std::vector<Pair> pairs_of(int list, const std::string& folder, const std::string& name)
{
    std::string text(std::size_t{1} << 20, '\0');
    const ssize_t got = pread(list, text.data(), text.size(), 0);
    const auto read = got > 0 ? nlohmann::json::parse(text.substr(0, std::size_t(got)), nullptr, false) : nlohmann::json();
    std::vector<Pair> out;
    if (!read.is_array()) {
        return {};
    }
    for (const auto& item : read) {
        if (!item.is_array() || item.size() != 3 || !item[0].is_string() || !item[1].is_string() || !item[2].is_boolean()) {
            return {};
        }
        Pair pair{item[0], item[1], item[2]};
        // A temporary file lies beside its target and is called after it: a list from elsewhere can't have other files written over.
        if (folder_of(pair.temporary) != folder_of(pair.target) || stem_of(pair.target).empty() ||
            !is_part(fs::path(pair.temporary).filename().string(), stem_of(pair.target))) {
            return {};
        }
        for (std::string* path : {&pair.temporary, &pair.target}) {
            *path = (fs::path(folder) / *path).lexically_normal().string();
        }
        if (std::error_code problem; !fs::exists(folder_of(pair.target) + "/" + name, problem)) {
            return {};
        }
        out.push_back(std::move(pair));
    }
    return out;
}

/// Does what is left of a set. False where it can't be done now.
bool finish(Disk& disk, const std::vector<Pair>& pairs)
{
    bool all = true;
    std::vector<std::string> folders;
    for (const Pair& pair : pairs) {
        if (pair.over) {
            const int from = take(pair.temporary);
            const bool done = from < 0 ? errno == ENOENT : write_over(disk, from, pair.target) == 0;
            if (from >= 0) {
                ::close(from);
            }
            if (from >= 0 && done) {
                disk.unlink(pair.temporary);
            }
            all = all && done;
        } else if (disk.rename(pair.temporary, pair.target) != 0 && errno != ENOENT) {
            all = false;
        }
        folders.push_back(folder_of(pair.target));
    }
    for (const std::string& folder : folders) {
        all = disk.sync_folder(folder) == 0 && all;
    }
    return all;
}

std::vector<std::string> names_in(const std::string& folder)
{
    std::vector<std::string> out;
    std::error_code problem;
    fs::directory_iterator at(folder, problem);
    while (!problem && at != fs::directory_iterator()) {
        out.push_back(at->path().filename().string());
        at.increment(problem);
    }
    return out;
}

} // namespace

Result<Target> target_of(const std::string& path)
{
    Target out{path, std::nullopt};
    struct stat there {};
    for (int links = 0; lstat(out.path.c_str(), &there) == 0; ++links) {
        if (!S_ISLNK(there.st_mode)) {
            out.there = there;
            break;
        }
        std::error_code problem;
        const fs::path next = fs::read_symlink(out.path, problem);
        if (problem || links == most_links) {
            return Error{ErrorKind::unreadable, "these links lead nowhere", {path, 0, 0}, "name the file that is meant"};
        }
        out.path = (next.is_absolute() ? next : fs::path(folder_of(out.path)) / next).string();
    }
    if (out.there && !S_ISREG(out.there->st_mode)) {
        const char* what = S_ISDIR(out.there->st_mode)    ? "a folder"
                           : S_ISFIFO(out.there->st_mode) ? "a pipe"
                           : S_ISSOCK(out.there->st_mode) ? "a socket"
                                                          : "a device";
        return Error{
            ErrorKind::unreadable, fmt::format("this is {}, not a file", what), {path, 0, 0}, "only plain files are read and written"};
    }
    return out;
}

struct FileSet::Entry final : ByteSink {
    explicit Entry(Disk& of) : disk(of) {}
    Entry(const Entry&) = delete;
    Entry& operator=(const Entry&) = delete;
    ~Entry() override
    {
        if (file >= 0) {
            disk.close(file);
        }
    }
    Status write(std::string_view bytes) override
    {
        if (status && write_all(disk, file, bytes) != 0) {
            status = failed(path, errno);
        }
        written += off_t(bytes.size());
        if (written - begun >= ahead) {
            disk.begin_sync(file, begun, written - begun);
            begun = written;
        }
        return status;
    }
    Disk& disk;
    std::string path;   ///< as it was asked for
    Target target;      ///< where that leads
    std::string part;   ///< the temporary file
    std::string before; ///< another name of what stood there, until all of a set is done; empty: none
    int file = -1;
    off_t written = 0;
    off_t begun = 0;   ///< of that, what is on its way to the disk
    bool over = false; ///< the target is written over in its place
    bool done = false; ///< the file has its name, or the target has been written over
    Status status;
};

FileSet::FileSet(Disk& disk) : disk_(disk) {}

FileSet::~FileSet() { clear(); }

void FileSet::clear()
{
    for (const std::string& list : unfinished_ ? std::vector<std::string>() : lists_) {
        disk_.unlink(list);
    }
    for (const auto& entry : entries_) {
        if (!entry->before.empty()) {
            disk_.unlink(entry->before);
        }
        if (!unfinished_ && (entry->over || !entry->done)) {
            disk_.unlink(entry->part);
        }
    }
    for (const int lock : locks_) {
        ::close(lock);
    }
    entries_.clear();
    lists_.clear();
    locks_.clear();
    for (auto folder = folders_.rbegin(); folder != folders_.rend(); ++folder) {
        ::rmdir(folder->c_str()); // stays where something is in it
    }
    folders_.clear();
}

Status FileSet::make_folders(const std::string& folder)
{
    struct stat there {};
    if (stat(folder.c_str(), &there) == 0) {
        return S_ISDIR(there.st_mode) ? Status() : Status(failed(folder, ENOTDIR));
    }
    const std::string outer = folder_of(folder);
    if (outer != folder) {
        if (const Status status = make_folders(outer); !status) {
            return status;
        }
    }
    if (disk_.make_folder(folder) != 0 && errno != EEXIST) {
        Error error = failed(folder, errno);
        error.message = fmt::format("the folder can't be made: {}", std::strerror(errno));
        return error;
    }
    folders_.push_back(folder);
    return {};
}

Result<ByteSink*> FileSet::add(const std::string& path)
{
    auto target = target_of(path);
    if (!target) {
        return target.error();
    }
    const std::string folder = folder_of(target->path);
    if (auto status = make_folders(folder); !status) {
        return status.error();
    }
    const std::string stem = stem_of(target->path);
    clear_leftovers(disk_, folder, stem);
    auto made = create_locked(disk_, path, [&](const std::string& key) { return part_in(folder, stem, key); });
    if (!made) {
        return made.error();
    }
    auto entry = std::make_unique<Entry>(disk_);
    entry->path = path;
    entry->target = std::move(*target);
    entry->file = made->first;
    entry->part = made->second;
    entries_.push_back(std::move(entry));
    return static_cast<ByteSink*>(entries_.back().get());
}

/// The bytes to the disk, with the mode and owner of what stood there.
Status FileSet::settle(Entry& entry)
{
    if (!entry.status) {
        return entry.status;
    }
    if (const auto& there = entry.target.there) {
        struct stat made {};
        (void)fstat(entry.file, &made);
        const bool owned =
            (made.st_uid == there->st_uid && made.st_gid == there->st_gid) || fchown(entry.file, there->st_uid, there->st_gid) == 0;
        entry.over = !owned || there->st_nlink > 1;
        if (!entry.over) {
            (void)fchmod(entry.file, there->st_mode & 07777U);
            copy_attributes(entry.target.path, entry.file);
        }
    }
    return disk_.sync(entry.file) == 0 ? Status() : Status(failed(entry.path, errno));
}

/// Puts a list of all pairs into each folder: once the last of them is on the disk, the set will be whole.
Status FileSet::list_pairs()
{
    std::vector<std::string> folders;
    for (const auto& entry : entries_) {
        folders.push_back(folder_of(entry->target.path));
    }
    folders = once_each(std::move(folders));
    if (const Status status = sync_each(disk_, folders); !status) {
        return status;
    }
    const std::string key = new_key();
    for (const std::string& folder : folders) {
        auto pairs = nlohmann::json::array();
        const auto inside = [&](const std::string& path) {
            return fs::absolute(path).lexically_normal().lexically_relative(fs::absolute(folder).lexically_normal()).string();
        };
        for (const auto& entry : entries_) {
            pairs.push_back({inside(entry->part), inside(entry->target.path), entry->over});
        }
        auto made = create_locked(disk_, folder, [&](const std::string&) { return list_in(folder, key); });
        if (!made) {
            return made.error();
        }
        lists_.push_back(made->second);
        locks_.push_back(made->first);
        const std::string text = pairs.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
        if (write_all(disk_, made->first, text) != 0 || disk_.sync(made->first) != 0 || disk_.sync_folder(folder) != 0) {
            return failed(folder, errno);
        }
    }
    return {};
}

/// Undoes the first `count` entries.
void FileSet::take_back(std::size_t count)
{
    for (std::size_t i = count; i-- > 0;) {
        Entry& entry = *entries_[i];
        if (!entry.done || entry.over) {
            continue;
        }
        if (entry.before.empty()) {
            disk_.rename(entry.target.path, entry.part);
        } else if (disk_.rename(entry.before, entry.target.path) == 0) {
            entry.before.clear();
        }
        entry.done = false;
    }
}

Status FileSet::give_names()
{
    const bool several = entries_.size() > 1;
    for (const auto& entry : entries_) {
        if (several && entry->target.there && !entry->over) {
            const std::string before = part_in(folder_of(entry->part), stem_of(entry->target.path), new_key());
            if (disk_.link(entry->target.path, before) != 0 && (errno == ENOSPC || copy_file(disk_, entry->target.path, before) != 0)) {
                return failed(entry->path, errno);
            }
            entry->before = before;
        }
    }
    // What is written over comes last: it can't be taken back.
    std::stable_partition(entries_.begin(), entries_.end(), [](const auto& entry) { return !entry->over; });
    for (std::size_t i = 0; i < entries_.size(); ++i) {
        Entry& entry = *entries_[i];
        if (entry.over) {
            if (write_over(disk_, entry.file, entry.target.path) != 0) {
                const Error error = failed(entry.path, errno);
                unfinished_ = true;
                return Error{error.kind, error.message + ", and part of it is there", error.place,
                             error.cure +
                                 fmt::format("; all of it is in {} and takes its place with the next file written there", entry.part)};
            }
        } else if (disk_.rename(entry.part, entry.target.path) != 0) {
            const Error error = failed(entry.path, errno);
            take_back(i);
            return error;
        }
        entry.done = true;
    }
    return {};
}

Status FileSet::sync_folders()
{
    std::vector<std::string> folders;
    for (const std::string& made : folders_) {
        folders.push_back(folder_of(made));
    }
    for (const auto& entry : entries_) {
        folders.push_back(folder_of(entry->target.path));
    }
    return sync_each(disk_, once_each(std::move(folders)));
}

Status FileSet::commit()
{
    bool listed = entries_.size() > 1;
    Status status;
    for (const auto& entry : entries_) {
        status = status ? settle(*entry) : status;
        listed = listed || entry->over;
    }
    status = status && listed ? list_pairs() : status;
    status = status ? give_names() : status;
    status = status ? sync_folders() : status;
    for (const auto& entry : entries_) {
        struct stat made {};
        struct stat there {};
        const bool seen = entry->over || (fstat(entry->file, &made) == 0 && stat(entry->target.path.c_str(), &there) == 0 &&
                                          made.st_ino == there.st_ino && made.st_dev == there.st_dev);
        if (status && !seen) {
            status = Error{ErrorKind::unreadable,
                           "something else has taken this name meanwhile",
                           {entry->path, 0, 0},
                           "see what else writes there, then try again"};
        }
    }
    if (status) {
        folders_.clear(); // they stay
    }
    clear();
    return status;
}

void clear_leftovers(Disk& disk, const std::string& folder, const std::string& name)
{
    const std::vector<std::string> names = names_in(folder);
    bool none_left = true;
    for (const std::string& list : names) {
        if (!is_list(list)) {
            continue;
        }
        const std::string path = folder + "/" + list;
        const int file = take(path);
        none_left = file >= 0 && finish(disk, pairs_of(file, folder, list)) && disk.unlink(path) == 0 && none_left;
        if (file >= 0) {
            ::close(file);
        }
    }
    for (const std::string& part : none_left ? names : std::vector<std::string>()) { // a list needs its files
        const std::string path = folder + "/" + part;
        if (const int file = is_part(part, name) ? take(path) : -1; file >= 0) {
            disk.unlink(path);
            ::close(file);
        }
    }
}

} // namespace wexilum
