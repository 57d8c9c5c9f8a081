// One result type for the whole core: a value, or an error with kind, message, place and cure.
#pragma once

#include <cstdint>
#include <cstdlib>
#include <memory>
#include <optional>
#include <string>
#include <utility>

namespace wexilum {

/// Where something stands in a text file. Line and column count from 1; 0 means unknown. The column counts bytes.
struct Place {
    std::string file;
    std::uint32_t line = 0;
    std::uint32_t column = 0;

    /// "file:line:column", leaving out what is unknown.
    [[nodiscard]] std::string text() const;
    friend bool operator==(const Place&, const Place&) = default;
};

enum class ErrorKind {
    unreadable,  ///< a file or stream can't be read or written
    syntax,      ///< the text breaks its format's grammar
    value,       ///< well formed, but a value is of the wrong type, out of range, or names nothing
    witness,     ///< a typed-in witness contradicts the definition
    unsupported, ///< a valid definition of a kind that this build can't compute with
    cancelled,   ///< whoever asked for it has asked to stop
    fault,       ///< a mistake of the program itself, or too little memory
};

[[nodiscard]] const char* name_of(ErrorKind kind);

struct Error {
    ErrorKind kind = ErrorKind::value;
    std::string message; ///< what is wrong, one sentence without its place
    Place place;
    std::string cure; ///< what to do about it; never empty for errors a user can meet

    /// "place: message; cure" as printed for a user.
    [[nodiscard]] std::string text() const;
};

/// Of kind value: what a file or a user states does not fit.
[[nodiscard]] inline Error wrong_value(const Place& place, std::string message, std::string cure)
{
    return {ErrorKind::value, std::move(message), place, std::move(cure)};
}

/// Success or an Error, for calls that return nothing else. Copies share the error.
class [[nodiscard]] Status {
public:
    Status() = default;
    Status(Error error) : error_(std::make_shared<const Error>(std::move(error))) {}
    [[nodiscard]] bool ok() const { return error_ == nullptr; }
    explicit operator bool() const { return ok(); }
    /// Asking for an error that is not there is a programming fault and ends the program.
    [[nodiscard]] const Error& error() const
    {
        if (ok()) {
            std::abort();
        }
        return *error_;
    }

private:
    std::shared_ptr<const Error> error_; // by pointer, so that success costs next to nothing
};

/// A value or an Error. Asking for the one that is not there is a programming fault (checked: the value's throws, the error's ends the
/// program).
template <typename T>
class [[nodiscard]] Result {
public:
    Result(T value) : value_(std::move(value)) {}
    Result(Error error) : status_(std::move(error)) {}

    [[nodiscard]] bool ok() const { return status_.ok(); }
    explicit operator bool() const { return ok(); }
    [[nodiscard]] T& value() & { return value_.value(); }
    [[nodiscard]] const T& value() const& { return value_.value(); }
    [[nodiscard]] T&& value() && { return std::move(value_).value(); }
    [[nodiscard]] const Error& error() const { return status_.error(); }
    T& operator*() & { return value(); }
    const T& operator*() const& { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }

private:
    std::optional<T> value_;
    Status status_;
};

} // namespace wexilum
