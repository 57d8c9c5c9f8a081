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

} // namespace wexilum
