// Machines made and changed by forms: what the fields take, what of the text changes, and that what comes out is a machine.
#include "core/machine/kinematics.hpp"
#include "core/machine/machine_form.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_machine_form {

namespace {

json::Document parsed(const std::string& text) { return json::Document::parse(text, "machines/m.json").value(); }

FormField field_of(const json::Document& document, const PartPath& path, const std::string& title)
{
    for (const FormField& field : fields_of(document, path)) {
        if (field.title == title) {
            return field;
        }
    }
    qFatal("no field %s", title.c_str());
}

std::string after(const std::string& text, const PartPath& path, const std::string& title, const std::string& typed)
{
    const json::Document document = parsed(text);
    const auto out = with_value(document, path, field_of(document, path, title), typed);
    return out ? *out : "error: " + out.error().message + "; " + out.error().cure;
}

std::string shown(const std::string& text, const PartPath& path, const std::string& title)
{
    const json::Document document = parsed(text);
    return shown_value(document, path, field_of(document, path, title));
}

std::string replaced(std::string text, const std::string& from, const std::string& to)
{
    const std::size_t at = text.find(from);
    return at == std::string::npos ? "no such text: " + from : text.replace(at, from.size(), to);
}

const std::string tarn = read_file(demo_folder() + "/machines/tarn-3.json");
const PartPath joint_z{"joints", std::size_t(2)};

} // namespace

class TestMachineForm : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void starts_are_machines_data()
    {
        QTest::addColumn<int>("start");
        QTest::addColumn<int>("joints");
        const std::array joints{3, 3, 5, 5, 5, 4};
        for (std::size_t i = 0; i < machine_starts().size(); ++i) {
            QTest::newRow(machine_starts()[i].name.c_str()) << int(i) << joints.at(i);
        }
    }
    void starts_are_machines()
    {
        QFETCH(int, start);
        QFETCH(int, joints);
        const auto machine = read_machine(parsed(machine_starts()[std::size_t(start)].text));
        QVERIFY2(bool(machine), machine ? "" : machine.error().text().c_str());
        QCOMPARE(int(machine->joints.size()), joints);
        QVERIFY(machine->bodies.size() > 3);
        QVERIFY(machine->retract.has_value());
        QVERIFY(bool(Kinematics::make(*machine)));
    }

    void values_understand_units_data()
    {
        QTest::addColumn<QString>("title");
        QTest::addColumn<QString>("typed");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        const auto row = [](const char* title, const char* typed, const char* from, const char* to) {
            QTest::newRow(typed) << QString::fromLatin1(title) << QString::fromLatin1(typed) << QString::fromLatin1(from)
                                 << QString::fromLatin1(to);
        };
        row("Travel", "-20 in, 0", "[-510, 0]", "[-508, 0]");
        row("Travel", "-0.5 m to 10", "[-510, 0]", "[-500, 10]");
        row("Home", "-1 in + 0.4 mm", "\"home\": 0", "\"home\": -25");
        row("Fastest", "12 m/min", "\"speed\": 15000", "\"speed\": 12000");
        row("Fastest", "200 mm/s", "\"speed\": 15000", "\"speed\": 12000");
        row("Fastest", "9000", "\"speed\": 15000", "\"speed\": 9000");
        row("Acceleration", "3.5 m/s2", "\"acceleration\": 3000", "\"acceleration\": 3500");
        row("Direction", "-z", "\"direction\": [0, 0, 1],\n     \"travel\": [-510", "\"direction\": [0, 0, -1],\n     \"travel\": [-510");
        row("Direction", "0, 3, 4", "\"direction\": [0, 0, 1],\n     \"travel\": [-510",
            "\"direction\": [0, 0.6, 0.8],\n     \"travel\": [-510");
        row("Moves while cutting", "no", "\"jerk\": 40000}\n  ],", "\"jerk\": 40000, \"moves_while_cutting\": false}\n  ],");
        row("Jerk", "", ", \"jerk\": 40000}\n  ],", "}\n  ],");
    }
    void values_understand_units()
    {
        QFETCH(QString, title);
        QFETCH(QString, typed);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QCOMPARE(after(tarn, joint_z, title.toStdString(), typed.toStdString()), replaced(tarn, from.toStdString(), to.toStdString()));
    }

    void tells_what_it_does_not_take_data()
    {
        QTest::addColumn<QString>("title");
        QTest::addColumn<QString>("typed");
        QTest::addColumn<QString>("error");
        const auto row = [](const char* title, const char* typed, const char* error) {
            QTest::newRow(typed) << QString::fromLatin1(title) << QString::fromLatin1(typed) << QString::fromLatin1(error);
        };
        row("Home", "3 deg", "\"3 deg\" is an angle, not a length; type a number in mm, or one with another unit, like 2 in");
        row("Home", "-", "\"-\" is not a number; type a number in mm, or one with another unit, like 2 in");
        row("Home", "1/0", "\"1/0\" can't be computed; type a number in mm, or one with another unit, like 2 in");
        row("Fastest", "2 in", "\"2 in\" is a length, not a feed; type a number in mm/min, or one with another unit, like 0.4 m/min");
        row("Travel", "-5", "\"-5\" is not two numbers; type them like -100, 250");
        row("Travel", "5, -5", "\"5, -5\" does not rise; type the low end first");
        row("Direction", "up", "\"up\" is not a direction; type an axis, like -Z, or three numbers, like 0, 1, 1");
        row("Direction", "0 0 0", "\"0 0 0\" is not a direction; type an axis, like -Z, or three numbers, like 0, 1, 1");
        row("Travel", "", "Travel is required; type a value");
        row("Name", "X", "\"X\" is there already; choose another name");
        row("Name", "base", "\"base\" can't be a name; choose another name");
        row("Carried by", "Z", "\"Z\" can't be chosen; choose base, Y, X");
    }
    void tells_what_it_does_not_take()
    {
        QFETCH(QString, title);
        QFETCH(QString, typed);
        QFETCH(QString, error);
        QCOMPARE(QString::fromStdString(after(tarn, joint_z, title.toStdString(), typed.toStdString())), "error: " + error);
    }

    void shows_both_systems()
    {
        const std::string inches = replaced(replaced(machine_starts()[2].text, "\"length\": \"mm\"", "\"length\": \"inch\""),
                                            "\"angle\": \"deg\"", "\"angle\": \"rad\"");
        const PartPath x{"joints", std::size_t(0)};
        const PartPath b{"joints", std::size_t(3)};
        const json::Document document = parsed(inches);
        QCOMPARE(shown(inches, x, "Travel"), "-12700, 12700"); // 500 in
        QCOMPARE(other_units(document, x, field_of(document, x, "Travel")), "-500, 500 in");
        QVERIFY(other_units(document, x, field_of(document, x, "Home")).empty()); // nothing is said of it
        QCOMPARE(shown(inches, x, "Fastest"), "381000");                          // 15000 in a minute
        QCOMPARE(unit_of(field_of(document, x, "Fastest")), "mm/min");
        QCOMPARE(unit_of(field_of(document, b, "Fastest")), "deg/min");
        QCOMPARE(unit_of(field_of(document, b, "Acceleration")), "deg/s2");
        // A quarter turn a second is 90 deg/s, pi/2 rad/s, and 30 pi rad a minute in the file.
        const std::string faster = after(inches, b, "Fastest", "0.25 rev/s");
        QVERIFY2(faster.find("\"speed\": 94.24778") != std::string::npos, faster.c_str());
        QVERIFY(std::abs(std::stod(shown(faster, b, "Fastest")) - 5400) < 1e-3); // the file has six decimals
        QCOMPARE(after(inches, x, "Home", "2 in"),
                 replaced(inches, "\"speed\": 15000, \"acceleration\": 3000}", "\"speed\": 15000, \"acceleration\": 3000, \"home\": 2}"));
    }

    void a_name_is_changed_wherever_it_stands()
    {
        const std::string out = after(tarn, joint_z, "Name", "ram");
        const auto machine = read_machine(parsed(out));
        QVERIFY2(bool(machine), machine ? "" : machine.error().text().c_str());
        QCOMPARE(machine->joints[machine->retract->value].id, "ram");
        QVERIFY(out.find("\"Z\"") == std::string::npos);
        QCOMPARE(after(out, joint_z, "Name", "Z"), tarn); // and back, to the byte
    }

    void parts_come_and_go()
    {
        PartPath path;
        const auto more = with_new_part(parsed(tarn), MachinePart::joint, "Z", path);
        QVERIFY(bool(more));
        QCOMPARE(path, (PartPath{"joints", std::size_t(3)}));
        QCOMPARE(name_of(parsed(*more), path), "J1");
        QCOMPARE(shown(*more, path, "Carried by"), "Z");
        const auto back = without_part(parsed(*more), path);
        QVERIFY(bool(back));
        QCOMPARE(*back, tarn);
        // Without Y its table stands on the base; witnesses no longer read it.
        const auto less = without_part(parsed(tarn), {"joints", std::size_t(0)});
        QVERIFY(bool(less));
        QCOMPARE(shown(*less, {"joints", std::size_t(0)}, "Carried by"), "base");
        const MachineDraft draft = read_machine_draft(parsed(*less));
        QVERIFY(draft.machine.has_value());
        QCOMPARE(draft.machine->joints.size(), std::size_t(3)); // with the head's own
        QVERIFY(less->find("\"Y\"") == std::string::npos);
    }

    void a_joint_takes_along_what_it_carries()
    {
        const std::string five = machine_starts()[2].text;
        const auto order = [](const std::string& text) {
            std::string out;
            const json::Document document = parsed(text);
            for (std::size_t i = 0; i < document.root().find("joints")->items.size(); ++i) {
                out += name_of(document, {"joints", i}) + "<" + document.root().find("joints")->items[i].find("parent")->text + " ";
            }
            return out;
        };
        QCOMPARE(order(five), "X<base Y<X Z<Y B<base C<B ");
        const auto turned = carried_by(parsed(five), {"joints", std::size_t(0)}, "C"); // the whole portal on the turntable
        QVERIFY(bool(turned));
        QCOMPARE(order(*turned), "B<base C<B X<C Y<X Z<Y ");
        const auto wrong = carried_by(parsed(five), {"joints", std::size_t(0)}, "Z");
        QCOMPARE(wrong.error().message, "\"Z\" can't carry X");
        const auto first = moved_among(parsed(five), 3, true);
        QCOMPARE(order(*first), "B<base C<B X<base Y<X Z<Y ");
        QCOMPARE(*moved_among(parsed(*first), 0, false), five);
        QCOMPARE(*moved_among(parsed(five), 0, true), five); // it is the first
    }

    void bodies_change_their_shape()
    {
        const PartPath bed{"bodies", std::size_t(0)};
        const std::string round = after(tarn, bed, "Shape", "cylinder");
        QCOMPARE(round, replaced(tarn, "\"box\": [760, 900, 90], \"round\": 45", "\"cylinder\": {\"diameter\": 100, \"length\": 100}"));
        const std::string wider = after(round, bed, "Diameter", "10 in");
        QCOMPARE(shown(wider, bed, "Diameter"), "254");
        QVERIFY(bool(read_machine(parsed(wider))));
    }

    void a_draft_is_drawn_before_it_is_a_machine()
    {
        const std::string bare = R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "bare"})";
        MachineDraft draft = read_machine_draft(parsed(bare));
        QVERIFY(draft.machine.has_value() && draft.machine->joints.empty());
        QVERIFY(draft.problem.has_value());
        PartPath path;
        const auto one = with_new_part(parsed(bare), MachinePart::joint, "base", path);
        draft = read_machine_draft(parsed(*one));
        QCOMPARE(draft.machine->joints.size(), std::size_t(1));
        draft = read_machine_draft(parsed(replaced(*one, "[1, 0, 0]", "[1, 1, 0]")));
        QVERIFY(!draft.machine.has_value());
        QVERIFY2(draft.problem->message.find("direction") != std::string::npos, draft.problem->message.c_str());
    }

    void the_mill_is_built_from_nothing()
    {
        // Tarn 3 without its heads, by forms alone, out of an empty file: it carries the tool where the drawing's does.
        std::string text = R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "name": "mine", "witnesses": []})";
        const auto add = [&](MachinePart part, const char* parent) {
            PartPath path;
            text = with_new_part(parsed(text), part, parent, path).value();
            return path;
        };
        const auto set = [&](const PartPath& path, const char* title, const char* value) { text = after(text, path, title, value); };
        for (const auto& [parent, id, direction, table, travel, fast] :
             {std::tuple("base", "Y", "+Y", "tool-relative", "-260, 260", "18 m/min"),
              std::tuple("Y", "X", "+X", "tool-relative", "-420, 420", "18 m/min"),
              std::tuple("base", "Z", "+Z", "body", "-510, 0", "15 m/min")}) {
            const PartPath joint = add(MachinePart::joint, parent);
            set(joint, "Name", (std::string(id) + "1").c_str()); // not yet taken by another
            set(joint, "Name", id);
            set(joint, "Direction", direction);
            set(joint, "Reading tells", table);
            set(joint, "Travel", travel);
            set(joint, "Fastest", fast);
        }
        const PartPath spindle = add(MachinePart::mount, "Z");
        set(spindle, "Point", "0, 0, 620");
        add(MachinePart::mount, "X");
        set({}, "Retracts", "Z");
        const MachineDraft draft = read_machine_draft(parsed(text));
        QVERIFY2(draft.machine.has_value(), text.c_str());
        const Machine drawn = read_machine(parsed(tarn)).value();
        const auto mine = Kinematics::make(*draft.machine, draft.machine->at_rest());
        const auto theirs = Kinematics::make(drawn, drawn.at_rest());
        QVERIFY(bool(mine) && bool(theirs));
        std::mt19937 random(51);
        for (int i = 0; i < 200; ++i) {
            Readings readings = Readings::Zero(3);
            for (int k = 0; k < 3; ++k) {
                readings[k] = std::uniform_real_distribution(-400.0, 400.0)(random);
            }
            Readings with_head = drawn.home();
            with_head.head(3) = readings;
            QVERIFY((mine->pose(readings, 80).tip - theirs->pose(with_head, 80).tip).norm() < 1e-9);
        }
        QVERIFY2(draft.problem && draft.problem->message.find("witness") != std::string::npos, "only a witness is missing");
    }

    void joints_and_bodies_of_a_head()
    {
        const json::Document machine = parsed(read_file(demo_folder() + "/machines/tarn-3.json"));
        PartPath path{"attachments", std::size_t(2)};
        const auto more = with_new_part(machine, MachinePart::joint, "base", path);
        QVERIFY(more);
        QCOMPARE(path, (PartPath{"attachments", std::size_t(2), "joints", std::size_t(0)}));
        const json::Document with_joint = parsed(*more);
        QCOMPARE(name_of(with_joint, path), std::string("H1")); // H is the turning head's
        const json::Node* message = json::node_at(with_joint, {"attachments", std::size_t(2), "messages", "set"});
        QVERIFY(message != nullptr && message->text.find("{reading}") != std::string::npos);
        const MachineDraft draft = read_machine_draft(with_joint);
        QVERIFY(draft.machine && draft.machine->find_joint("H1"));
        const Joint& joint = draft.machine->joints[draft.machine->find_joint("H1")->value];
        QVERIFY(joint.by_hand && std::abs(joint.scale.step - to_rad(1)) < 1e-12 && std::abs(joint.scale.high - whole_turn) < 1e-12);
        // From the joint, a body goes to the same head; one of a head that has some stands behind them.
        PartPath body = path;
        const json::Document with_body = parsed(with_new_part(with_joint, MachinePart::body, "base", body).value());
        QCOMPARE(body, (PartPath{"attachments", std::size_t(2), "bodies", std::size_t(0)}));
        PartPath third{"attachments", std::size_t(0), "bodies", std::size_t(1)};
        QVERIFY(with_new_part(with_body, MachinePart::body, "base", third));
        QCOMPARE(third, (PartPath{"attachments", std::size_t(0), "bodies", std::size_t(2)}));
        PartPath nowhere{"attachments", std::size_t(9)};
        QVERIFY(!with_new_part(machine, MachinePart::joint, "base", nowhere));
    }

    void clearances_between_parts()
    {
        const json::Document bare = parsed(R"({"format": "machine/1", "units": {"length": "mm", "angle": "deg"}, "joints": [{"id": "X"}],
  "x-last": 1})");
        QCOMPARE(kept_apart_names(bare), (std::vector<std::string>{"base", "X", "tool", "cutter", "holder", "stock"}));
        QCOMPARE(clearance_between(bare, "X", "base"), std::string());
        const auto first = with_clearance_between(bare, "X", "base", "0.5 in");
        QVERIFY(first);
        const json::Document one = parsed(*first);
        QCOMPARE(clearance_between(one, "base", "X"), std::string("12.7")); // a pair has no order
        const json::Document two = parsed(with_clearance_between(one, "tool", "stock", "3").value());
        QCOMPARE(clearance_between(two, "stock", "tool"), std::string("3"));
        const json::Document changed = parsed(with_clearance_between(two, "base", "X", "4").value());
        QCOMPARE(clearance_between(changed, "X", "base"), std::string("4"));
        QCOMPARE(changed.root().find("apart")->items.size(), std::size_t(2));
        const json::Document less = parsed(with_clearance_between(changed, "X", "base", " ").value());
        QCOMPARE(clearance_between(less, "X", "base"), std::string());
        // Without the last one the list is gone, and with it the text is as it was.
        QCOMPARE(with_clearance_between(less, "tool", "stock", "").value(), bare.text());
        QCOMPARE(with_clearance_between(bare, "X", "base", "").value(), bare.text());
        const auto wrong = with_clearance_between(two, "X", "tool", "wide");
        QVERIFY(!wrong);
        QVERIFY2(wrong.error().message.rfind("\"wide\" is not a number", 0) == 0, wrong.error().message.c_str());
    }
};

WEXILUM_TEST(TestMachineForm)

} // namespace test_machine_form
#include "test_machine_form.moc"
