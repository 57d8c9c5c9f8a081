#include "core/events/rule_fields.hpp"

#include <algorithm>

namespace wexilum {
namespace {

void pose_fields(Event& event, const Pose& pose)
{
    for (std::size_t i = 0; i < 3; ++i) {
        event.numbers[i] = pose.tip[Eigen::Index(i)];
        event.numbers[3 + i] = pose.axis[Eigen::Index(i)];
    }
    event.present = 0x3f;
}

constexpr std::array<std::string_view, 3> spindle_states{"off", "clockwise", "counter_clockwise"};

std::size_t position(std::span<const std::string_view> names, std::string_view name)
{
    return std::size_t(std::find(names.begin(), names.end(), name) - names.begin());
}

double feed_unit(FeedMode mode) { return mode == FeedMode::per_revolution ? 1 : 60; }

void fill_fields(Event& event, const record::Circular& r)
{
    pose_fields(event, r.to);
    for (std::size_t i = 0; i < 3; ++i) {
        event.number(6 + i, r.centre[Eigen::Index(i)]);
        event.number(9 + i, r.normal[Eigen::Index(i)]);
    }
    event.number(12, r.radius);
    event.number(13, r.extra_turns);
}

void fill_fields(Event& event, const record::Ruled& r)
{
    pose_fields(event, r.to);
    for (std::size_t i = 0; i < 3; ++i) {
        event.number(6 + i, r.upper_to[Eigen::Index(i)]);
    }
}

void fill_fields(Event& event, const record::CycleStart& r)
{
    event.text(0, 0, r.kind);
    static constexpr std::array<const char*, 5> names{"depth", "clearance", "step", "dwell", "feed"};
    for (std::size_t i = 0; i < names.size(); ++i) {
        if (const auto found = r.parameters.find(names[i]); found != r.parameters.end()) {
            event.number(i + 1, found->second * (i == 4 ? 60 : 1));
        }
    }
}

void fill_fields(Event& event, const record::Feed& r)
{
    static constexpr std::array<const char*, 3> modes{"per_minute", "per_revolution", "inverse_time"};
    event.number(0, r.value * feed_unit(r.mode));
    event.text(1, 0, modes[static_cast<std::size_t>(r.mode)]);
}

void fill_fields(Event& event, const record::Spindle& r)
{
    event.text(0, 0, spindle_states[static_cast<std::size_t>(r.state)]);
    event.number(1, r.speed_rpm);
}

void fill_fields(Event& event, const record::Dwell& r)
{
    event.number(0, r.amount);
    event.number(1, r.revolutions ? 1 : 0);
}

} // namespace

RecordData changed(const RecordData& data, const Event& event)
{
    RecordData out = data;
    if (auto* feed = std::get_if<record::Feed>(&out)) {
        feed->value = event.numbers[0] / feed_unit(feed->mode);
    } else if (auto* spindle = std::get_if<record::Spindle>(&out)) {
        spindle->speed_rpm = event.numbers[1];
        spindle->state = static_cast<record::SpindleState>(position(spindle_states, event.texts[0]));
    } else if (auto* coolant = std::get_if<record::Coolant>(&out)) {
        for (const auto state : {record::CoolantState::off, record::CoolantState::flood, record::CoolantState::mist,
                                 record::CoolantState::through, record::CoolantState::air}) {
            coolant->state = event.texts[0] == name_of(state) ? state : coolant->state;
        }
    } else if (auto* dwell = std::get_if<record::Dwell>(&out)) {
        dwell->amount = event.numbers[0];
    } else if (auto* comment = std::get_if<record::Comment>(&out)) {
        comment->text = event.texts[0];
    } else if (auto* text = std::get_if<record::InsertedText>(&out)) {
        text->text = event.texts[0];
    }
    return out;
}

std::optional<EventKind> event_of(std::size_t record_kind)
{
    using enum EventKind;
    static constexpr std::array<std::optional<EventKind>, std::variant_size_v<RecordData>> kinds{
        std::nullopt,  rapid,        linear,          circular,      cycle,
        cycle_point,   cycle_end,    tool_change,     feed,          spindle,
        coolant,
        std::nullopt, // the job names the program, not the toolpath
        operation,     comment,      EventKind::stop, optional_stop, EventKind::dwell,
        inserted_text, std::nullopt, unknown_word,    std::nullopt,  linear, // no posture; a wound cut has no centre
        ruled};
    return kinds[record_kind];
}

void fill_fields(Event& event, EventKind kind, const RecordData& data)
{
    switch (kind) {
    case EventKind::linear: {
        pose_fields(event, *end_pose(data));
        const auto* linear = std::get_if<record::Linear>(&data);
        for (std::size_t i = 0; linear != nullptr && !linear->surface.isZero() && i < 3; ++i) {
            event.number(6 + i, linear->surface[Eigen::Index(i)]);
        }
        break;
    }
    case EventKind::rapid:
    case EventKind::cycle_point: pose_fields(event, *end_pose(data)); break;
    case EventKind::circular: fill_fields(event, std::get<record::Circular>(data)); break;
    case EventKind::ruled: fill_fields(event, std::get<record::Ruled>(data)); break;
    case EventKind::cycle: fill_fields(event, std::get<record::CycleStart>(data)); break;
    case EventKind::feed: fill_fields(event, std::get<record::Feed>(data)); break;
    case EventKind::spindle: fill_fields(event, std::get<record::Spindle>(data)); break;
    case EventKind::coolant: event.text(0, 0, name_of(std::get<record::Coolant>(data).state)); break;
    case EventKind::dwell: fill_fields(event, std::get<record::Dwell>(data)); break;
    case EventKind::comment: event.text(0, 0, std::get<record::Comment>(data).text); break;
    case EventKind::inserted_text: event.text(0, 0, std::get<record::InsertedText>(data).text); break;
    case EventKind::unknown_word:
        event.text(0, 0, std::get<record::Unknown>(data).word);
        event.text(1, 1, std::get<record::Unknown>(data).text);
        break;
    case EventKind::operation:
        event.text(0, 0, std::get<record::Operation>(data).id);
        event.text(1, 1, std::get<record::Operation>(data).name);
        break;
    default: break;
    }
}

} // namespace wexilum
