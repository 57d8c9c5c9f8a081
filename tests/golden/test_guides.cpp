// Guides are followed as they are written: their blocks are typed in, their messages are what comes back.
#include "core/compare/report.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QFile>
#include <QRegularExpression>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_guides {

namespace {

/// The fenced block with this label.
QString block(const QString& guide, const QString& label)
{
    QFile file(source_folder() + QStringLiteral("/docs/") + guide);
    if (!file.open(QIODevice::ReadOnly)) {
        return {};
    }
    const QRegularExpression fence(QStringLiteral("```(?:json|text) %1\\n(.*?)\\n```").arg(label),
                                   QRegularExpression::DotMatchesEverythingOption);
    return fence.match(QString::fromUtf8(file.readAll())).captured(1);
}

const QString guide = QStringLiteral("add-an-attachment.md");
const std::string machine = "machines/tarn-3.json";

Edit described(const QString& text) { return {machine, "\"attachments\": [", "\"attachments\": [\n" + text.toStdString()}; }
Edit anchored() { return {machine, "\"witnesses\": [", "\"witnesses\": [\n" + block(guide, QStringLiteral("witnesses")).toStdString()}; }
Edit used()
{
    return {
        "jobs/mirror-cell-sides.json",
        R"({"id": "30", "name": "pad with a recess", "toolpath": "toolpaths/cell-side-pad.cl", "posture": {"attachment": "side-head"}})",
        block(guide, QStringLiteral("operation")).toStdString()};
}

} // namespace

class TestGuides : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void attachment_without_a_witness()
    {
        const auto assembly = load_demo("mirror-cell-sides", {described(block(guide, QStringLiteral("attachments")))});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), block(guide, QStringLiteral("unwitnessed")));
    }

    void attachment_the_wrong_way_round()
    {
        QString turned = block(guide, QStringLiteral("attachments"));
        QVERIFY(turned.contains(QLatin1String("\"axis\": [1, 0, 0]")));
        turned.replace(QLatin1String("\"axis\": [1, 0, 0]"), QLatin1String("\"axis\": [-1, 0, 0]"));
        const auto assembly = load_demo("mirror-cell-sides", {described(turned), anchored()});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), block(guide, QStringLiteral("reversed")));
    }

    void attachment_at_work()
    {
        const auto assembly = load_demo("mirror-cell-sides", {described(block(guide, QStringLiteral("attachments"))), anchored(), used()});
        QVERIFY2(assembly, assembly ? "" : assembly.error().text().c_str());
        const RunResult run = post(*assembly);
        QVERIFY2(!run.findings.has_errors(), qPrintable(shown(run.findings)));
        const std::string& code = run.files.front().text;
        QVERIFY(code.find(block(guide, QStringLiteral("fitting")).toStdString()) != std::string::npos);
        const ReplayReport report = replay_code(*assembly, code, true);
        QVERIFY2(!report.findings.has_errors() && report.uncovered == 0, qPrintable(shown(report.findings)));
        // Half the speed of the toolpath's tool, and the other sense.
        const QString cl = QString::fromStdString(read_file(demo_folder() + "/toolpaths/cell-side-pad.cl"));
        static const QRegularExpression speed(QStringLiteral("SPINDL/ (\\d+), RPM, CLW"));
        const auto stated = speed.match(cl);
        QVERIFY(stated.hasMatch());
        const QString half = QStringLiteral("S%1 M4").arg(stated.captured(1).toInt() / 2);
        const QString text = QString::fromStdString(code);
        QVERIFY(text.indexOf(half, text.indexOf(block(guide, QStringLiteral("fitting")))) > 0);
    }

    void attachment_without_gauge_length()
    {
        QString unmeasured = block(guide, QStringLiteral("attachments"));
        unmeasured.replace(QLatin1String(", \"gauge_length\": 40"), QString());
        const auto assembly = load_demo("mirror-cell-sides", {described(unmeasured), used()});
        QVERIFY(!assembly);
        QCOMPARE(QString::fromStdString(assembly.error().message), block(guide, QStringLiteral("unmeasured")));
    }
};

WEXILUM_TEST(TestGuides)

} // namespace test_guides
#include "test_guides.moc"
