// The program from outside: how it starts with and without a display, and the pictures it takes.
#include "tests/support/places.hpp"
#include "tests/support/test_program.hpp"

#include <QImage>
#include <QProcess>
#include <QSet>
#include <QTemporaryDir>
#include <QtTest>

namespace test_start {

namespace {

struct Ended {
    int code = -1;
    QString said;
};

Ended run(const QStringList& arguments, const QProcessEnvironment& environment)
{
    QProcess process;
    process.setProcessEnvironment(environment);
    process.start(wexilum::test::window_program(), arguments);
    if (!process.waitForFinished(240000)) {
        process.kill();
        process.waitForFinished();
        return {-2, QStringLiteral("it does not end")};
    }
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, QString::fromUtf8(process.readAllStandardError())};
}

QProcessEnvironment without_display()
{
    QProcessEnvironment out = QProcessEnvironment::systemEnvironment();
    for (const char* name : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}) {
        out.remove(QLatin1String(name));
    }
    out.insert(QStringLiteral("XDG_RUNTIME_DIR"), QStringLiteral("/tmp"));
    return out;
}

const QString demo = wexilum::test::source_folder() + QStringLiteral("/demo/observatory");

/// Colours in a part of a picture, a few bits each: what is empty has one or two.
int colours_in(const QImage& image, const QRect& part)
{
    QSet<QRgb> seen;
    for (int y = part.top(); y < part.bottom(); y += 3) {
        for (int x = part.left(); x < part.right(); x += 3) {
            seen.insert(image.pixel(x, y) & 0xF8F8F8);
        }
    }
    return int(seen.size());
}

} // namespace

class TestStart : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void says_how_without_a_display();
    void takes_a_picture_without_a_display();
    void wires_without_opengl();
    void wrong_usage_data();
    void wrong_usage();
};

void TestStart::says_how_without_a_display()
{
    const Ended ended = run({QStringLiteral("--project"), demo}, without_display());
    QCOMPARE(ended.code, 2);
    QVERIFY2(ended.said.startsWith(QStringLiteral("wexilum: there is no display (DISPLAY is not set).")), qPrintable(ended.said));
    QVERIFY(ended.said.contains(QStringLiteral("--screenshot FILE.png")));
    QCOMPARE(run({QStringLiteral("--help")}, without_display()).code, 0);
}

void TestStart::takes_a_picture_without_a_display()
{
    QTemporaryDir folder;
    const QString file = folder.filePath(QStringLiteral("code.png"));
    const Ended ended =
        run({QStringLiteral("--project"), demo, QStringLiteral("--job"), QStringLiteral("mirror-cell"), QStringLiteral("--view"),
             QStringLiteral("code"), QStringLiteral("--size"), QStringLiteral("1300x820"), QStringLiteral("--screenshot"), file},
            without_display());
    QVERIFY2(ended.code == 0, qPrintable(ended.said));
    const QImage image(file);
    QCOMPARE(image.size(), QSize(1300, 820));
    QVERIFY(colours_in(image, QRect(220, 150, 600, 400)) > 8); // code in sight
    // The machine's view starts there as well.
    const Ended machine = run({QStringLiteral("--project"), demo, QStringLiteral("--view"), QStringLiteral("machine"),
                               QStringLiteral("--screenshot"), folder.filePath(QStringLiteral("machine.png"))},
                              without_display());
    QVERIFY2(machine.code == 0, qPrintable(machine.said));
    QVERIFY(colours_in(QImage(folder.filePath(QStringLiteral("machine.png"))), QRect(220, 150, 700, 330)) > 8);
}

void TestStart::wires_without_opengl()
{
    QTemporaryDir folder;
    const QString file = folder.filePath(QStringLiteral("wires.png"));
    QProcessEnvironment environment = without_display();
    environment.insert(QStringLiteral("WEXILUM_NO_OPENGL"), QStringLiteral("1"));
    const Ended ended =
        run({QStringLiteral("--project"), demo, QStringLiteral("--job"), QStringLiteral("mirror-cell"), QStringLiteral("--view"),
             QStringLiteral("machine"), QStringLiteral("--size"), QStringLiteral("1280x800"), QStringLiteral("--screenshot"), file},
            environment);
    QVERIFY2(ended.code == 0, qPrintable(ended.said));
    const QImage image(file);
    // Edges of the machine, #6B665A, and the path, #1F7A6C.
    int edges = 0;
    int path = 0;
    for (int y = 130; y < 520; ++y) {
        for (int x = 220; x < 960; ++x) {
            const QRgb c = image.pixel(x, y);
            edges += std::abs(qRed(c) - 0x6B) + std::abs(qGreen(c) - 0x66) + std::abs(qBlue(c) - 0x5A) < 24 ? 1 : 0;
            path += std::abs(qRed(c) - 0x1F) + std::abs(qGreen(c) - 0x7A) + std::abs(qBlue(c) - 0x6C) < 60 ? 1 : 0;
        }
    }
    QVERIFY2(edges > 300, qPrintable(QString::number(edges)));
    QVERIFY2(path > 20, qPrintable(QString::number(path)));
}

void TestStart::wrong_usage_data()
{
    QTest::addColumn<QStringList>("arguments");
    QTest::addColumn<QString>("said");
    const QString picture = QStringLiteral("--screenshot");
    const QString nowhere = QStringLiteral("/nonexistent/x.png");
    QTest::newRow("no such view")
        << QStringList{QStringLiteral("--view"), QStringLiteral("proofs"), picture, nowhere}
        << QStringLiteral("wexilum: there is no view \"proofs\"; use toolpath, machine, setup, language, rules, code or replay");
    QTest::newRow("no such size") << QStringList{QStringLiteral("--size"), QStringLiteral("big"), picture, nowhere}
                                  << QStringLiteral("wexilum: --size needs width and height, e.g. 1280x800");
    QTest::newRow("no project") << QStringList{QStringLiteral("--project"), QStringLiteral("/nonexistent"), picture, nowhere}
                                << QStringLiteral("wexilum: /nonexistent is not a project");
}

void TestStart::wrong_usage()
{
    QFETCH(const QStringList, arguments);
    QFETCH(const QString, said);
    const Ended ended = run(arguments, without_display());
    QCOMPARE(ended.code, 2);
    QVERIFY2(ended.said.contains(said), qPrintable(ended.said));
}

WEXILUM_TEST(TestStart)

} // namespace test_start
#include "test_start.moc"
