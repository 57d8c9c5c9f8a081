#include "core/controller/table.hpp"

#include "core/base/json_document.hpp"
#include "core/base/json_patch.hpp"
#include "core/base/units.hpp"
#include "core/controller/controller.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace wexilum {
namespace {

using json::Fields;
using json::Kind;
using json::Node;

constexpr double finest = 1e-6; // of the neutral language's numbers, mm, deg and s
const std::string letters_of_lengths = "XYZUVW";
const std::string letters_of_angles = "ABCDEQ";

class TableReader {
public:
    explicit TableReader(const json::Document& document) : document_(document), problems_(document) {}

    Result<Controller> read()
    {
        Fields root(document_.root(), "the controller", problems_);
        json::check_format(root, "controller/1");
        table_.units = read_units(root);
        std::string name;
        std::string description;
        root.text("name", name, true);
        root.text("description", description);
        if (const Node* node = root.node("table", Kind::object, true)) {
            read_table(*node);
        }
        read_numbers(root);
        std::vector<ControllerWitness> witnesses;
        root.each_item(
            "witnesses", [&](const Node& node) { witnesses.push_back(read_witness(node)); }, true);
        if (witnesses.empty() && !problems_.any()) {
            problems_.add(document_.root(), "the controller has no witness", "type in at least one: rows and the readings they lead to",
                          ErrorKind::witness);
        }
        root.finish();
        if (problems_.any()) {
            return problems_.status().error();
        }
        const auto neutral = json::Document::parse(neutral_text(), "the neutral language");
        auto out = neutral ? read_word_controller(*neutral) : Result<Controller>(neutral.error());
        if (!out) {
            return out;
        }
        out->name = std::move(name);
        out->description = std::move(description);
        out->witnesses = std::move(witnesses);
        out->table = std::move(table_);
        return out;
    }

private:
    void read_table(const Node& node)
    {
        Fields fields(node, "the table", problems_);
        std::size_t text = 0;
        fields.choice("text", text, {"csv", "json"});
        table_.json = text == 1;
        std::string separator = ",";
        fields.text("separator", separator);
        if (separator.size() != 1 || std::string(",;\t |").find(separator[0]) == std::string::npos) {
            problems_.add(fields.has("separator") ? *node.find("separator") : node, "the separator is not one that keeps numbers apart",
                          "write \",\", \";\", \"|\", a blank or a tab");
        }
        table_.separator = separator.empty() ? ',' : separator[0];
        fields.text("remark", table_.remark);
        fields.each_item(
            "columns", [&](const Node& column) { read_column(column); }, true);
        fields.number("interval", table_.interval, {1e-5, 10});
        fields.finish();
        const bool clocked[] = {table_.interval > 0, table_.column(TableColumn::Is::seconds) != nullptr,
                                table_.column(TableColumn::Is::time) != nullptr};
        if (std::count(std::begin(clocked), std::end(clocked), true) != 1) {
            problems_.add(node, "the table does not say once how long the control takes from row to row",
                          "state \"interval\", or one column that is \"seconds\" or \"time\"");
        }
        if (std::none_of(table_.columns.begin(), table_.columns.end(),
                         [](const TableColumn& c) { return c.is == TableColumn::Is::joint; })) {
            problems_.add(node, "no column of the table is a joint", "list {\"name\": \"X\", \"joint\": \"X\"}");
        }
    }

    void read_column(const Node& node)
    {
        Fields fields(node, "the column", problems_);
        TableColumn column;
        fields.text("name", column.name, true);
        if (column.name.find_first_of(",;|\t\"\\") != std::string::npos) {
            problems_.add(*node.find("name"), "a column's name holds a separator or a quote", "write letters and digits");
        }
        if (fields.text("joint", column.joint)) {
            fields.flag("turns", column.angle);
        } else {
            fields.choice<TableColumn::Is>("is", column.is,
                                           {{"seconds", TableColumn::Is::seconds},
                                            {"time", TableColumn::Is::time},
                                            {"cutting", TableColumn::Is::cutting},
                                            {"tool", TableColumn::Is::tool},
                                            {"spindle", TableColumn::Is::spindle},
                                            {"coolant", TableColumn::Is::coolant}},
                                           true);
        }
        fields.finish();
        const bool twice = std::any_of(table_.columns.begin(), table_.columns.end(), [&](const TableColumn& other) {
            return other.name == column.name || (other.is == column.is && other.joint == column.joint);
        });
        if (twice) {
            problems_.add(node, fmt::format("the column \"{}\" appears twice", column.name.substr(0, 40)), "list each once");
        }
        table_.columns.push_back(std::move(column));
    }

    void read_numbers(Fields& root)
    {
        const Node* node = root.node("numbers", Kind::object, true);
        if (node == nullptr) {
            return;
        }
        Fields fields(*node, "the numbers", problems_);
        const auto increment = [&](const char* key, double& out, double unit) {
            if (fields.number(key, out, {1e-9, 1}, true) && out * unit < finest * (1 - 1e-9)) {
                problems_.add(*node->find(key), fmt::format("\"{}\" is finer than a millionth of a mm, a degree or a second", key),
                              "state the smallest step of the table's own numbers");
            }
        };
        increment("length", length_, table_.units.length);
        increment("angle", angle_, to_deg(table_.units.angle));
        if (!(table_.interval > 0)) {
            increment("time", time_, 1);
        } else {
            fields.number("time", time_, {1e-9, 1});
        }
        fields.finish();
    }

    ControllerWitness read_witness(const Node& node)
    {
        Fields fields(node, "the witness", problems_);
        ControllerWitness witness;
        witness.place = document_.place_of(node.begin);
        fields.text("name", witness.name, true);
        fields.texts("rows", witness.code, true);
        fields.each_member(
            "readings",
            [&](const std::string& joint, const Node& value) {
                const TableColumn* column = table_.column_of(joint);
                if (column == nullptr || value.kind != Kind::number) {
                    problems_.add(value, fmt::format("\"{}\" is not a joint of the table with a number", joint.substr(0, 40)),
                                  "name joints of its columns, in the file's units");
                    return;
                }
                witness.readings[joint] = value.number * table_.unit_of(*column);
            },
            true);
        double seconds = 0;
        if (fields.number("seconds", seconds, json::not_negative)) {
            witness.seconds = seconds;
        }
        fields.finish();
        return witness;
    }

    /// The letters of the joints in the neutral language: their own where that is one, otherwise one that is left.
    std::string axes_text()
    {
        std::set<char> taken;
        std::vector<char> letters(table_.columns.size(), 0);
        const auto free = [&](const std::string& among) {
            const auto found = std::find_if(among.begin(), among.end(), [&](char c) { return !taken.contains(c); });
            return found == among.end() ? '\0' : *found;
        };
        for (std::size_t i = 0; i < letters.size(); ++i) {
            const TableColumn& column = table_.columns[i];
            const std::string& own = column.angle ? letters_of_angles : letters_of_lengths;
            if (column.joint.size() == 1 && own.find(column.joint[0]) != std::string::npos) {
                letters[i] = column.joint[0];
                taken.insert(letters[i]);
            }
        }
        std::string out;
        for (std::size_t i = 0; i < letters.size(); ++i) {
            const TableColumn& column = table_.columns[i];
            if (column.is != TableColumn::Is::joint) {
                continue;
            }
            letters[i] = letters[i] != 0 ? letters[i] : free(column.angle ? letters_of_angles : letters_of_lengths);
            letters[i] = letters[i] != 0 ? letters[i] : free(letters_of_lengths + letters_of_angles);
            if (letters[i] == 0) {
                continue; // more joints than letters: their columns are read, and not written
            }
            taken.insert(letters[i]);
            out += fmt::format("{}\"{}\": {}", out.empty() ? "" : ", ", letters[i], json::quoted(column.joint));
        }
        return out;
    }

    std::string neutral_text()
    {
        return fmt::format(R"wex({{"format": "controller/1", "units": {{"length": "mm", "angle": "deg"}}, "name": "neutral", "axes": {{{}}},
 "words": {{"G0": {{"does": "rapid"}}, "G1": {{"does": "linear"}}, "G4": {{"does": "dwell"}}, "G17": {{"does": "plane-xy"}},
  "G21": {{"does": "millimetres"}}, "G40": {{"does": "compensation-off"}}, "G53": {{"does": "machine-coordinates"}},
  "G54": {{"does": "work-offset", "register": "{}"}}, "G80": {{"does": "cycle-off"}}, "G90": {{"does": "absolute"}},
  "G93": {{"does": "feed-inverse-time"}}, "G94": {{"does": "feed-per-minute"}}, "M0": {{"does": "stop"}}, "M1": {{"does": "optional-stop"}},
  "M30": {{"does": "program-end"}}, "M3": {{"does": "spindle-clockwise"}}, "M4": {{"does": "spindle-counter-clockwise"}},
  "M5": {{"does": "spindle-off"}}, "M6": {{"does": "tool-change"}}, "M7": {{"does": "coolant-mist"}}, "M8": {{"does": "coolant-flood"}},
  "M10": {{"does": "coolant-through"}}, "M11": {{"does": "coolant-air"}}, "M9": {{"does": "coolant-off"}}}},
 "power_on": ["G0", "G17", "G21", "G40", "G54", "G90", "G94", "M5", "M9"],
 "numbers": {{"length": {:.9f}, "angle": {:.9f}, "feed": 0.001, "inverse_time": 0.000001, "speed": 0.001, "time": {:.9f},
  "without_point": "units", "digits": 15}},
 "addresses": {{"feed": "F", "speed": "S", "tool": "T", "dwell": "P", "dwell_unit": "s", "sequence_number": "N", "program_number": "O",
  "length_register": "H", "centre": ["I", "J", "K"], "radius": "R", "comment": ["(", ")"]}},
 "motion": {{"rapid": "straight", "rotary_feed": "combined", "inverse_time_modal": false, "feed_mode_clears_feed": true,
  "tool_change_stops_spindle": true}},
 "witnesses": [{{"name": "none", "code": ["G0"], "readings": {{}}}}]}})wex",
                           axes_text(), neutral_register, length_ * table_.units.length, angle_ * to_deg(table_.units.angle), time_);
    }

    const json::Document& document_;
    json::Problems problems_;
    Table table_;
    double length_ = 0.001;
    double angle_ = 0.001;
    double time_ = 0.001;
};

} // namespace

const TableColumn* Table::column(TableColumn::Is is) const
{
    const auto found = std::find_if(columns.begin(), columns.end(), [&](const TableColumn& c) { return c.is == is; });
    return found == columns.end() ? nullptr : &*found;
}

const TableColumn* Table::column_of(const std::string& joint) const
{
    const auto found = std::find_if(columns.begin(), columns.end(),
                                    [&](const TableColumn& c) { return c.is == TableColumn::Is::joint && c.joint == joint; });
    return found == columns.end() ? nullptr : &*found;
}

std::string Table::head() const
{
    std::string names;
    for (const TableColumn& column : columns) {
        names += (names.empty() ? "" : json ? ", " : std::string(1, separator)) + (json ? wexilum::json::quoted(column.name) : column.name);
    }
    return json ? "{\"columns\": [" + names + "], \"rows\": [" : names;
}

double Table::unit_of(const TableColumn& column) const { return column.is == TableColumn::Is::joint ? units.of(!column.angle) : 1; }

Result<Controller> read_controller(const json::Document& document)
{
    return document.root().find("table") != nullptr ? TableReader(document).read() : read_word_controller(document);
}

const std::string& neutral_dialect_text()
{
    static const std::string text = fmt::format(R"wex({{"format": "dialect/1", "name": "neutral", "program_units": "mm",
 "numbers": {{"length": {{"decimals": 6}}, "angle": {{"decimals": 6}}, "feed": {{"decimals": 3}}, "inverse_time": {{"decimals": 6}},
  "speed": {{"decimals": 3}}, "time": {{"decimals": 6}}}},
 "axes": {{"X": {{"word": "X"}}}},
 "words": {{"rapid": "G0", "linear": "G1", "dwell": "G4", "plane-xy": "G17", "millimetres": "G21", "compensation-off": "G40",
  "machine-coordinates": "G53", "cycle-off": "G80", "absolute": "G90", "feed-inverse-time": "G93", "feed-per-minute": "G94",
  "stop": "M0", "optional-stop": "M1", "program-end": "M30", "spindle-clockwise": "M3", "spindle-counter-clockwise": "M4",
  "spindle-off": "M5", "tool-change": "M6", "coolant-mist": "M7", "coolant-flood": "M8", "coolant-through": "M10", "coolant-air": "M11",
  "coolant-off": "M9"}},
 "work_offsets": {{"{}": "G54"}},
 "cycles": {{"drill": {{"write": "moves"}}, "peck": {{"write": "moves"}}, "chip_break": {{"write": "moves"}}, "bore": {{"write": "moves"}},
  "ream": {{"write": "moves"}}}},
 "modal": ["motion", "plane", "distance", "units", "feed-mode", "offset", "spindle", "coolant", "axes", "feed", "speed"],
 "restate_after": {{"tool-change": ["motion", "axes", "feed", "speed", "spindle", "coolant"], "feed-mode": ["feed"]}},
 "block": {{"order": "GXYZABCUVWIJKDEQRFSTPM", "separator": " ", "comment": ["(", ")"], "comment_upper": false}},
 "rotary_feed": "inverse-time", "tool_length": "in-coordinates",
 "sections": {{"program-head": ["({{program}})", "({{machine}})"], "safe-start": ["G17 G21 G40 G80 G90 G94", "{{retract}}", "{{work-offset}}"],
  "operation": ["({{operation}})"],
  "tool-change": ["{{coolant-off}}", "{{spindle-off}}", "{{retract}}", "T{{tool}} M6", "({{tool_name}})"],
  "wind-down": ["{{coolant-off}}", "{{spindle-off}}", "{{retract}}", "{{rotary-home}}"], "program-end": ["M30"]}}}})wex",
                                                neutral_register);
    return text;
}

} // namespace wexilum
