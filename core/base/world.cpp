#include "core/base/world.hpp"

#include <algorithm>

namespace wexilum {

Result<std::size_t> TextSource::read(std::span<char> buffer)
{
    const std::size_t n = std::min(buffer.size(), rest_.size());
    std::copy_n(rest_.data(), n, buffer.data());
    rest_.remove_prefix(n);
    return n;
}

Status MemorySpool::append(std::span<const char> bytes)
{
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
    return {};
}

Status MemorySpool::read_at(std::uint64_t offset, std::span<char> bytes)
{
    std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(offset), bytes.size(), bytes.begin());
    return {};
}

Status MemorySpool::write_at(std::uint64_t offset, std::span<const char> bytes)
{
    std::copy(bytes.begin(), bytes.end(), bytes_.begin() + static_cast<std::ptrdiff_t>(offset));
    return {};
}

Result<std::size_t> SpoolSource::read(std::span<char> buffer)
{
    const auto count = static_cast<std::size_t>(std::min<std::uint64_t>(buffer.size(), spool_.size() - at_));
    if (auto status = spool_.read_at(at_, buffer.first(count)); !status) {
        return status.error();
    }
    at_ += count;
    return count;
}

void SpoolReader::refill(char* to, std::size_t count)
{
    while (count > 0) {
        if (at_ == filled_) {
            const std::uint64_t left = spool_.size() - offset_;
            at_ = 0;
            filled_ = static_cast<std::size_t>(std::min<std::uint64_t>(left, buffer_.size()));
            if (filled_ > 0 && status_.ok()) {
                status_ = spool_.read_at(offset_, std::span(buffer_.data(), filled_));
            }
            offset_ += filled_;
            if (filled_ == 0 || !status_) {
                std::memset(to, 0, count);
                return;
            }
        }
        const std::size_t part = std::min(count, filled_ - at_);
        std::memcpy(to, buffer_.data() + at_, part);
        at_ += part;
        to += part;
        count -= part;
    }
}

bool SpoolWriter::make_room(const char* from, std::size_t count)
{
    (void)flush();
    if (count > limit) {
        status_ = status_ ? spool_.append(std::span(from, count)) : status_;
    }
    return count <= limit;
}

Status SpoolWriter::flush()
{
    if (status_.ok() && used_ > 0) {
        status_ = spool_.append(std::span(buffer_.data(), used_));
    }
    used_ = 0;
    return status_;
}

} // namespace wexilum
