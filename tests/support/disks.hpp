// Disks that fail, and disks that forget: what tests put in the place of the real one.
#pragma once

#include "core/io/disk.hpp"

#include <cstdint>
#include <map>
#include <random>
#include <set>
#include <string>
#include <vector>

namespace wexilum::test {

/// The real disk, whose call number `fails_at` (from 1) fails for lack of room. Closing and removing never do.
class FullDisk final : public RealDisk {
public:
    explicit FullDisk(int fails_at) : fails_at_(fails_at) {}
    [[nodiscard]] bool has_failed() const { return calls_ >= fails_at_; }
    int create(const std::string& path) override { return fails() ? -1 : RealDisk::create(path); }
    int open_again(const std::string& path) override { return fails() ? -1 : RealDisk::open_again(path); }
    ssize_t write(int file, const char* bytes, std::size_t count) override;
    int reserve(int file, off_t size) override { return fails() ? -1 : RealDisk::reserve(file, size); }
    int cut(int file, off_t size) override { return fails() ? -1 : RealDisk::cut(file, size); }
    int sync(int file) override { return fails() ? -1 : RealDisk::sync(file); }
    int rename(const std::string& from, const std::string& to) override { return fails() ? -1 : RealDisk::rename(from, to); }
    int link(const std::string& from, const std::string& to) override { return fails() ? -1 : RealDisk::link(from, to); }
    int make_folder(const std::string& path) override { return fails() ? -1 : RealDisk::make_folder(path); }
    int sync_folder(const std::string& path) override { return fails() ? -1 : RealDisk::sync_folder(path); }

private:
    bool fails();
    int fails_at_;
    int calls_ = 0;
};

/// The real disk, noting all that is done to a folder, so that what is left of it when the power goes can be worked out: data that were not
/// synced are gone or there in part, names that were not synced are there or not, in the order in which they were given.
class ForgetfulDisk final : public RealDisk {
public:
    /// `root` is what stands there at the beginning, synced. `syncs`: false for a disk that only says so.
    ForgetfulDisk(std::string root, bool syncs);

    int create(const std::string& path) override;
    int open_again(const std::string& path) override;
    ssize_t write(int file, const char* bytes, std::size_t count) override;
    int reserve(int file, off_t size) override;
    int cut(int file, off_t size) override;
    int sync(int file) override;
    int rename(const std::string& from, const std::string& to) override;
    int link(const std::string& from, const std::string& to) override;
    int unlink(const std::string& path) override;
    int make_folder(const std::string& path) override;
    int sync_folder(const std::string& path) override;

    /// How many things have been done.
    [[nodiscard]] std::size_t done() const { return steps_.size(); }
    /// What a cut leaves after the first `steps` of them, put into an empty folder. `names`: how many of the names that were not synced are
    /// there; `data`: how much of what was not synced, 0 none, 1 half of it, 2 all. Returns how many names there were to choose from.
    std::size_t leave(std::size_t steps, std::size_t names, int data, const std::string& folder) const;

private:
    using Inode = std::uint64_t;
    struct Step {
        enum class Kind { data, sync, give, take, move, folder, sync_folder } kind;
        std::string a;
        std::string b;
        Inode inode = 0;
        std::string text; ///< all that the file has after it
    };
    void note_data(int file);
    [[nodiscard]] static Inode inode_of(int file);
    [[nodiscard]] static Inode inode_of(const std::string& path);
    [[nodiscard]] std::string inside(const std::string& path) const;

    std::string root_;
    bool syncs_;
    std::map<std::string, Inode> names_; ///< at the beginning, without the root
    std::set<std::string> folders_;
    std::map<Inode, std::string> data_;
    std::vector<Step> steps_;
};

} // namespace wexilum::test
