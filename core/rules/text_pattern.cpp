#include "core/rules/text_pattern.hpp"

#include <cctype>
#include <cstring>

namespace wexilum {
namespace {

constexpr int most_depth = 200;
constexpr char escape = '%';

bool of_class(unsigned char c, char letter)
{
    bool in = false;
    switch (std::tolower(static_cast<unsigned char>(letter))) {
    case 'a': in = std::isalpha(c) != 0; break;
    case 'c': in = std::iscntrl(c) != 0; break;
    case 'd': in = std::isdigit(c) != 0; break;
    case 'g': in = std::isgraph(c) != 0; break;
    case 'l': in = std::islower(c) != 0; break;
    case 'p': in = std::ispunct(c) != 0; break;
    case 's': in = std::isspace(c) != 0; break;
    case 'u': in = std::isupper(c) != 0; break;
    case 'w': in = std::isalnum(c) != 0; break;
    case 'x': in = std::isxdigit(c) != 0; break;
    default: return static_cast<unsigned char>(letter) == c;
    }
    return std::isupper(static_cast<unsigned char>(letter)) != 0 ? !in : in;
}

} // namespace

bool TextPattern::match(std::size_t at, std::size_t from, std::size_t& end)
{
    level_ = 0;
    depth_ = 0;
    end = run(at, from);
    return end != none;
}

TextPattern::Capture TextPattern::capture(std::size_t index) const
{
    if (captures_[index].length == open) {
        throw PatternError("a capture of the pattern is not closed");
    }
    return captures_[index];
}

void TextPattern::step()
{
    if (++steps_ > most_) {
        throw PatternError("the pattern takes too many steps on this text");
    }
}

std::size_t TextPattern::run(std::size_t s, std::size_t p)
{
    if (++depth_ > most_depth) {
        throw PatternError("the pattern is too complex");
    }
    struct Leave {
        int& depth;
        ~Leave() { --depth; }
    } const leave{depth_};
    for (;;) {
        step();
        if (p == pattern_.size()) {
            return s;
        }
        const char c = pattern_[p];
        if (c == '(') {
            const bool place = p + 1 < pattern_.size() && pattern_[p + 1] == ')';
            return begin_capture(s, p + (place ? 2 : 1), place ? position : open);
        }
        if (c == ')') {
            return end_capture(s, p + 1);
        }
        if (c == '$' && p + 1 == pattern_.size()) {
            return s == subject_.size() ? s : none;
        }
        if (c == escape && p + 1 < pattern_.size()) {
            const char next = pattern_[p + 1];
            if (next == 'b') {
                s = balance(s, p + 2);
                if (s == none) {
                    return none;
                }
                p += 4;
                continue;
            }
            if (next == 'f') {
                p += 2;
                if (p >= pattern_.size() || pattern_[p] != '[') {
                    throw PatternError("\"[\" is missing after %f in the pattern");
                }
                const std::size_t end = class_end(p);
                const auto before = static_cast<unsigned char>(s == 0 ? '\0' : subject_[s - 1]);
                const auto here = static_cast<unsigned char>(s == subject_.size() ? '\0' : subject_[s]);
                if (in_set(before, p, end - 1) || !in_set(here, p, end - 1)) {
                    return none;
                }
                p = end;
                continue;
            }
            if (next >= '0' && next <= '9') {
                s = repeat_capture(s, next);
                if (s == none) {
                    return none;
                }
                p += 2;
                continue;
            }
        }
        const std::size_t end = class_end(p);
        const char quantifier = end < pattern_.size() ? pattern_[end] : '\0';
        const bool here = single(s, p, end);
        switch (quantifier) {
        case '?':
            if (here) {
                if (const std::size_t out = run(s + 1, end + 1); out != none) {
                    return out;
                }
            }
            p = end + 1;
            continue;
        case '+': return here ? longest(s + 1, p, end) : none;
        case '*': return longest(s, p, end);
        case '-': return shortest(s, p, end);
        default:
            if (!here) {
                return none;
            }
            ++s;
            p = end;
        }
    }
}

std::size_t TextPattern::class_end(std::size_t p) const
{
    const char c = pattern_[p++];
    if (c == escape) {
        if (p == pattern_.size()) {
            throw PatternError("the pattern ends with \"%\"");
        }
        return p + 1;
    }
    if (c == '[') {
        if (p < pattern_.size() && pattern_[p] == '^') {
            ++p;
        }
        do { // look for the "]"
            if (p >= pattern_.size()) {
                throw PatternError("\"]\" is missing in the pattern");
            }
            if (pattern_[p++] == escape) {
                ++p;
            }
        } while (p >= pattern_.size() || pattern_[p] != ']');
        return p + 1;
    }
    return p;
}

bool TextPattern::in_set(unsigned char c, std::size_t p, std::size_t last) const
{
    bool inside = true;
    if (pattern_[p + 1] == '^') {
        inside = false;
        ++p;
    }
    while (++p < last) {
        if (pattern_[p] == escape) {
            ++p;
            if (of_class(c, pattern_[p])) {
                return inside;
            }
        } else if (p + 2 < last && pattern_[p + 1] == '-') {
            p += 2;
            if (static_cast<unsigned char>(pattern_[p - 2]) <= c && c <= static_cast<unsigned char>(pattern_[p])) {
                return inside;
            }
        } else if (static_cast<unsigned char>(pattern_[p]) == c) {
            return inside;
        }
    }
    return !inside;
}

bool TextPattern::single(std::size_t s, std::size_t p, std::size_t end) const
{
    if (s >= subject_.size()) {
        return false;
    }
    const auto c = static_cast<unsigned char>(subject_[s]);
    switch (pattern_[p]) {
    case '.': return true;
    case escape: return of_class(c, pattern_[p + 1]);
    case '[': return in_set(c, p, end - 1);
    default: return static_cast<unsigned char>(pattern_[p]) == c;
    }
}

std::size_t TextPattern::balance(std::size_t s, std::size_t p)
{
    if (p + 1 >= pattern_.size()) {
        throw PatternError("%b of the pattern needs two characters");
    }
    if (s >= subject_.size() || subject_[s] != pattern_[p]) {
        return none;
    }
    const char begin = pattern_[p];
    const char end = pattern_[p + 1];
    int depth = 1;
    while (++s < subject_.size()) {
        step();
        if (subject_[s] == end) {
            if (--depth == 0) {
                return s + 1;
            }
        } else if (subject_[s] == begin) {
            ++depth;
        }
    }
    return none;
}

std::size_t TextPattern::longest(std::size_t s, std::size_t p, std::size_t end)
{
    std::size_t count = 0;
    while (single(s + count, p, end)) {
        step();
        ++count;
    }
    for (;; --count) {
        if (const std::size_t out = run(s + count, end + 1); out != none) {
            return out;
        }
        if (count == 0) {
            return none;
        }
    }
}

std::size_t TextPattern::shortest(std::size_t s, std::size_t p, std::size_t end)
{
    for (;; ++s) {
        if (const std::size_t out = run(s, end + 1); out != none) {
            return out;
        }
        if (!single(s, p, end)) {
            return none;
        }
    }
}

std::size_t TextPattern::begin_capture(std::size_t s, std::size_t p, std::ptrdiff_t what)
{
    if (level_ >= most_captures) {
        throw PatternError("the pattern has too many captures");
    }
    captures_[level_] = {s, what};
    ++level_;
    const std::size_t out = run(s, p);
    if (out == none) {
        --level_;
    }
    return out;
}

std::size_t TextPattern::end_capture(std::size_t s, std::size_t p)
{
    std::size_t level = level_;
    while (level > 0 && captures_[level - 1].length != open) {
        --level;
    }
    if (level == 0) {
        throw PatternError("\")\" without \"(\" in the pattern");
    }
    Capture& capture = captures_[level - 1];
    capture.length = std::ptrdiff_t(s - capture.begin);
    const std::size_t out = run(s, p);
    if (out == none) {
        capture.length = open;
    }
    return out;
}

std::size_t TextPattern::repeat_capture(std::size_t s, char which)
{
    const auto index = std::size_t(which - '1');
    if (which == '0' || index >= level_ || captures_[index].length == open) {
        throw PatternError("the pattern refers to a capture that is not there");
    }
    if (captures_[index].length == position) {
        return none; // a place is not a text
    }
    const auto length = std::size_t(captures_[index].length);
    steps_ += length;
    step();
    const bool same = length <= subject_.size() - s && subject_.substr(captures_[index].begin, length) == subject_.substr(s, length);
    return same ? s + length : none;
}

} // namespace wexilum
