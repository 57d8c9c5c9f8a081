#include "core/io/disk.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>

namespace wexilum {

int RealDisk::create(const std::string& path) { return ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0666); }

int RealDisk::open_again(const std::string& path) { return ::open(path.c_str(), O_WRONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK); }

ssize_t RealDisk::write(int file, const char* bytes, std::size_t count) { return ::write(file, bytes, count); }

int RealDisk::reserve(int file, off_t size)
{
    const int problem = ::posix_fallocate(file, 0, size);
    if (problem == 0 || problem == EOPNOTSUPP || problem == EINVAL) {
        return 0; // not every file system can
    }
    errno = problem;
    return -1;
}

int RealDisk::cut(int file, off_t size) { return ::ftruncate(file, size); }

int RealDisk::sync(int file) { return ::fsync(file); }

void RealDisk::begin_sync(int file, off_t from, off_t count) { (void)::sync_file_range(file, from, count, SYNC_FILE_RANGE_WRITE); }

int RealDisk::close(int file) { return ::close(file); }

int RealDisk::rename(const std::string& from, const std::string& to) { return ::rename(from.c_str(), to.c_str()); }

int RealDisk::link(const std::string& from, const std::string& to) { return ::link(from.c_str(), to.c_str()); }

int RealDisk::unlink(const std::string& path) { return ::unlink(path.c_str()); }

int RealDisk::make_folder(const std::string& path) { return ::mkdir(path.c_str(), 0777); }

int RealDisk::sync_folder(const std::string& path)
{
    const int folder = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (folder < 0) {
        return errno == EACCES ? 0 : -1; // a folder that may be written but not read: its names can't be waited for
    }
    const int done = ::fsync(folder);
    const int problem = errno;
    ::close(folder);
    errno = problem;
    return done < 0 && problem == EINVAL ? 0 : done; // some file systems have nothing to wait for
}

} // namespace wexilum
