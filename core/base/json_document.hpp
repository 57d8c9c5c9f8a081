// A JSON text as a tree whose values know where they stand, and a checked way to read objects out of it.
#pragma once

#include "core/base/result.hpp"

#include <cstddef>
#include <functional>
#include <limits>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace wexilum::json {

inline constexpr std::size_t max_depth = 64;
inline constexpr std::size_t max_members = 4096;
inline constexpr std::size_t max_bytes = std::size_t{64} << 20;

enum class Kind { null, boolean, number, string, array, object };

struct Member;

struct Node {
    Kind kind = Kind::null;
    bool flag = false;
    double number = 0;
    bool whole = false; ///< the number was written without fraction and exponent
    std::string text;
    std::vector<Node> items;     ///< of an array
    std::vector<Member> members; ///< of an object, in file order
    std::size_t begin = 0;       ///< byte offset of the value's first byte
    std::size_t end = 0;         ///< one past its last byte
    [[nodiscard]] const Node* find(std::string_view key) const;
};

struct Member {
    std::string name;
    Node value;
};

/// A parsed file. Grammar by nlohmann-json; duplicate keys, more than max_depth levels and more than max_bytes are errors.
class Document {
public:
    static Result<Document> parse(std::string text, std::string file_name);
    [[nodiscard]] const Node& root() const { return root_; }
    [[nodiscard]] const std::string& text() const { return text_; }
    [[nodiscard]] const std::string& file_name() const { return file_name_; }
    [[nodiscard]] Place place_of(std::size_t offset) const;

private:
    std::string text_;
    std::vector<std::size_t> ends_; ///< of the lines
    std::string file_name_;
    Node root_;
};

/// Collects the first problem met while reading a document; later ones are dropped.
class Problems {
public:
    explicit Problems(const Document& document) : document_(document) {}
    void add(const Node& at, std::string message, std::string cure, ErrorKind kind = ErrorKind::value);
    [[nodiscard]] bool any() const { return failed_; }
    [[nodiscard]] Status status() const { return failed_ ? Status(first_) : Status(); }
    [[nodiscard]] const Document& document() const { return document_; }

private:
    const Document& document_;
    bool failed_ = false;
    Error first_;
};

struct Range {
    double low = -std::numeric_limits<double>::max();
    double high = std::numeric_limits<double>::max();
};
inline constexpr Range any_length{-1e7, 1e7};
inline constexpr Range positive{std::numeric_limits<double>::min(), 1e12};
inline constexpr Range not_negative{0, 1e12};

/// Reads one object: each getter marks its key as known; finish() reports the keys nobody asked for (except "x-…").
/// A missing optional key leaves `out` as it is; every getter returns whether it wrote `out`.
class Fields {
public:
    /// `what` names the object in messages, e.g. "a joint". A node that is no object is a problem at once.
    Fields(const Node& node, std::string what, Problems& problems);
    ~Fields() = default;
    Fields(const Fields&) = delete;
    Fields& operator=(const Fields&) = delete;

    bool number(const char* key, double& out, Range range = any_length, bool required = false);
    bool integer(const char* key, long long& out, long long low, long long high, bool required = false);
    bool text(const char* key, std::string& out, bool required = false);
    bool flag(const char* key, bool& out);
    bool numbers(const char* key, std::vector<double>& out, std::size_t count, Range range = any_length, bool required = false);
    bool texts(const char* key, std::vector<std::string>& out, bool required = false);
    /// One of the given names; out is its position.
    bool choice(const char* key, std::size_t& out, const std::vector<std::string>& names, bool required = false);
    template <typename E>
    bool choice(const char* key, E& out, const std::vector<std::pair<std::string, E>>& names, bool required = false)
    {
        std::vector<std::string> words;
        words.reserve(names.size());
        for (const auto& entry : names) {
            words.push_back(entry.first);
        }
        std::size_t index = 0;
        if (!choice(key, index, words, required)) {
            return false;
        }
        out = names[index].second;
        return true;
    }
    /// Keys that the caller reads by itself.
    void allow(std::initializer_list<const char*> keys) { known_.insert(known_.end(), keys.begin(), keys.end()); }
    /// The raw node, null where missing.
    const Node* node(const char* key, Kind kind, bool required = false);
    [[nodiscard]] bool has(const char* key) const { return node_.find(key) != nullptr; }
    /// Calls `read` for each member of an object value, or each item of an array value.
    void each_member(const char* key, const std::function<void(const std::string&, const Node&)>& read, bool required = false);
    void each_item(const char* key, const std::function<void(const Node&)>& read, bool required = false);
    void finish();

    void problem(const Node& at, std::string message, std::string cure) { problems_.add(at, std::move(message), std::move(cure)); }
    [[nodiscard]] const Node& here() const { return node_; }
    [[nodiscard]] Problems& problems() { return problems_; }

private:
    const Node& node_;
    std::string what_;
    Problems& problems_;
    std::vector<std::string> known_;
};

/// Checks the root's "format" key against `name` (e.g. "machine/1").
void check_format(Fields& root, const std::string& name);
/// The value of the root's "format" key, empty where there is none.
[[nodiscard]] std::string format_of(const Document& document);

} // namespace wexilum::json
