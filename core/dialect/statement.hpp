// The unit of output before it becomes text: a statement of typed slots.
#pragma once

#include "core/dialect/dialect.hpp"

#include <array>
#include <cassert>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <new>
#include <string>
#include <type_traits>

namespace wexilum {

/// One typed value of a statement. For function roles `text` is the word; for the others `counts` in the quantity's last decimal.
struct Slot {
    Role role = Role::once;
    std::uint8_t index = 0; ///< joint of an axis, 0..2 of a centre or a plane's zero, 0..5 of its numbers
    Quantity quantity = Quantity::whole;
    std::int64_t counts = 0;
    const std::string* text = nullptr; ///< a word of the dialect, which outlives the statement and what is remembered of it
};

static_assert(std::is_trivially_copyable_v<Slot> && std::is_trivially_destructible_v<Slot>);

/// A short list of slots in place, because one is made for every block.
class SlotList {
public:
    static constexpr std::size_t most = 32; ///< joints (16), and every other role once
    SlotList() {}                           // NOLINT(modernize-use-equals-default): a defaulted one may clear the storage
    SlotList(std::initializer_list<Slot> slots)
    {
        for (const Slot& slot : slots) {
            push_back(slot);
        }
    }
    /// Precondition: size() < most.
    void push_back(const Slot& slot)
    {
        assert(size_ < most);
        ::new (static_cast<void*>(storage_.data() + size_++ * sizeof(Slot))) Slot(slot);
    }
    [[nodiscard]] const Slot* begin() const { return data(); }
    [[nodiscard]] const Slot* end() const { return data() + size_; }
    [[nodiscard]] std::size_t size() const { return size_; }

private:
    [[nodiscard]] const Slot* data() const { return std::launder(reinterpret_cast<const Slot*>(storage_.data())); }
    // Raw, so that making a statement does not clear what it won't use.
    alignas(Slot) std::array<std::byte, most * sizeof(Slot)> storage_;
    std::size_t size_ = 0;
};

enum class StatementKind { motion, cycle, state, tool_change, dwell, stop, text };

struct Statement {
    explicit Statement(StatementKind which) : kind(which) {}
    Statement(StatementKind which, std::initializer_list<Slot> values) : kind(which), slots(values) {}
    StatementKind kind;
    SlotList slots;
};

} // namespace wexilum
