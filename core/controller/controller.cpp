#include "core/controller/controller.hpp"

#include "core/base/file_units.hpp"
#include "core/base/json_document.hpp"
#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

class Reader {
public:
    explicit Reader(const json::Document& document) : document_(document), problems_(document) {}

    Result<Controller> read()
    {
        Fields root(document_.root(), "the controller", problems_);
        json::check_format(root, "controller/1");
        units_ = read_units(root);
        root.text("name", c_.name, true);
        root.text("description", c_.description);
        read_axes(root);
        read_aligned(root);
        read_words(root);
        read_numbers(root);
        read_addresses(root);
        read_arcs(root);
        read_motion(root);
        read_limits(root);
        read_timing(root, units_, problems_, c_.timing);
        root.each_item(
            "witnesses", [&](const Node& n) { read_witness(n); }, true);
        if (c_.witnesses.empty() && !problems_.any()) {
            problems_.add(document_.root(), "the controller has no witness",
                          "type in at least one: program lines and the readings they lead to", ErrorKind::witness);
        }
        root.finish();
        if (problems_.any()) {
            return problems_.status().error();
        }
        return std::move(c_);
    }

private:
    static bool is_letter(const std::string& s) { return s.size() == 1 && s[0] >= 'A' && s[0] <= 'Z'; }

    void read_axes(Fields& root)
    {
        root.each_member(
            "axes",
            [&](const std::string& address, const Node& joint) {
                if (!is_letter(address) || (joint.kind != Kind::string && joint.kind != Kind::object)) {
                    problems_.add(joint, fmt::format("the axis \"{}\" must map one capital letter to a joint's name", address),
                                  "write \"X\": \"X\"");
                    return;
                }
                std::string& id = c_.axes[address[0]];
                if (joint.kind == Kind::string) {
                    id = joint.text;
                    return;
                }
                Fields fields(joint, fmt::format("the axis {}", address), problems_);
                TurnReading reads = TurnReading::wound;
                fields.text("joint", id, true);
                fields.choice("reads", reads,
                              {{"wound", TurnReading::wound},
                               {"shortest-way", TurnReading::shortest_way},
                               {"signed-way", TurnReading::signed_way},
                               {"rising", TurnReading::rising},
                               {"falling", TurnReading::falling}},
                              true);
                fields.finish();
                c_.turns[id] = reads;
            },
            true);
    }

    void read_aligned(Fields& root)
    {
        root.each_item("aligned", [&](const Node& node) {
            Fields fields(node, "the aligned joints", problems_);
            AlignedJoints group;
            fields.texts("joints", group.joints, true);
            std::size_t coordinates = 0;
            fields.choice("coordinates", coordinates, {"own", "summed"}, true);
            group.summed = coordinates == 1;
            fields.finish();
            for (const std::string& id : group.joints) {
                if (!c_.address_of(id)) {
                    problems_.add(node, fmt::format("the aligned joint \"{}\" has no address", id.substr(0, 40)), "add it under \"axes\"");
                }
                if (std::count(group.joints.begin(), group.joints.end(), id) > 1) {
                    problems_.add(node, fmt::format("the joint \"{}\" appears twice in a group of aligned joints", id.substr(0, 40)),
                                  "list it once");
                }
                if (c_.aligned_with(id) != nullptr) {
                    problems_.add(node, fmt::format("the joint \"{}\" is in two groups of aligned joints", id.substr(0, 40)),
                                  "list it once");
                }
            }
            if (group.joints.size() < 2) {
                problems_.add(node, "a single joint is not aligned with another", "list two or more, or leave the group out");
            }
            c_.aligned.push_back(std::move(group));
        });
    }

    /// The joint that turns the cylinder, and the letter that gives the way round.
    void read_surface(Fields& fields, WordMeaning& meaning)
    {
        std::string flat;
        if (fields.text("turns", meaning.joint, true) && !c_.address_of(meaning.joint)) {
            problems_.add(*fields.here().find("turns"), fmt::format("the joint \"{}\" has no address", meaning.joint.substr(0, 40)),
                          "name one of \"axes\"");
        }
        if (fields.text("flat", flat, true)) {
            const auto axis = flat.size() == 1 ? c_.axes.find(flat[0]) : c_.axes.end();
            if (axis == c_.axes.end() || axis->second == meaning.joint) {
                problems_.add(*fields.here().find("flat"), fmt::format("\"{}\" is not a letter of another axis", flat.substr(0, 40)),
                              "name the letter of the linear axis whose word tells the way round");
            } else {
                meaning.flat = flat[0];
            }
        }
    }

    void read_words(Fields& root)
    {
        root.each_member(
            "words",
            [&](const std::string& word, const Node& node) {
                Fields fields(node, fmt::format("the word {}", word), problems_);
                WordMeaning meaning;
                std::string name;
                if (fields.text("does", name, true)) {
                    const auto function = function_named(name);
                    if (!function) {
                        problems_.add(*node.find("does"), fmt::format("no function is called \"{}\"", name.substr(0, 40)),
                                      "docs/formats/controller.md lists the functions");
                    } else {
                        meaning.function = *function;
                    }
                }
                if (meaning.function == Function::work_offset) {
                    fields.text("register", meaning.work_register, true);
                }
                if (meaning.function == Function::brake_lock || meaning.function == Function::brake_release) {
                    fields.text("joint", meaning.joint, true);
                }
                if (meaning.function == Function::cylinder_surface) {
                    read_surface(fields, meaning);
                }
                if (meaning.function == Function::tool_mount) {
                    fields.text("mount", meaning.mount, true);
                }
                if (meaning.function == Function::wait) {
                    fields.text("mark", meaning.mark, true);
                }
                if (meaning.function == Function::tilted_plane) {
                    read_plane_form(fields, problems_, meaning.plane);
                }
                if (meaning.function == Function::cycle) {
                    std::size_t motion = 0;
                    const std::vector<std::string> motions{"drill", "peck", "chip_break", "tap", "bore"};
                    if (fields.choice("motion", motion, motions, true)) {
                        meaning.cycle.motion = motions[motion];
                    }
                    double gap = 0;
                    if (fields.number("gap", gap, json::not_negative)) {
                        meaning.cycle.gap = gap * units_.length;
                    }
                }
                fields.finish();
                if (word.size() < 2 || word[0] < 'A' || word[0] > 'Z') {
                    problems_.add(node, fmt::format("\"{}\" is not a word", word.substr(0, 40)),
                                  "write a capital letter and its number, like G1");
                    return;
                }
                if (!c_.words.emplace(normalised_word(word), meaning).second) {
                    problems_.add(node, fmt::format("the word {} appears twice", word), "G1 and G01 are the same word: keep one");
                }
            },
            true);
        root.texts("power_on", c_.power_on, true);
        for (std::string& word : c_.power_on) {
            word = normalised_word(word);
            if (!c_.words.contains(word)) {
                problems_.add(*root.here().find("power_on"), fmt::format("the power-on word {} is not among the words", word),
                              "add it to \"words\"");
            }
        }
    }

    void read_numbers(Fields& root)
    {
        const Node* node = root.node("numbers", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the numbers", problems_);
        constexpr json::Range increment{1e-9, 1000};
        fields.number("length", c_.length_increment, increment, true);
        fields.number("angle", c_.angle_increment, increment);
        fields.number("feed", c_.feed_increment, increment, true);
        fields.number("inverse_time", c_.inverse_time_increment, increment);
        fields.number("feed_per_revolution", c_.revolution_feed_increment, increment);
        fields.number("speed", c_.speed_increment, increment, true);
        fields.number("time", c_.time_increment, increment);
        fields.number("direction", c_.direction_increment, increment);
        std::size_t bare = 0;
        fields.choice("without_point", bare, {"units", "increments"}, true);
        c_.bare_number_is_increments = bare == 1;
        long long digits = c_.most_digits;
        fields.integer("digits", digits, 3, 15);
        c_.most_digits = static_cast<int>(digits);
        fields.finish();
    }

    void read_addresses(Fields& root)
    {
        const Node* node = root.node("addresses", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the addresses", problems_);
        read_letter(fields, "sequence_number", c_.sequence_number);
        read_letter(fields, "program_number", c_.program_number);
        wexilum::read_addresses(fields, c_);
        read_comment(fields, c_.comment_open, c_.comment_close);
        fields.finish();
        check_swallowed(*node);
    }

    /// The letter of program numbers is passed over wherever it stands, that of sequence numbers at the beginning of a block.
    void check_swallowed(const Node& addresses)
    {
        const std::vector<std::pair<char, std::string>> read{{c_.feed, "the feed"},
                                                             {c_.speed, "the speed"},
                                                             {c_.tool, "the tool"},
                                                             {c_.length_register, "the length register"},
                                                             {c_.centre[0], "an arc's centre"},
                                                             {c_.centre[1], "an arc's centre"},
                                                             {c_.centre[2], "an arc's centre"},
                                                             {c_.radius, "a radius"},
                                                             {c_.dwell, "a dwell"},
                                                             {c_.loop_count, "a loop's count"}};
        const auto check = [&](char letter, const char* what, const char* key) {
            const auto taken = std::find_if(read.begin(), read.end(), [&](const auto& one) { return one.first == letter; });
            const auto axis = c_.axes.find(letter);
            const bool word = std::any_of(c_.words.begin(), c_.words.end(), [&](const auto& one) { return one.first[0] == letter; });
            if (taken == read.end() && axis == c_.axes.end() && !word) {
                return;
            }
            const std::string other = axis != c_.axes.end() ? "the axis " + axis->second : word ? "a word of \"words\"" : taken->second;
            problems_.add(addresses,
                          fmt::format("the letter {} is that of {}, which the control passes over, and of {}", letter, what, other),
                          fmt::format("state another \"{}\" (the default is {})", key, letter == 'O' ? "O" : "N"));
        };
        check(c_.program_number, "program numbers", "program_number");
        check(c_.sequence_number, "sequence numbers", "sequence_number");
    }

    void read_arcs(Fields& root)
    {
        const Node* node = root.node("arcs", Kind::object);
        c_.has_arcs = node != nullptr;
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the arcs", problems_);
        std::vector<std::string> forms;
        if (fields.texts("forms", forms, true)) {
            c_.arc_centre = std::find(forms.begin(), forms.end(), "centre") != forms.end();
            c_.arc_radius = std::find(forms.begin(), forms.end(), "radius") != forms.end();
            if (forms.empty() || std::size_t(c_.arc_centre) + std::size_t(c_.arc_radius) != forms.size()) {
                problems_.add(*node->find("forms"), "the arc forms are \"centre\" and \"radius\"", "list one or both");
            }
        }
        if (fields.texts("planes", c_.arc_planes, true)) {
            for (const auto& plane : c_.arc_planes) {
                if (plane != "xy" && plane != "zx" && plane != "yz") {
                    problems_.add(*node->find("planes"), fmt::format("no plane is called \"{}\"", plane.substr(0, 40)), "use xy, zx, yz");
                }
            }
        }
        fields.flag("helix", c_.arc_helix);
        double tolerance = 0;
        if (fields.number("end_tolerance", tolerance, json::positive, true)) {
            c_.arc_end_tolerance = tolerance * units_.length;
        }
        fields.choice<Controller::RadiusRule>("radius_kept", c_.radius_rule,
                                              {{"start", Controller::RadiusRule::start}, {"blend", Controller::RadiusRule::blend}}, true);
        fields.finish();
    }

    void read_motion(Fields& root)
    {
        const Node* node = root.node("motion", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the motion", problems_);
        std::size_t path = 0;
        fields.choice("rapid", path, {"each-joint", "straight"}, true);
        c_.rapid_straight = path == 1;
        fields.choice("tip_rapid", path, {"each-joint", "straight"});
        c_.tip_rapid_straight = path == 1;
        fields.choice<Controller::RotaryFeed>(
            "rotary_feed", c_.rotary_feed,
            {{"combined", Controller::RotaryFeed::combined}, {"linear-only", Controller::RotaryFeed::linear_only}});
        std::size_t turned = 0;
        fields.choice("tip_turns", turned, {"joints-in-proportion", "on-great-circle"});
        c_.tip_by_vector = turned == 1;
        fields.flag("inverse_time_modal", c_.inverse_time_modal);
        fields.flag("feed_mode_clears_feed", c_.feed_mode_clears_feed);
        fields.text("length_joint", c_.length_joint);
        std::size_t cycles = 0;
        fields.choice("cycles", cycles, {"length-joint", "across-plane"});
        c_.cycles_across_plane = cycles == 1;
        fields.each_member("change_position", [&](const std::string& joint, const Node& value) {
            c_.change_position[joint] = dimension(value, "the change position");
            if (c_.change_position[joint] != 0) {
                c_.change_forms[joint] = {value.kind == Kind::object, document_.place_of(value.begin)};
            }
        });
        fields.flag("tool_change_stops_spindle", c_.tool_change_stops_spindle);
        fields.finish();
    }

    /// A length, or {"angle": value}.
    double dimension(const Node& node, const char* what)
    {
        if (node.kind == Kind::object) {
            Fields fields(node, what, problems_);
            double angle = 0;
            fields.number("angle", angle, json::any_length, true);
            fields.finish();
            return angle * units_.angle;
        }
        if (node.kind != Kind::number || std::abs(node.number) > 1e7) {
            problems_.add(node, fmt::format("{} needs a number within 1e7", what),
                          "write a length, or {\"angle\": value} for a rotary joint");
            return 0;
        }
        return node.number * units_.length;
    }

    /// The same of a joint in a witness, for which the axes behind A, B and C turn.
    double of_joint(const std::string& joint, const Node& node, const char* what)
    {
        const double value = dimension(node, what);
        const auto address = c_.address_of(joint);
        const bool turns = address && *address >= 'A' && *address <= 'C';
        if (address && value != 0 && turns != (node.kind == Kind::object)) {
            problems_.add(
                node,
                fmt::format("{} of {} is {}", what, joint, turns ? "a length, but the axis turns" : "an angle, but the axis does not turn"),
                turns ? "write {\"angle\": value}, in the file's unit of angles" : "write the number alone, in the file's unit of lengths");
        }
        return value;
    }

    void read_limits(Fields& root)
    {
        const Node* node = root.node("limits", Kind::object);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the limits", problems_);
        fields.number("feed", c_.feed_most, json::positive);
        fields.number("inverse_time", c_.inverse_time_most, json::positive);
        long long line = 0;
        c_.line_most = fields.integer("line", line, 8, 100000) ? static_cast<std::size_t>(line) : 0;
        fields.finish();
    }

    void read_witness(const Node& node)
    {
        Fields fields(node, "the witness", problems_);
        ControllerWitness witness;
        witness.place = document_.place_of(node.begin);
        fields.text("name", witness.name, true);
        fields.texts("code", witness.code, true);
        fields.each_member(
            "offsets", [&](const std::string& joint, const Node& value) { witness.offsets[joint] = of_joint(joint, value, "the offset"); });
        fields.each_member(
            "readings",
            [&](const std::string& joint, const Node& value) { witness.readings[joint] = of_joint(joint, value, "the reading"); }, true);
        double seconds = 0;
        if (fields.number("seconds", seconds, json::not_negative)) {
            witness.seconds = seconds;
        }
        std::vector<double> middle;
        if (fields.numbers("middle", middle, 3)) {
            for (double& v : middle) {
                v *= units_.length;
            }
            witness.arc_middle = middle;
        }
        fields.finish();
        c_.witnesses.push_back(std::move(witness));
    }

    const json::Document& document_;
    json::Problems problems_;
    FileUnits units_;
    Controller c_;
};

} // namespace

const WordMeaning* Controller::power_on_meaning(Group group) const
{
    for (const std::string& word : power_on) {
        const auto found = words.find(word);
        if (found != words.end() && group_of(found->second.function) == group) {
            return &found->second;
        }
    }
    return nullptr;
}

const AlignedJoints* Controller::aligned_with(const std::string& joint) const
{
    for (const AlignedJoints& group : aligned) {
        if (std::find(group.joints.begin(), group.joints.end(), joint) != group.joints.end()) {
            return &group;
        }
    }
    return nullptr;
}

std::optional<JointIndex> working_joint(const Machine& machine, const Controller& controller, JointIndex joint,
                                        const std::function<bool(JointIndex)>& moving)
{
    if (moving(joint)) {
        return joint;
    }
    const AlignedJoints* group = controller.aligned_with(machine.joints[joint.value].id);
    for (const std::string& id : group != nullptr ? group->joints : std::vector<std::string>()) {
        if (const auto other = machine.find_joint(id); other && moving(*other)) {
            return other;
        }
    }
    return std::nullopt;
}

Turned turned_to(TurnReading reads, double from, double place, bool negative, double increment)
{
    if (reads == TurnReading::wound) {
        return {place, false};
    }
    const double way = std::remainder(place - from, whole_turn); // from minus to plus half a turn
    const bool there = std::abs(way) <= increment / 2;
    switch (reads) {
    case TurnReading::shortest_way: return {from + way, std::abs(std::abs(way) - whole_turn / 2) <= increment / 2};
    case TurnReading::signed_way:
        return {from + way + (there ? 0 : negative ? (way > 0 ? -whole_turn : 0) : (way < 0 ? whole_turn : 0)), false};
    case TurnReading::rising: return {from + way + (!there && way < 0 ? whole_turn : 0), false};
    case TurnReading::falling: return {from + way - (!there && way > 0 ? whole_turn : 0), false};
    case TurnReading::wound: break;
    }
    return {place, false};
}

bool Controller::knows(Function function) const
{
    return std::any_of(words.begin(), words.end(), [&](const auto& word) { return word.second.function == function; });
}

std::optional<char> Controller::address_of(const std::string& joint) const
{
    for (const auto& [address, id] : axes) {
        if (id == joint) {
            return address;
        }
    }
    return std::nullopt;
}

std::string normalised_word(std::string_view word)
{
    std::string out;
    if (word.empty()) {
        return out;
    }
    out += word[0] >= 'a' && word[0] <= 'z' ? char(word[0] - 'a' + 'A') : word[0];
    word.remove_prefix(1);
    while (word.size() > 1 && word[0] == '0' && word[1] >= '0' && word[1] <= '9') {
        word.remove_prefix(1);
    }
    std::string rest(word);
    if (rest.find('.') != std::string::npos) {
        while (rest.back() == '0') {
            rest.pop_back();
        }
        if (rest.back() == '.') {
            rest.pop_back();
        }
    }
    return out + rest;
}

Result<Controller> read_word_controller(const json::Document& document) { return Reader(document).read(); }

} // namespace wexilum
