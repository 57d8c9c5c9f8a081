#include "core/base/result.hpp"

#include <fmt/format.h>

namespace wexilum {

std::string Place::text() const
{
    if (line == 0) {
        return file;
    }
    return column == 0 ? fmt::format("{}:{}", file, line) : fmt::format("{}:{}:{}", file, line, column);
}

const char* name_of(ErrorKind kind)
{
    switch (kind) {
    case ErrorKind::unreadable: return "unreadable";
    case ErrorKind::syntax: return "syntax";
    case ErrorKind::value: return "value";
    case ErrorKind::witness: return "witness";
    case ErrorKind::unsupported: return "unsupported";
    case ErrorKind::cancelled: return "cancelled";
    case ErrorKind::fault: return "fault";
    }
    return "unknown";
}

std::string Error::text() const
{
    std::string out = place.text();
    if (!out.empty()) {
        out += ": ";
    }
    out += message;
    if (!cure.empty()) {
        out += "; " + cure;
    }
    return out;
}

} // namespace wexilum
