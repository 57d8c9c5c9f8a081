// What the window rests on and needs no display for: colours, numbers as typed, words of a line, the camera, solids.
#include "app/models/background.hpp"
#include "app/models/camera.hpp"
#include "app/models/link_blocks.hpp"
#include "app/models/quantity.hpp"
#include "app/models/rule_help.hpp"
#include "app/models/schema_help.hpp"
#include "app/models/selection.hpp"
#include "app/models/solid.hpp"
#include "app/theme/tokens.hpp"
#include "core/base/units.hpp"
#include "core/project/job_run.hpp"

#include "tests/support/test_program.hpp"

#include <QtTest>

#include <cmath>

using namespace wexilum;
using namespace wexilum::app;

namespace test_app_models {

namespace {

/// Contrast of two colours by WCAG 2.1.
double luminance(Rgb rgb)
{
    double out = 0;
    for (const auto& [shift, weight] : {std::pair{16, 0.2126}, {8, 0.7152}, {0, 0.0722}}) {
        const double c = (rgb >> shift & 255) / 255.0;
        out += weight * (c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4));
    }
    return out;
}
double contrast(Rgb a, Rgb b)
{
    const double la = luminance(a);
    const double lb = luminance(b);
    return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
}

} // namespace

class TestAppModels : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void contrast_is_enough_data();
    void contrast_is_enough();
    void numbers_as_typed_data();
    void numbers_as_typed();
    void words_of_a_line_data();
    void words_of_a_line();
    void camera_by_hand();
    void camera_agrees_with_its_matrix();
    void zoom_keeps_the_place();
    void solids_are_closed();
    void offers_for_rules_data();
    void offers_for_rules();
    void signatures_of_rules();
    void offers_for_json_data();
    void offers_for_json();
    void tips_for_json();
    void only_the_latest_work_counts();
    void blocks_of_links();
};

void TestAppModels::only_the_latest_work_counts()
{
    QObject home;
    QList<int> done;
    Background background(home);
    const auto work = [&](int number) {
        return [&, number](const std::shared_ptr<RunWatch>& watch) {
            while (number < 3 && !watch->stopped()) {
                QThread::msleep(1);
            }
            background.later(watch, [&, number] { done.push_back(number); });
        };
    };
    const auto first = background.start(work(1)); // works until it is stopped
    background.start(work(2));                    // may not even begin
    background.start(work(3));
    QTRY_COMPARE(done, QList<int>{3});
    QVERIFY(first->stopped());
    QTest::qWait(20);
    QCOMPARE(done, QList<int>{3});
}

void TestAppModels::blocks_of_links()
{
    auto posted = std::make_shared<PostedJob>();
    posted->run.links = {{0, LinkList::approach, 0, 2, 4},  {1, LinkList::approach, 0, 10, 12}, {1, LinkList::approach, 2, 12, 13},
                         {1, LinkList::retreat, 0, 30, 31}, {1, LinkList::approach, 0, 40, 42}, {1, LinkList::approach, 2, 42, 45},
                         {1, LinkList::approach, 0, 60, 62}};
    JobResults results;
    results.posted = posted;
    LinkBlocks blocks;
    blocks.read(&results, 1);
    // The nearest ones before the line, and before all of them the first.
    QCOMPARE(blocks.of(LinkList::approach, 0, 50)->first, 40U);
    QCOMPARE(blocks.of(LinkList::approach, 0, 5)->first, 10U);
    QCOMPARE(blocks.of(LinkList::approach, 0, Selection::none)->first, 10U);
    QVERIFY(blocks.of(LinkList::approach, 1, 50) == nullptr); // it moves nothing
    // The whole list about one of its moves: only what touches.
    QCOMPARE(blocks.of_list(LinkList::approach, 3, 2, 50).value(), std::pair(40U, 45U));
    QCOMPARE(blocks.of_list(LinkList::approach, 3, 1, 50).value(), std::pair(40U, 45U));
    QCOMPARE(blocks.of_list(LinkList::approach, 3, 0, 70).value(), std::pair(60U, 62U));
    QVERIFY(!blocks.of_list(LinkList::within, 2, 0, 50));
    // What was found at a move, by its blocks.
    FoundAt found{FoundAt::By::run, Finding::make(Severity::error, "beyond-travel", "", "", 1)};
    found.finding.code = {"x.nc", 43, 0};
    State state = State::fits;
    QVERIFY(blocks.trouble(LinkList::approach, 0, {found}, state).isEmpty());
    QCOMPARE(blocks.trouble(LinkList::approach, 2, {found}, state), QString::fromLatin1(word_of(State::beyond)));
    QCOMPARE(state, State::beyond);
    blocks.read(nullptr, 1);
    QVERIFY(blocks.of(LinkList::approach, 0, 50) == nullptr);
}

void TestAppModels::offers_for_rules_data()
{
    QTest::addColumn<QByteArray>("text"); // the place is behind the "|"
    QTest::addColumn<int>("typed");
    QTest::addColumn<QStringList>("wanted");
    const auto row = [](const char* text, int typed, const QStringList& wanted) {
        QTest::newRow(text) << QByteArray(text) << typed << wanted;
    };
    row("function on.sp|", 2, {QStringLiteral("spindle")});
    row("function on.spindle(event)\n  event.|", 0,
        {QStringLiteral("axis"), QStringLiteral("native"), QStringLiteral("reading"), QStringLiteral("speed"), QStringLiteral("state")});
    row("function on.spindle(e)\n  e.s|", 1, {QStringLiteral("speed"), QStringLiteral("state")});
    row("function on.spindle(e)\n  e:|", 0, {QStringLiteral("axis"), QStringLiteral("native"), QStringLiteral("reading")});
    row("function on.spindle(e)\nend\non.dwell = function(event)\n event.a|", 1, {QStringLiteral("amount"), QStringLiteral("axis")});
    row("x = state.tool_|", 5, {QStringLiteral("tool_length"), QStringLiteral("tool_name")});
    row("x = option.|", 0, {QStringLiteral("clear_after"), QStringLiteral("parts")});
    row("x = utf8.co|", 2, {QStringLiteral("codepoint"), QStringLiteral("codes")});
    row("rotary|", 6, {QStringLiteral("rotary_home")});
    row("r|", 1, {});
    row("other.|", 0, {});
    row("retract|", 7, {}); // complete
}

void TestAppModels::offers_for_rules()
{
    QFETCH(QByteArray, text);
    QFETCH(int, typed);
    QFETCH(QStringList, wanted);
    const auto at = std::size_t(text.indexOf('|'));
    const RuleOffer offer = rule_offer(text.left(int(at)).toStdString(), at, {QStringLiteral("parts"), QStringLiteral("clear_after")});
    QCOMPARE(offer.words, wanted);
    QCOMPARE(offer.typed, typed);
}

void TestAppModels::signatures_of_rules()
{
    const auto first = [](const char* text) { return rule_signature(text, strlen(text)).section(QLatin1Char('\n'), 0, 0); };
    QCOMPARE(first("  dwell("), QStringLiteral("dwell(seconds)"));
    QCOMPARE(first("  text(string.format('%d', 5), "), QStringLiteral("text(line [, changes])"));
    QCOMPARE(first("event:axis("), QStringLiteral("event:axis(joint)"));
    QCOMPARE(first("dwell(1)"), QString());
    QCOMPARE(first("dwell(1\n"), QString());
    QCOMPARE(first("other("), QString());
}

void TestAppModels::offers_for_json_data()
{
    QTest::addColumn<QString>("path");
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<int>("typed");
    QTest::addColumn<QStringList>("wanted");
    const auto row = [](const char* path, const char* text, int typed, const char* wanted) {
        const QString words = QString::fromLatin1(wanted);
        QTest::newRow(qPrintable(QLatin1String(path) + QLatin1Char(' ') + QLatin1String(text)))
            << QString::fromLatin1(path) << QByteArray(text) << typed << (words.isEmpty() ? QStringList() : words.split(QLatin1Char(' ')));
    };
    const char* const dialect = "dialects/a.json";
    row(dialect, R"({ "arcs": { "|)", 1, R"("form" "helix")");
    row(dialect, R"({ "arcs": { |)", 0, R"("form" "helix")");
    row(dialect, R"({ "arcs": { "form": "radius", |)", 0, R"("helix")");
    row(dialect, R"({ "arcs": { "form": |)", 0, R"("centre" "radius")");
    row(dialect, R"({ "arcs": { "form": "ra|)", 3, R"("radius")");
    row(dialect, R"({ "arcs": { "form": "ra|" } })", 3, R"("radius)"); // the closing quote is there
    row(dialect, R"({ "arcs": { "form": "radius", "helix": t|)", 1, "true");
    row(dialect, R"({ "numbers": { "length": { "decimals": 3, "po|)", 3, R"("point")");
    row(dialect, R"({ "arcs": { "form": "radius" |)", 0, ""); // a comma or the end comes next
    row(dialect, R"({ "arcs": { "form": "radius" }, "axes": {}, "arc_|)", 5, "");
    row(dialect, R"({ "name": "{ [ \" , ", "program_units": "|)", 1, R"("inch" "mm")");
    row("posts/a.json", R"({ "contr|)", 6, R"("controller")");
    row("notes/a.json", R"({ "|)", 1, "");
    row(dialect, "|", 0, "");
}

void TestAppModels::offers_for_json()
{
    QFETCH(QString, path);
    QFETCH(QByteArray, text);
    QFETCH(int, typed);
    QFETCH(QStringList, wanted);
    const auto at = text.indexOf('|');
    const RuleOffer offer = schema_offer(path, text.remove(at, 1).toStdString(), std::size_t(at));
    QCOMPARE(offer.words, wanted);
    QCOMPARE(offer.typed, wanted.isEmpty() ? offer.typed : typed);
}

void TestAppModels::tips_for_json()
{
    const auto tip = [](const char* path, const char* text) { return schema_tip(QLatin1String(path), text, strlen(text)); };
    QCOMPARE(tip("dialects/a.json", R"({ "numbers": { "length": { "decimals":)"), QStringLiteral("decimals: a whole number from 0 to 8"));
    QCOMPARE(tip("dialects/a.json", R"({ "program_units":)"), QStringLiteral("program_units: one of \"mm\", \"inch\""));
    QCOMPARE(tip("dialects/a.json", R"({ "arcs":)"), QStringLiteral("arcs: an object"));
    QCOMPARE(tip("dialects/a.json", R"({ "nothing":)"), QString());
}

void TestAppModels::contrast_is_enough_data()
{
    QTest::addColumn<uint>("text");
    QTest::addColumn<uint>("ground");
    QCOMPARE(contrast(0x000000, 0xFFFFFF), 21.0); // the measure itself
    for (const auto& [name, t] : {std::pair{"light", light_tokens}, std::pair{"dark", dark_tokens}}) {
        std::vector<std::pair<QString, Rgb>> texts{{QStringLiteral("ink"), t.ink},
                                                   {QStringLiteral("soft"), t.soft},
                                                   {QStringLiteral("faint"), t.faint},
                                                   {QStringLiteral("accent"), t.accent},
                                                   {QStringLiteral("comment"), t.comment}};
        for (std::size_t i = 0; i < state_count; ++i) {
            texts.emplace_back(QLatin1String(word_of(static_cast<State>(i))), t.states[i]);
        }
        for (const auto& [text, ink] : texts) {
            for (const auto& [ground, behind] : {std::pair{"paper", t.paper}, {"panel", t.panel}, {"sunk", t.sunk}, {"wash", t.wash}}) {
                QTest::newRow(qPrintable(QStringLiteral("%1: %2 on %3").arg(QLatin1String(name), text, QLatin1String(ground))))
                    << ink << behind;
            }
        }
        QTest::newRow(qPrintable(QStringLiteral("%1: on fill").arg(QLatin1String(name)))) << t.on_fill << t.fill;
    }
}

void TestAppModels::contrast_is_enough()
{
    QFETCH(const uint, text);
    QFETCH(const uint, ground);
    QVERIFY2(contrast(text, ground) >= 4.5, qPrintable(QString::number(contrast(text, ground))));
}

void TestAppModels::numbers_as_typed_data()
{
    QTest::addColumn<QString>("text");
    QTest::addColumn<int>("measure");
    QTest::addColumn<double>("wanted"); // 1e300: refused
    const auto row = [](const char* text, Measure measure, double wanted) {
        QTest::newRow(qPrintable(QStringLiteral("%1 as %2").arg(QString::fromUtf8(text)).arg(int(measure))))
            << QString::fromUtf8(text) << int(measure) << wanted;
    };
    constexpr double no = 1e300;
    row("12.5", Measure::length, 12.5);
    row(" -12,5 mm ", Measure::length, -12.5);
    row("2 in", Measure::length, 50.8);
    row("1\"", Measure::length, 25.4);
    row("1.5cm", Measure::length, 15);
    row("1e3", Measure::length, 1000);
    row(".5", Measure::length, 0.5);
    row("90", Measure::angle, pi / 2);
    row("-30°", Measure::angle, -pi / 6);
    row("0.4 rad", Measure::angle, 0.4);
    row("7", Measure::plain, 7);
    row("", Measure::length, no);
    row("abc", Measure::length, no);
    row("1 2", Measure::length, no);
    row("3 deg", Measure::length, no);
    row("3 mm", Measure::angle, no);
    row("7 mm", Measure::plain, no);
    row("1e9", Measure::length, no);
    row("nan", Measure::length, no);
    row("--1", Measure::length, no);
}

void TestAppModels::numbers_as_typed()
{
    QFETCH(const QString, text);
    QFETCH(const int, measure);
    QFETCH(const double, wanted);
    const auto got = quantity_of(text, static_cast<Measure>(measure));
    QCOMPARE(got.has_value(), wanted < 1e299);
    QVERIFY(!got || std::abs(*got - wanted) < 1e-12 * std::max(1.0, std::abs(wanted)));
}

void TestAppModels::words_of_a_line_data()
{
    QTest::addColumn<QString>("line");
    QTest::addColumn<QString>("words");
    QTest::newRow("plain") << QStringLiteral("N10 G1 X-1.5 Y2.") << QStringLiteral("N10|G1|X-1.5|Y2.");
    QTest::newRow("close together") << QStringLiteral("N10G1X-1.5Y2.") << QStringLiteral("N10|G1|X-1.5|Y2.");
    QTest::newRow("comment between") << QStringLiteral("T1 (END MILL) M6") << QStringLiteral("T1|M6");
    QTest::newRow("comment alone") << QStringLiteral("(A B)") << QString();
    QTest::newRow("comment without end") << QStringLiteral("G0 (X1") << QStringLiteral("G0");
    QTest::newRow("tape mark") << QStringLiteral("%") << QString();
    QTest::newRow("empty") << QString() << QString();
}

void TestAppModels::words_of_a_line()
{
    QFETCH(const QString, line);
    const std::string text = line.toStdString();
    QStringList words;
    for (const WordSpan& span : words_of(text, '(', ')')) {
        words.push_back(QString::fromStdString(text.substr(std::size_t(span.begin), std::size_t(span.length))));
    }
    QTEST(words.join(QLatin1Char('|')), "words");
}

void TestAppModels::camera_by_hand()
{
    const QSizeF size(800, 600);
    Camera camera;
    camera.set_scale(2);
    camera.look(Camera::View::front); // X to the right, Z up, Y away
    QVERIFY((camera.project(Vec3(10, 77, 20), size) - Vec3(420, 260, -77)).norm() < 1e-9);
    camera.look(Camera::View::top); // X to the right, Y up
    QVERIFY((camera.project(Vec3(10, 20, 77), size) - Vec3(420, 260, 77)).norm() < 1e-9);
    camera.look(Camera::View::right); // Y to the right
    QVERIFY((camera.project(Vec3(77, 10, 20), size) - Vec3(420, 260, 77)).norm() < 1e-9);
    camera.look(Camera::View::back);
    QVERIFY((camera.project(Vec3(10, 77, 20), size) - Vec3(380, 260, 77)).norm() < 1e-9);
    // A box of 100 x 50 x 200, from the front: 200 high in 600 px is what bounds it, with a tenth left.
    camera.look(Camera::View::front);
    camera.fit(Vec3(0, 0, 0), Vec3(100, 50, 200), size);
    QVERIFY(std::abs(camera.scale() - 0.9 * 600 / 200) < 1e-9);
    QVERIFY((camera.project(Vec3(50, 25, 100), size).head<2>() - Eigen::Vector2d(400, 300)).norm() < 1e-9);
    camera.pan(30, -10);
    QVERIFY((camera.project(Vec3(50, 25, 100), size).head<2>() - Eigen::Vector2d(430, 290)).norm() < 1e-9);
}

void TestAppModels::camera_agrees_with_its_matrix()
{
    constexpr quint32 seed = 4;
    qInfo("seed %u", seed);
    QRandomGenerator random(seed);
    const auto number = [&](double most) { return (random.generateDouble() * 2 - 1) * most; };
    const QSizeF size(1000, 700);
    for (int i = 0; i < 200; ++i) {
        Camera camera;
        camera.set_scale(0.1 + random.generateDouble());
        camera.set_target(Vec3(number(300), number(300), number(300)));
        camera.orbit(number(3), number(1.5));
        QVERIFY(std::abs(camera.right().dot(camera.up())) < 1e-12 &&
                std::abs(camera.right().cross(camera.up()).dot(camera.towards()) - 1) < 1e-12);
        const Vec3 p(number(500), number(500), number(500));
        const Vec3 seen = camera.project(p, size);
        const Eigen::Vector4f clip = camera.matrix(size) * Eigen::Vector4f(float(p.x()), float(p.y()), float(p.z()), 1);
        QVERIFY(std::abs((clip.x() + 1) / 2 * 1000 - seen.x()) < 0.05);
        QVERIFY(std::abs((1 - clip.y()) / 2 * 700 - seen.y()) < 0.05);
        QVERIFY(std::abs(clip.z() * float(-Camera::depth) - seen.z()) < 0.05);
    }
}

void TestAppModels::zoom_keeps_the_place()
{
    const QSizeF size(640, 480);
    Camera camera;
    camera.look(Camera::View::corner);
    const Vec3 point(40, -25, 60);
    const Vec3 before = camera.project(point, size);
    camera.zoom(1.7, QPointF(before.x(), before.y()), size);
    QVERIFY((camera.project(point, size) - before).head<2>().norm() < 1e-9);
    for (int i = 0; i < 400; ++i) {
        camera.zoom(2, QPointF(0, 0), size);
    }
    QVERIFY(camera.scale() <= 1e4 && camera.target().allFinite());
    camera.orbit(0, 100); // no further than straight down
    QVERIFY((camera.towards() - Vec3::UnitZ()).norm() < 1e-12);
}

/// The volume that triangles enclose, by the divergence theorem: right only where they close and all look outwards.
static double volume_of(const app::Solid& solid)
{
    double six = 0;
    for (std::size_t i = 0; i < solid.triangles.size(); i += 3) {
        const Eigen::Vector3d a = solid.triangles[i].at.cast<double>();
        const Eigen::Vector3d b = solid.triangles[i + 1].at.cast<double>();
        const Eigen::Vector3d c = solid.triangles[i + 2].at.cast<double>();
        six += a.dot(b.cross(c));
    }
    return six / 6;
}

void TestAppModels::solids_are_closed()
{
    Body box;
    box.size = Vec3(10, 20, 30);
    QVERIFY(std::abs(volume_of(solid_of(box)) - 6000) < 1e-3);
    // A prism of 48 sides in place of the circle: its area is n/2 r² sin(2 pi/n).
    const double share = 24 * std::sin(2 * pi / 48);
    Body cylinder;
    cylinder.shape = Shape::cylinder;
    cylinder.bottom = cylinder.top = 40;
    cylinder.length = 15;
    QVERIFY(std::abs(volume_of(solid_of(cylinder)) - share * 400 * 15) < 0.1);
    Body cone = cylinder;
    cone.shape = Shape::cone;
    cone.top = 10;
    QVERIFY(std::abs(volume_of(solid_of(cone)) - share * 15 / 3 * (400 + 20 * 5 + 25)) < 0.1);
    for (const Body& body : {box, cylinder, cone}) {
        for (const app::Solid::Corner& corner : solid_of(body).triangles) {
            QVERIFY(std::abs(corner.normal.norm() - 1) < 1e-5);
        }
    }
    Tool drill;
    drill.shape = "drill";
    drill.diameter = 8;
    float lowest = 1e9F;
    float highest = -1e9F;
    for (const app::Solid::Corner& corner : solid_of(drill, 100).triangles) {
        lowest = std::min(lowest, corner.at.z());
        highest = std::max(highest, corner.at.z());
    }
    QVERIFY(lowest == 0 && highest == 100);
}

WEXILUM_TEST(TestAppModels)

} // namespace test_app_models
#include "test_app_models.moc"
