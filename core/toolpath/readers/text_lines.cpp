#include "core/toolpath/readers/text_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

namespace wexilum {

Result<std::optional<std::string_view>> TextLines::peek()
{
    for (std::size_t searched = begin_; end_ == 0;) {
        const void* found = filled_ > searched ? std::memchr(buffer_.data() + searched, '\n', filled_ - searched) : nullptr;
        if (found != nullptr) {
            end_ = std::size_t(static_cast<const char*>(found) - buffer_.data()) + 1;
            break;
        }
        if (filled_ - begin_ > longest) {
            break;
        }
        if (ended_) {
            if (!failed_) {
                return failed_.error();
            }
            if (filled_ == begin_) {
                return std::optional<std::string_view>();
            }
            end_ = filled_;
            break;
        }
        std::copy(buffer_.begin() + std::ptrdiff_t(begin_), buffer_.begin() + std::ptrdiff_t(filled_), buffer_.begin());
        filled_ -= begin_;
        searched = filled_;
        begin_ = 0;
        if (filled_ == buffer_.size()) {
            buffer_.resize(2 * buffer_.size());
        }
        const auto got = source_.read(std::span(buffer_.data() + filled_, buffer_.size() - filled_));
        failed_ = got ? Status() : Status(got.error());
        ended_ = !got || *got == 0;
        filled_ += got ? *got : 0;
    }
    std::string_view line(buffer_.data() + begin_, (end_ == 0 ? filled_ : end_) - begin_);
    if (line.size() > longest) {
        return Error{ErrorKind::syntax,
                     fmt::format("the line is longer than {} bytes", longest),
                     {{}, number_, 1},
                     "check that this is a toolpath with one record a line"};
    }
    for (const char last : {'\n', '\r'}) {
        if (line.ends_with(last)) {
            line.remove_suffix(1);
        }
    }
    return std::optional(line);
}

void TextLines::pass()
{
    begin_ = end_;
    end_ = 0;
    ++number_;
}

} // namespace wexilum
