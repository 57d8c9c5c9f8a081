// The calls of the operating system by which files are written, behind an interface: tests put a disk in its place that is full, or that
// forgets what was not synced when the power is cut.
#pragma once

#include <sys/types.h>

#include <cstddef>
#include <string>

namespace wexilum {

/// Each call does what the one of the same name of the operating system does, and gives -1 with errno set where it fails.
class Disk {
public:
    virtual ~Disk() = default;
    virtual int create(const std::string& path) = 0;     ///< a new file to write to; fails where the name is taken
    virtual int open_again(const std::string& path) = 0; ///< a plain file that is there, to write over it
    virtual ssize_t write(int file, const char* bytes, std::size_t count) = 0;
    virtual int reserve(int file, off_t size) = 0; ///< so that writing up to there can't fail for lack of room
    virtual int cut(int file, off_t size) = 0;
    virtual int sync(int file) = 0;
    virtual void begin_sync(int file, off_t from, off_t count) = 0; ///< has bytes go to the disk meanwhile, so that sync() waits less
    virtual int close(int file) = 0;
    virtual int rename(const std::string& from, const std::string& to) = 0;
    virtual int link(const std::string& from, const std::string& to) = 0;
    virtual int unlink(const std::string& path) = 0;
    virtual int make_folder(const std::string& path) = 0;
    virtual int sync_folder(const std::string& path) = 0;
};

class RealDisk : public Disk {
public:
    int create(const std::string& path) override;
    int open_again(const std::string& path) override;
    ssize_t write(int file, const char* bytes, std::size_t count) override;
    int reserve(int file, off_t size) override;
    int cut(int file, off_t size) override;
    int sync(int file) override;
    void begin_sync(int file, off_t from, off_t count) override;
    int close(int file) override;
    int rename(const std::string& from, const std::string& to) override;
    int link(const std::string& from, const std::string& to) override;
    int unlink(const std::string& path) override;
    int make_folder(const std::string& path) override;
    int sync_folder(const std::string& path) override;
};

} // namespace wexilum
