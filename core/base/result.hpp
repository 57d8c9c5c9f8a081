// One result type for the whole core: a value, or an error with kind, message, place and cure.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <variant>

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

/// A value or an Error. Asking for the one that is not there is a programming fault (checked by std::get).
template <typename T>
class [[nodiscard]] Result {
public:
    Result(T value) : state_(std::in_place_index<0>, std::move(value)) {}
    Result(Error error) : state_(std::in_place_index<1>, std::move(error)) {}

    [[nodiscard]] bool ok() const { return state_.index() == 0; }
    explicit operator bool() const { return ok(); }
    [[nodiscard]] T& value() & { return std::get<0>(state_); }
    [[nodiscard]] const T& value() const& { return std::get<0>(state_); }
    [[nodiscard]] T&& value() && { return std::get<0>(std::move(state_)); }
    [[nodiscard]] const Error& error() const { return std::get<1>(state_); }
    T& operator*() & { return value(); }
    const T& operator*() const& { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }

private:
    std::variant<T, Error> state_;
};

/// Success or an Error, for calls that return nothing else.
class [[nodiscard]] Status {
public:
    Status() = default;
    Status(Error error) : error_(std::move(error)) {}
    [[nodiscard]] bool ok() const { return !error_; }
    explicit operator bool() const { return ok(); }
    [[nodiscard]] const Error& error() const { return error_.value(); }

private:
    std::optional<Error> error_;
};

} // namespace wexilum
