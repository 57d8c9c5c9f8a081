#include "core/dialect/dialect.hpp"

#include "core/base/json_document.hpp"
#include "core/base/plain_text.hpp"
#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr std::array<std::string_view, role_count> role_names{
    "motion",       "plane",         "distance",     "units",           "feed-mode",  "offset",
    "length",       "compensation",  "cycle-return", "spindle",         "coolant",    "frame",
    "rotation",     "once",          "axes",         "centre",          "radius",     "feed",
    "inverse-feed", "speed",         "tool",         "length-register", "dwell",      "cycle-clearance",
    "cycle-depth",  "cycle-step",    "cycle-dwell",  "loop-count",      "plane-zero", "plane-number",
    "subprogram",   "rotation-angle"};

class Reader {
public:
    explicit Reader(const json::Document& document) : document_(document), problems_(document) {}

    Result<Dialect> read()
    {
        Fields root(document_.root(), "the dialect", problems_);
        json::check_format(root, "dialect/1");
        root.text("name", d_.name, true);
        root.text("description", d_.description);
        std::size_t unit = 0;
        root.choice("program_units", unit, {"mm", "inch"}, true);
        d_.inches = unit == 1;
        read_numbers(root);
        read_axes(root);
        read_words(root);
        read_addresses(root);
        read_modality(root);
        read_block(root);
        read_arcs(root);
        root.choice<RotaryFeedStyle>("rotary_feed", d_.rotary_feed,
                                     {{"inverse-time", RotaryFeedStyle::inverse_time}, {"per-minute", RotaryFeedStyle::per_minute}});
        std::size_t length = 0;
        root.choice("tool_length", length, {"register", "in-coordinates"});
        d_.length_by_register = length == 0;
        read_frames(root);
        root.text("length_joint", d_.length_joint);
        if (root.text("extension", d_.extension)) {
            if (const auto unfit = unfit_extension(d_.extension)) {
                problems_.add(*document_.root().find("extension"), *unfit, "write it like \".nc\"");
            }
        }
        root.node("sections", Kind::object, true);
        d_.sections = read_sections(root, problems_, false);
        check_section_joints();
        root.finish();
        if (problems_.any()) {
            return problems_.status().error();
        }
        return std::move(d_);
    }

private:
    void read_numbers(Fields& root)
    {
        const Node* node = root.node("numbers", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the numbers", problems_);
        const std::vector<std::pair<const char*, Quantity>> keys{{"length", Quantity::length},
                                                                 {"angle", Quantity::angle},
                                                                 {"feed", Quantity::feed},
                                                                 {"inverse_time", Quantity::inverse_time},
                                                                 {"feed_per_revolution", Quantity::revolution_feed},
                                                                 {"speed", Quantity::speed},
                                                                 {"time", Quantity::time},
                                                                 {"direction", Quantity::direction}};
        for (const auto& [key, quantity] : keys) {
            NumberStyle& style = d_.numbers[static_cast<std::size_t>(quantity)];
            if (const Node* inner = fields.node(key, Kind::object, quantity == Quantity::length)) {
                Fields f(*inner, fmt::format("the number style {}", key), problems_);
                long long decimals = style.decimals;
                f.integer("decimals", decimals, 0, 8, true);
                style.decimals = static_cast<int>(decimals);
                std::size_t point = 0;
                f.choice("point", point, {"always", "when-needed"});
                style.point_always = point == 0;
                f.flag("keep_zeros", style.keep_zeros);
                f.finish();
            } else {
                const int decimals = quantity == Quantity::speed ? 0 : quantity == Quantity::direction ? 6 : 3;
                style = NumberStyle{decimals, quantity != Quantity::speed, false};
            }
        }
        d_.numbers[static_cast<std::size_t>(Quantity::whole)] = NumberStyle{0, false, false};
        fields.finish();
    }

    void read_axes(Fields& root)
    {
        root.each_member(
            "axes",
            [&](const std::string& joint, const Node& node) {
                Fields fields(node, fmt::format("the axis of {}", joint), problems_);
                AxisWord word;
                fields.node("word", Kind::string, true);
                read_letter(fields, "word", word.address);
                long long sign = 1;
                fields.integer("sign", sign, -1, 1);
                word.sign = sign < 0 ? -1 : 1;
                fields.finish();
                d_.axes[joint] = word;
            },
            true);
    }

    void read_words(Fields& root)
    {
        root.each_member(
            "words",
            [&](const std::string& name, const Node& node) {
                const auto function = function_named(name);
                const bool own_list =
                    function && (*function == Function::work_offset || *function == Function::cycle || *function == Function::brake_lock ||
                                 *function == Function::brake_release || *function == Function::tilted_plane ||
                                 *function == Function::tool_mount || *function == Function::wait);
                if (!function || own_list || node.kind != Kind::string) {
                    problems_.add(node, fmt::format("\"{}\" is not a function with a word of its own", name.substr(0, 40)),
                                  "docs/formats/dialect.md lists them; offsets, cycles, brakes, mounts and the tilted plane have places of "
                                  "their own");
                    return;
                }
                d_.words[*function] = word(node);
            },
            true);
        root.each_member(
            "work_offsets",
            [&](const std::string& name, const Node& node) {
                if (node.kind != Kind::string) {
                    problems_.add(node, "a work offset's word is a text", "write \"1\": \"G54\"");
                    return;
                }
                d_.work_offsets[name] = word(node);
            },
            true);
        root.each_member("mounts", [&](const std::string& mount, const Node& node) {
            if (node.kind != Kind::string) {
                problems_.add(node, "the word of a mount is a text", "write \"saw\": \"M71\"");
                return;
            }
            d_.mounts[mount] = word(node);
        });
        root.each_member("brakes", [&](const std::string& joint, const Node& node) {
            Fields fields(node, fmt::format("the brake of {}", joint), problems_);
            BrakeWords words;
            word(fields, "lock", words.lock, true);
            word(fields, "release", words.release, true);
            fields.finish();
            d_.brakes[joint] = words;
        });
        root.each_member("cycles", [&](const std::string& name, const Node& node) {
            Fields fields(node, fmt::format("the cycle {}", name), problems_);
            CycleStyle style;
            std::size_t write = 0;
            fields.choice("write", write, {"native", "moves"}, true);
            style.native = write == 0;
            word(fields, "word", style.word, style.native);
            double gap = style.gap;
            fields.number("gap", gap, json::not_negative);
            style.gap = gap;
            fields.finish();
            d_.cycles[name] = style;
        });
    }

    /// The text of a node; reported where it can't be a word.
    const std::string& word(const Node& node)
    {
        if (const auto unfit = unfit_word(node.text)) {
            problems_.add(node, *unfit, "write the word as the control reads it, like \"G0\"");
        }
        return node.text;
    }

    void word(Fields& fields, const char* key, std::string& out, bool required)
    {
        if (fields.text(key, out, required)) {
            (void)word(*fields.here().find(key));
        }
    }

    void read_addresses(Fields& root)
    {
        const Node* node = root.node("addresses", Kind::object);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the addresses", problems_);
        wexilum::read_addresses(fields, d_);
        fields.finish();
    }

    std::set<Role> roles(const Node& node)
    {
        std::set<Role> out;
        for (const Node& item : node.items) {
            const auto role = item.kind == Kind::string ? role_named(item.text) : std::nullopt;
            if (!role) {
                problems_.add(item, fmt::format("no slot is called \"{}\"", item.text.substr(0, 40)),
                              fmt::format("use one of: {}", fmt::join(role_names, ", ")));
                break;
            }
            out.insert(*role);
        }
        return out;
    }

    void read_modality(Fields& root)
    {
        if (const Node* node = root.node("modal", Kind::array, true)) {
            d_.modal = roles(*node);
        }
        root.each_member("restate_after", [&](const std::string& event, const Node& node) {
            static const std::vector<std::string> events{"tool-change", "feed-mode", "machine-coordinates", "cycle", "operation"};
            if (std::find(events.begin(), events.end(), event) == events.end() || node.kind != Kind::array) {
                problems_.add(node, fmt::format("nothing can be restated after \"{}\"", event.substr(0, 40)),
                              fmt::format("use a list under one of: {}", fmt::join(events, ", ")));
                return;
            }
            d_.restate[event] = roles(node);
        });
    }

    void read_block(Fields& root)
    {
        const Node* node = root.node("block", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the block", problems_);
        if (fields.text("order", d_.order)) {
            std::string sorted = d_.order;
            std::sort(sorted.begin(), sorted.end());
            const bool twice = std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end();
            const bool letters = std::all_of(sorted.begin(), sorted.end(), [](char c) { return c >= 'A' && c <= 'Z'; });
            if (twice || !letters) {
                problems_.add(*node->find("order"), "the order is a text of capital letters, each once", "write \"NGXYZBCIJKRFSTHM\"");
            }
        }
        fields.text("separator", d_.separator);
        if (d_.separator.find_first_not_of(' ') != std::string::npos) {
            problems_.add(*node->find("separator"), "words are separated by blanks or nothing", "write \" \" or \"\"");
        }
        if (const Node* inner = fields.node("sequence", Kind::object)) {
            Fields f(*inner, "the sequence numbers", problems_);
            read_letter(f, "letter", d_.sequence_letter);
            f.integer("start", d_.sequence_start, 0, 1000000);
            f.integer("step", d_.sequence_step, 1, 1000);
            f.finish();
        } else {
            d_.sequence = false;
        }
        read_comment(fields, d_.comment_open, d_.comment_close);
        fields.flag("comment_upper", d_.comment_upper);
        fields.finish();
    }

    void read_arcs(Fields& root)
    {
        const Node* node = root.node("arcs", Kind::object);
        d_.arcs = node != nullptr;
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the arcs", problems_);
        fields.choice<ArcForm>("form", d_.arc_form, {{"centre", ArcForm::centre}, {"radius", ArcForm::radius}}, true);
        fields.flag("helix", d_.helix);
        fields.finish();
    }

    void read_frames(Fields& root)
    {
        if (const Node* node = root.node("plane", Kind::object)) {
            Fields fields(*node, "the tilted plane", problems_);
            PlaneStyle style;
            word(fields, "word", style.word, true);
            read_plane_form(fields, problems_, style);
            std::size_t zero = 0;
            fields.choice("zero", zero, {"program", "first-point"});
            style.zero_at_work = zero == 1;
            fields.finish();
            d_.plane = style;
        }
        if (const Node* node = root.node("frames", Kind::object)) {
            Fields fields(*node, "the frames", problems_);
            read_frame(fields, "standing", d_.standing_frame);
            read_frame(fields, "turning", d_.turning_frame);
            read_frame(fields, "wound", d_.wound_frame);
            if (d_.standing_frame == FrameKind::cylinder || d_.turning_frame == FrameKind::cylinder) {
                problems_.add(*node, "\"cylinder\" is for wound operations alone", "write it as \"wound\"");
            }
            fields.finish();
        }
        for (const FrameKind kind : {d_.standing_frame, d_.turning_frame, d_.wound_frame}) {
            if (const auto lacks = d_.lacks_for(kind)) {
                problems_.add(*root.here().find("frames"), *lacks, "add it, or choose another frame");
            }
        }
    }

    void check_section_joints()
    {
        for (const auto& [name, section] : d_.sections) {
            for (const std::string& joint : section ? joints_of(*section) : std::vector<std::string>()) {
                if (!d_.axes.contains(joint)) {
                    problems_.add(*document_.root().find("sections")->find(name),
                                  fmt::format("\"{}\" is neither a slot nor an axis", joint.substr(0, 40)),
                                  "use feed, speed, tool, length-register, dwell, loop-count or a joint of \"axes\"");
                }
            }
        }
    }

    const json::Document& document_;
    json::Problems problems_;
    Dialect d_;
};

} // namespace

std::string_view name_of(Role role) { return role_names[static_cast<std::size_t>(role)]; }

std::optional<Role> role_named(std::string_view name)
{
    const auto found = std::find(role_names.begin(), role_names.end(), name);
    return found == role_names.end() ? std::nullopt : std::optional(static_cast<Role>(found - role_names.begin()));
}

Role role_of(Group group) { return group == Group::none ? Role::once : static_cast<Role>(group); }

std::optional<std::string> Dialect::word(Function function) const
{
    const auto found = words.find(function);
    return found == words.end() ? std::nullopt : std::optional(found->second);
}

std::optional<std::string> Dialect::lacks_for(FrameKind kind) const
{
    if (kind == FrameKind::joints) {
        return std::nullopt;
    }
    const auto needs = [&](Function function) -> std::optional<std::string> {
        return word(function) ? std::nullopt : std::optional(fmt::format("\"{}\" needs a word for {}", name_of(kind), name_of(function)));
    };
    if (kind == FrameKind::cylinder) {
        const auto lacks = needs(Function::joint_coordinates);
        return lacks ? lacks : needs(Function::cylinder_surface);
    }
    if (kind == FrameKind::tilted_plane && !plane) {
        return "\"tilted-plane\" needs the form of its declaration under \"plane\"";
    }
    if (!length_by_register) {
        return fmt::format("\"{}\" needs the tool's length in a register: the control has to know it", name_of(kind));
    }
    for (const Function function : {Function::joint_coordinates, Function::length_off}) {
        if (auto lacks = needs(function)) {
            return lacks;
        }
    }
    return kind == FrameKind::tilted_plane ? std::nullopt
                                           : needs(kind == FrameKind::world ? Function::world_coordinates : Function::tool_centre_point);
}

bool read_frame(json::Fields& fields, const char* key, FrameKind& out)
{
    std::vector<std::pair<std::string, FrameKind>> names;
    for (std::size_t i = 0; i < frame_kind_count; ++i) {
        names.emplace_back(name_of(static_cast<FrameKind>(i)), static_cast<FrameKind>(i));
    }
    return fields.choice<FrameKind>(key, out, names);
}

namespace {

/// One that writes tables: the neutral language, and how its motions become rows.
Result<Dialect> read_table_dialect(const json::Document& document)
{
    const auto neutral = json::Document::parse(neutral_dialect_text(), "the neutral language");
    auto out = neutral ? Reader(*neutral).read() : Result<Dialect>(neutral.error());
    if (!out) {
        return out;
    }
    json::Problems problems(document);
    Fields root(document.root(), "the dialect", problems);
    json::check_format(root, "dialect/1");
    root.text("name", out->name, true);
    root.text("description", out->description);
    out->extension = ".csv";
    if (root.text("extension", out->extension)) {
        if (const auto unfit = unfit_extension(out->extension)) {
            problems.add(*document.root().find("extension"), *unfit, "write it like \".csv\"");
        }
    }
    out->table.emplace();
    if (const Node* node = root.node("table", Kind::object, true)) {
        Fields fields(*node, "the table", problems);
        fields.number("pace", out->table->pace, {0.01, 10});
        fields.finish();
    }
    root.finish();
    if (problems.any()) {
        return problems.status().error();
    }
    return out;
}

} // namespace

Result<Dialect> read_dialect(const json::Document& document)
{
    return document.root().find("table") != nullptr ? read_table_dialect(document) : Reader(document).read();
}

} // namespace wexilum
