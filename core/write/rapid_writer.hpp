// Rapids, and what goes straight in their place.
#pragma once

#include "core/write/brake_writer.hpp"
#include "core/write/circle_words.hpp"
#include "core/write/feed_words.hpp"

#include <optional>

namespace wexilum {

class RapidWriter {
public:
    /// All must outlive the object.
    RapidWriter(const Assembly& assembly, WordEmitter& emitter, WrittenPlace& place, CircleWords& circles, FeedWords& feeds,
                BrakeWriter& brakes)
        : assembly_(assembly), emitter_(emitter), place_(place), circles_(circles), feeds_(feeds), brakes_(brakes)
    {}

    /// Brings some joints to where a position has them, in as many blocks as their turns take.
    void move(const MachinePosition& target, JointSet joints);
    /// In rapid, or straight at the fastest feed where the rapid would drag the tool aside or lower. Rotary joints stand.
    void move_clear(const MachinePosition& target, JointSet joints);
    /// That feed; nothing where a rapid does.
    [[nodiscard]] std::optional<FeedSpec> straight_feed(const MachinePosition& target, JointSet joints) const;

private:
    void move_once(Function function, const MachinePosition& target, JointSet joints, const FeedSpec* feed = nullptr);

    const Assembly& assembly_;
    WordEmitter& emitter_;
    WrittenPlace& place_;
    CircleWords& circles_;
    FeedWords& feeds_;
    BrakeWriter& brakes_;
};

} // namespace wexilum
