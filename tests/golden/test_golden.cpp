// Code of the demo jobs, byte for byte. WEXILUM_UPDATE_GOLDEN=1 writes the expected files anew.
#include "core/compare/report.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_golden {

class TestGolden : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void code_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<QString>("edit");
        QTest::newRow("mirror-cell") << "mirror-cell"
                                     << "";
        QTest::newRow("mirror-back-face") << "mirror-back-face"
                                          << "";
        QTest::newRow("setting-circle") << "setting-circle"
                                        << "";
        QTest::newRow("mirror-cell-sides") << "mirror-cell-sides"
                                           << "";
        QTest::newRow("focuser-hub") << "focuser-hub"
                                     << "";
        QTest::newRow("focuser-hub-copies") << "focuser-hub-copies"
                                            << "";
        QTest::newRow("focuser-hub-by-calls") << "focuser-hub-by-calls"
                                              << "";
        QTest::newRow("mirror-cell-by-calls") << "mirror-cell-by-calls"
                                              << "";
        QTest::newRow("setting-numerals") << "setting-numerals"
                                          << "";
        QTest::newRow("setting-numerals-by-mode") << "setting-numerals-by-mode"
                                                  << "";
        QTest::newRow("fork-arm") << "fork-arm"
                                  << "";
        QTest::newRow("pier-cap") << "pier-cap"
                                  << "";
        QTest::newRow("mirror-cell-radius-and-moves") << "mirror-cell"
                                                      << "radius";
    }
    void code()
    {
        QFETCH(QString, job);
        QFETCH(QString, edit);
        std::vector<Edit> edits;
        if (edit == "radius") {
            edits = {{"dialects/morrow-m.json", R"("form": "centre")", R"("form": "radius")"},
                     {"dialects/morrow-m.json",
                      R"("drill": {"write": "native", "word": "G81"}, "peck": {"write": "native", "word": "G83"})",
                      R"("drill": {"write": "moves"}, "peck": {"write": "moves"})"}};
        }
        const Assembly a = load_demo(job.toStdString(), edits).value();
        const std::string code = code_of(a);
        const ReplayReport report = replay_code(a, code, true);
        QVERIFY2(report.findings.list().empty(), qPrintable(shown(report.findings)));
        const QString folder = source_folder() + "/tests/golden/post/" + QTest::currentDataTag();
        QFile expected(folder + "/expected.nc");
        if (qEnvironmentVariableIsSet("WEXILUM_UPDATE_GOLDEN")) {
            QDir().mkpath(folder);
            QVERIFY(expected.open(QIODevice::WriteOnly));
            expected.write(code.data(), qint64(code.size()));
            return;
        }
        QVERIFY2(expected.open(QIODevice::ReadOnly), qPrintable(expected.fileName()));
        const auto wanted = lines_of(expected.readAll().toStdString());
        const auto got = lines_of(code);
        for (std::size_t i = 0; i < std::min(wanted.size(), got.size()); ++i) {
            QVERIFY2(wanted[i] == got[i], qPrintable(QString("line %1: expected '%2', got '%3'")
                                                         .arg(i + 1)
                                                         .arg(QString::fromStdString(wanted[i]), QString::fromStdString(got[i]))));
        }
        QCOMPARE(got.size(), wanted.size());
    }

    void every_program_says_who_has_checked_it()
    {
        const QString rows = QString::fromStdString(read_file((source_folder() + "/tests/golden/CHECKED.md").toStdString()));
        for (const QString& name : QDir(source_folder() + "/tests/golden/post").entryList(QDir::Dirs | QDir::NoDotAndDotDot)) {
            QVERIFY2(rows.contains("\n| " + name + " | "), qPrintable(name));
        }
    }

    void programs_by_another_reader_data()
    {
        QTest::addColumn<QString>("job");
        QTest::addColumn<QString>("from"); // a word, and another one that is wrong by so much that it must be found
        QTest::addColumn<QString>("to");
        QTest::newRow("mirror-cell") << "mirror-cell"
                                     << "N150 G1 X97. Y0."
                                     << "N150 G1 X97.004 Y0.";
        QTest::newRow("mirror-cell-radius-and-moves") << "mirror-cell"
                                                      << "Y14.5"
                                                      << "Y14.504";
        QTest::newRow("mirror-back-face") << "mirror-back-face"
                                          << "B8.743 "
                                          << "B8.7450 ";
    }
    void programs_by_another_reader() // which is written in another language, and reads machine, setup, toolpaths and program by itself
    {
        QFETCH(QString, job);
        QFETCH(QString, from);
        QFETCH(QString, to);
        const QString kept = source_folder() + "/tests/golden/post/" + QTest::currentDataTag() + "/expected.nc";
        QTemporaryDir folder;
        QString text = QString::fromStdString(read_file(kept.toStdString()));
        QVERIFY(text.contains(from));
        text.replace(text.indexOf(from), from.size(), to);
        QFile wrong(folder.filePath("wrong.nc"));
        QVERIFY(wrong.open(QIODevice::WriteOnly));
        wrong.write(text.toUtf8());
        wrong.close();
        for (const auto& [program, fine] : {std::pair(kept, true), std::pair(wrong.fileName(), false)}) {
            QProcess reader;
            reader.start(python_program(),
                         {source_folder() + "/tests/golden/check_program.py", QString::fromStdString(demo_folder()), job, program});
            QVERIFY(reader.waitForFinished());
            const QByteArray said = reader.readAllStandardOutput() + reader.readAllStandardError();
            QVERIFY2((reader.exitCode() == 0) == fine && said.contains(fine ? "records reached" : "is not reached"), said.constData());
        }
    }

    void budgets_of_the_demo() // the figures a user is promised
    {
        const Assembly five = load_demo("mirror-back-face").value();
        const ReplayReport report = replay_code(five, code_of(five));
        QVERIFY(report.at_records.tip_budget <= 0.0025);
        QVERIFY(report.at_records.axis_budget * 180 / 3.14159265358979 <= 0.0003);
        QVERIFY(report.compared >= 3000);
        for (const Measured& m : {report.at_records, report.between}) {
            QVERIFY(m.tip <= m.tip_budget && m.tip > m.tip_budget / 5);
            QVERIFY(m.axis <= m.axis_budget && m.axis > m.axis_budget / 5);
        }
        const Assembly three = load_demo("mirror-cell").value();
        const ReplayReport flat = replay_code(three, code_of(three));
        for (const Measured& m : {flat.at_records, flat.between}) {
            QVERIFY(m.tip <= m.tip_budget && m.tip > m.tip_budget / 5);
        }
        QVERIFY(report.feed_error_percent < 0.5 && flat.feed_error_percent < 0.5);
    }

    void toolpaths_come_from_their_generators_data()
    {
        QTest::addColumn<QString>("generator");
        QTest::newRow("cell") << "mirror_cell.py";
        QTest::newRow("sides") << "mirror_cell_sides.py";
        QTest::newRow("fork") << "fork_arm.py";
        QTest::newRow("back") << "mirror_back.py";
        QTest::newRow("circle") << "setting_circle.py";
        QTest::newRow("numerals") << "circle_numerals.py";
        QTest::newRow("hub") << "focuser_hub.py";
        QTest::newRow("pier") << "pier_cap.py";
        QTest::newRow("measured tips") << "measured_tips.py";
    }
    void toolpaths_come_from_their_generators()
    {
        QFETCH(QString, generator);
        QTemporaryDir folder;
        QProcess process;
        process.start(python_program(), {source_folder() + "/demo/generators/" + generator, folder.path()});
        QVERIFY(process.waitForFinished());
        QVERIFY2(process.exitCode() == 0, process.readAllStandardError().constData());
        const QStringList made = QDir(folder.path()).entryList(QDir::Files);
        QVERIFY(!made.isEmpty());
        for (const QString& name : made) {
            const std::string beside = demo_folder() + (name.endsWith(".csv") ? "/measured/" : "/toolpaths/");
            QVERIFY2(read_file(folder.filePath(name).toStdString()) == read_file(beside + name.toStdString()), qPrintable(name));
        }
    }
};

WEXILUM_TEST(TestGolden)

} // namespace test_golden
#include "test_golden.moc"
