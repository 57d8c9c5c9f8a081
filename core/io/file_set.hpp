// Files written as a set that is there as a whole or not at all, whatever ends the program, and what killed programs leave behind.
#pragma once

#include "core/base/world.hpp"
#include "core/io/disk.hpp"

#include <sys/stat.h>

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// Where a path leads: links are followed, also to a file that is not there yet. An error where there are too many of them, or where
/// something stands at the end that is not a plain file. `there` gets what is there; empty where nothing is.
struct Target {
    std::string path;
    std::optional<struct stat> there;
};
Result<Target> target_of(const std::string& path);

/// The way of a set: all bytes go to files of temporary names beside the targets, then to the disk; a list of all pairs follows where there
/// are several; then each gets its name, then the folders go to the disk. Whoever finds such a list of a program that has ended does the
/// rest. A file keeps its mode, owner and attributes. One that has other names, or an owner whom this user can't give a file to, is written
/// over in its place, under such a list as well.
class FileSet final : public NewFiles {
public:
    explicit FileSet(Disk& disk);
    ~FileSet() override;
    FileSet(const FileSet&) = delete;
    FileSet& operator=(const FileSet&) = delete;

    Result<ByteSink*> add(const std::string& path) override;
    Status commit() override;

private:
    struct Entry;
    Status make_folders(const std::string& folder);
    Status settle(Entry& entry);
    Status list_pairs();
    Status give_names();
    void take_back(std::size_t count);
    Status sync_folders();
    void clear();

    Disk& disk_;
    std::vector<std::unique_ptr<Entry>> entries_;
    std::vector<std::string> folders_; ///< made for this set, outer ones first
    std::vector<std::string> lists_;   ///< of the pairs, one a folder
    std::vector<int> locks_;           ///< on them
    bool unfinished_ = false;          ///< a file has been written over in part: what is left is done by the lists
};

/// Finishes the sets that killed programs have left in a folder, and removes their other temporary files; with a name only those of that
/// file. What a living program works at is left alone.
void clear_leftovers(Disk& disk, const std::string& folder, const std::string& name = {});

} // namespace wexilum
