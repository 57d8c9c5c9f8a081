// Links as a person edits them: what partial moves are called, edits of the job's text, and where they are in the code.
#include "core/advice/link_form.hpp"
#include "core/base/units.hpp"
#include "core/base/world.hpp"
#include "core/run/post_run.hpp"
#include "core/toolpath/memory_records.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_link_form {

namespace {

const std::string numerals = "jobs/setting-numerals.json";

json::Document document_of(const std::string& job) { return json::Document::parse(read_file(demo_folder() + "/" + job), job).value(); }

json::Document reread(const Result<std::string>& text, const std::string& job)
{
    if (!text) {
        qFatal("%s", text.error().text().c_str());
    }
    return json::Document::parse(*text, job).value();
}

/// The demo's job with its whole text replaced.
Assembly with_text(const std::string& job, const std::string& text)
{
    const std::string file = "jobs/" + job + ".json";
    return load_demo(job, {{file, read_file(demo_folder() + "/" + file), text}}).value();
}

std::vector<std::string> told(const Assembly& a, std::size_t operation, LinkList list)
{
    std::vector<std::string> out;
    for (const LinkStep& step : list_of(a.links[operation], list)) {
        out.push_back(description_of(step, a.machine));
    }
    return out;
}

using Words = std::vector<std::string>;

} // namespace

class TestLinkForm : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void partial_moves_in_words()
    {
        const Assembly a = load_demo("setting-numerals").value();
        QCOMPARE(told(a, 0, LinkList::approach),
                 (Words{"Z home", "A to the place", "X and Y to the clear place", "Z to the clear place", "all joints to the place"}));
        QCOMPARE(told(a, 0, LinkList::within), (Words{"out along the tool", "along the clearance surface", "all joints to the place"}));
        const auto joint = [&](const char* id) { return *a.machine.find_joint(id); };
        const LinkStep readings{LinkTarget::readings, {}, {{joint("Z"), -20}, {joint("A"), to_rad(90)}}};
        QCOMPARE(description_of(readings, a.machine), std::string("Z to -20 mm and A to 90 deg"));
    }

    void an_order_that_the_job_does_not_state_is_stated_then()
    {
        const Assembly a = load_demo("setting-numerals").value();
        const json::Document job = document_of(numerals);
        QVERIFY(!states_list(job, a, 0, LinkList::approach));
        const auto text = with_list(job, a, 0, LinkList::approach, with_moved(items_of(5), 1, 2));
        const json::Document after = reread(text, numerals);
        QVERIFY(states_list(after, a, 0, LinkList::approach));
        // All else is as it was, byte for byte.
        const std::string added =
            "\"approach\": [{\"joints\": [\"Z\"], \"to\": \"home\"}, {\"joints\": [\"X\", \"Y\"], \"to\": \"clear\"}, "
            "{\"joints\": [\"A\"], \"to\": \"start\"}, {\"joints\": [\"Z\"], \"to\": \"clear\"}, {\"to\": \"start\"}]";
        const std::size_t at = text->find(added);
        QVERIFY(at != std::string::npos);
        const std::size_t comma = text->rfind(',', at);
        QCOMPARE(text->substr(0, comma) + text->substr(at + added.size()), job.text());
        // The code: the two blocks have changed places, as the safe order had them at lines 13 and 14.
        const auto before = lines_of(code_of(a));
        const auto now = lines_of(code_of(with_text("setting-numerals", *text)));
        QCOMPARE(before[12], std::string("G0 A1.042"));
        QCOMPARE(before[13], std::string("X17. Y0."));
        QCOMPARE(now[12], std::string("G0 X17. Y0."));
        QCOMPARE(now[13], std::string("A1.042"));
        QCOMPARE(Words(now.begin() + 14, now.end()), Words(before.begin() + 14, before.end()));
        // Back to the safe links: the text is the old one but for blanks.
        const json::Document back = reread(without_list(after, a, 0, LinkList::approach), numerals);
        QCOMPARE(code_of(with_text("setting-numerals", back.text())), code_of(a));
        QVERIFY(!states_list(back, a, 0, LinkList::approach));
    }

    void what_is_kept_of_a_stated_list_stays_as_it_is_written()
    {
        const std::string strange = "{\"x-why\": \"coolant hoses\",   \"to\": \"leave\"}";
        const std::string text = read_file(demo_folder() + "/" + numerals);
        const std::size_t at = text.find("{\"to\": \"leave\"}");
        const std::string own = text.substr(0, at) + strange + text.substr(at + std::string("{\"to\": \"leave\"}").size());
        const Assembly a = with_text("setting-numerals", own);
        const json::Document job = json::Document::parse(own, numerals).value();
        LinkItems items = items_of(3);
        items.insert(items.begin() + 1, {std::nullopt, {LinkTarget::home, {*a.machine.find_joint("Z")}, {}}});
        const auto after = with_list(job, a, 0, LinkList::within, items);
        QVERIFY(after);
        QVERIFY(after->find("\"within\": [" + strange +
                            ", {\"joints\": [\"Z\"], \"to\": \"home\"}, {\"to\": \"ride\"}, {\"to\": \"start\"}]") != std::string::npos);
    }

    void items_on_lines_of_their_own_stay_so()
    {
        const std::string text = read_file(demo_folder() + "/" + numerals);
        const std::string list = "[{\"to\": \"leave\"}, {\"to\": \"ride\"}, {\"to\": \"start\"}]";
        const std::string lines = "[\n         {\"to\": \"leave\"},\n         {\"to\": \"ride\"},\n         {\"to\": \"start\"}\n       ]";
        const std::size_t at = text.find(list);
        const std::string own = text.substr(0, at) + lines + text.substr(at + list.size());
        const Assembly a = with_text("setting-numerals", own);
        LinkItems items = items_of(3);
        items.erase(items.begin() + 1);
        const auto after = with_list(json::Document::parse(own, numerals).value(), a, 0, LinkList::within, items);
        QVERIFY(after);
        QVERIFY(after->find("[\n         {\"to\": \"leave\"},\n         {\"to\": \"start\"}\n       ]") != std::string::npos);
    }

    void a_list_that_would_be_none_is_not_taken()
    {
        const Assembly a = load_demo("setting-numerals").value();
        const json::Document job = document_of(numerals);
        const auto wrong = with_list(job, a, 0, LinkList::within, with_moved(items_of(3), 2, 0));
        QVERIFY(!wrong);
        QCOMPARE(wrong.error().message, std::string("the within of the operation 10 does not end at its place"));
        LinkItems items = items_of(2);
        items.push_back({std::nullopt, {LinkTarget::ride, {}, {}}});
        const auto forwards = with_list(job, a, 0, LinkList::retreat, items);
        QVERIFY(!forwards);
        QCOMPARE(forwards.error().message, std::string("\"ride\" has no meaning in the retreat"));
        // Without its surface nothing could ride any more.
        const auto bare = with_clearance(job, a, 0, "", {});
        QVERIFY(!bare);
        QCOMPARE(bare.error().message, std::string("the operation 10 has no clearance surface to ride on"));
    }

    void splits_go_joint_by_joint()
    {
        const Assembly a = load_demo("setting-numerals").value();
        const json::Document job = document_of(numerals);
        const auto& steps = a.links[0].approach;
        const LinkItems parts = with_split(items_of(steps.size()), 2, steps, a, 0);
        const auto after = with_text("setting-numerals", reread(with_list(job, a, 0, LinkList::approach, parts), numerals).text());
        QCOMPARE(told(after, 0, LinkList::approach), (Words{"Z home", "A to the place", "X to the clear place", "Y to the clear place",
                                                            "Z to the clear place", "all joints to the place"}));
        const auto code = lines_of(code_of(after));
        QCOMPARE(code[13], std::string("X17."));
        QCOMPARE(code[14], std::string("Y0."));
        // All joints: the rotary ones, then what works across, then the rest; a ride is of one piece.
        const auto whole = with_split(items_of(steps.size()), 4, steps, a, 0);
        QCOMPARE(whole.size(), std::size_t(7));
        QCOMPARE(description_of(whole[4].step, a.machine), std::string("A to the place"));
        QCOMPARE(description_of(whole[5].step, a.machine), std::string("X and Y to the place"));
        QCOMPARE(description_of(whole[6].step, a.machine), std::string("all joints to the place"));
        QCOMPARE(with_split(items_of(3), 1, a.links[0].within, a, 0).size(), std::size_t(3));
    }

    void links_of_the_job_become_the_operations_own()
    {
        const Assembly a = load_demo("pier-cap").value();
        const json::Document job = document_of("jobs/pier-cap.json");
        LinkItems items = items_of(3);
        items.insert(items.begin() + 1, {std::nullopt, {LinkTarget::home, {*a.machine.find_joint("Z")}, {}}});
        const json::Document after = reread(with_list(job, a, 1, LinkList::within, items), "jobs/pier-cap.json");
        const Assembly now = with_text("pier-cap", after.text());
        QCOMPARE(told(now, 0, LinkList::within), (Words{"out along the tool", "along the clearance surface", "all joints to the place"}));
        QCOMPARE(told(now, 1, LinkList::within),
                 (Words{"out along the tool", "Z home", "along the clearance surface", "all joints to the place"}));
        QCOMPARE(clearance_shape(after, now, 1), std::string("plane"));
        QVERIFY(json::node_at(after, {"operations", std::size_t(1), "links", "clearance", "plane"}) != nullptr);
        // A figure of the surface of another operation: its own from then on as well, in inches as typed.
        const auto form = clearance_form(job, a, 2);
        QCOMPARE(form.fields.size(), std::size_t(2));
        const json::Document higher = reread(with_clearance_value(job, a, 2, form.fields[0], "0, 0, 1 in"), "jobs/pier-cap.json");
        const json::Node* point = json::node_at(higher, {"operations", std::size_t(2), "links", "clearance", "plane", "point"});
        QVERIFY(point != nullptr);
        QCOMPARE(point->items[2].number, 25.4);
    }

    void copies_have_the_links_of_what_they_are_copies_of()
    {
        const Assembly a = load_demo("focuser-hub-copies").value();
        const json::Document job = document_of("jobs/focuser-hub-copies.json");
        std::size_t copy = 0;
        for (std::size_t i = 0; i < a.job.operations.size(); ++i) {
            copy = a.job.operations[i].id.find('.') != std::string::npos ? i : copy;
        }
        QVERIFY(copy > 0);
        const auto links = links_in(job, a, copy);
        QVERIFY(links);
        QCOMPARE(text_of(*links, a.machine), text_of(a.links[copy], a.machine));
    }

    void a_new_surface_lies_round_what_the_operation_reaches()
    {
        const Assembly a = load_demo("mirror-cell").value();
        const json::Document job = document_of("jobs/mirror-cell.json");
        OperationOutline outline;
        outline.include(Vec3(-30, -40, -5));
        outline.include(Vec3(30, 40, 2));
        const auto number = [&](const char* shape, const char* key) {
            const json::Document after = reread(with_clearance(job, a, 0, shape, outline), "jobs/mirror-cell.json");
            const json::Node* node = json::node_at(after, {"operations", std::size_t(0), "links", "clearance", shape, key});
            return node == nullptr ? -1 : node->items.empty() ? node->number : node->items[2].number;
        };
        QCOMPARE(number("plane", "point"), 12.0);
        QCOMPARE(number("cylinder", "diameter"), 120.0); // 60 by 80 has a diagonal of 100
        QCOMPARE(number("sphere", "diameter"), 121.0);   // and with 7 of height 100.24
        QCOMPARE(number("sphere", "point"), -1.5);
        QCOMPARE(number("box", "low"), -15.0);
        const auto unknown = with_clearance(job, a, 0, "cone", outline);
        QVERIFY(!unknown);
        QCOMPARE(unknown.error().message, std::string("\"cone\" is not a shape of a clearance surface"));
    }

    void marks_stand_at_the_blocks()
    {
        const auto marked = [](const char* job, LinkList list, std::uint32_t step) {
            const Assembly a = load_demo(job).value();
            MemoryRecords records(a.toolpath);
            MemoryScratch scratch;
            CodeText code;
            const RunSummary run = post(a, records, scratch, code).value();
            const auto lines = lines_of(code.file.text);
            for (const LinkMark& m : run.links) {
                if (m.operation == 0 && m.list == list && m.step == step) {
                    return m.end == m.first + 1 ? lines[m.first] : std::string("several");
                }
            }
            return std::string("none");
        };
        // Joints across, then down to the clear place, then along the head's tool, which leans away from Z, to the bore.
        QCOMPARE(marked("mirror-cell-sides", LinkList::approach, 1), std::string("N100 G0 X232.45 Y-27."));
        QCOMPARE(marked("mirror-cell-sides", LinkList::approach, 2), std::string("N110 G49 Z102.5"));
        QCOMPARE(marked("mirror-cell-sides", LinkList::approach, 3), std::string("N120 X230.45"));
        QCOMPARE(marked("mirror-cell-sides", LinkList::within, 0), std::string("none"));
        QCOMPARE(marked("setting-numerals", LinkList::approach, 1), std::string("G0 A1.042"));
        QCOMPARE(marked("setting-numerals", LinkList::approach, 4), std::string("none")); // the place is the clear one
        QVERIFY(marked("setting-numerals", LinkList::within, 1).find('A') != std::string::npos);
    }
};

WEXILUM_TEST(TestLinkForm)

} // namespace test_link_form
#include "test_link_form.moc"
