// The command line where nothing can be written, too little is to be had, or names lead elsewhere: a clear error, an exit code that says
// so, and nothing half done.
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QDirIterator>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

using namespace wexilum::test;

namespace test_cli_outputs {

namespace {

struct Outcome {
    int code = -1; ///< of the shell: above 128 where a signal has ended the program
    QByteArray told;
};

/// What a shell makes of a command; "CLI" and "PROJECT" stand for the program and the demo.
Outcome shell(QString command, const QString& project = QString::fromStdString(demo_folder()))
{
    command.replace(QStringLiteral("CLI"), QLatin1Char('\'') + cli_program() + QLatin1Char('\''));
    command.replace(QStringLiteral("PROJECT"), QLatin1Char('\'') + project + QLatin1Char('\''));
    QProcess process;
    process.start(QStringLiteral("bash"), {QStringLiteral("-c"), command});
    process.waitForFinished(120000);
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, process.readAllStandardError()};
}

/// A copy of the demo that can be written to.
struct Copy {
    QTemporaryDir folder;
    Copy()
    {
        QProcess::execute(QStringLiteral("cp"), {QStringLiteral("-r"), QString::fromStdString(demo_folder()) + "/.", folder.path()});
        QProcess::execute(QStringLiteral("chmod"), {QStringLiteral("-R"), QStringLiteral("u+w"), folder.path()});
        QDir(folder.filePath(QStringLiteral("out"))).removeRecursively();
    }
    [[nodiscard]] QByteArray read(const QString& name) const
    {
        QFile file(folder.filePath(name));
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray("(none)");
    }
    void write(const QString& name, const QByteArray& text) const
    {
        QFile file(folder.filePath(name));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(text);
    }
    [[nodiscard]] QStringList all() const
    {
        QStringList out;
        QDirIterator files(folder.path(), QDir::Files | QDir::Hidden, QDirIterator::Subdirectories);
        while (files.hasNext()) {
            out.push_back(files.next());
        }
        out.sort();
        return out;
    }
};

} // namespace

class TestCliOutputs : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void nothing_to_write_to_data();
    void nothing_to_write_to();
    void too_little_memory();
    void no_thread_to_be_had();
    void a_file_that_may_not_grow();
    void names_stay_in_the_output_folder();
    void an_output_that_is_no_file();
    void a_failed_job_takes_its_old_code_alone();
};

void TestCliOutputs::nothing_to_write_to_data()
{
    QTest::addColumn<QString>("command");
    for (const char* command :
         {"describe", "post --project PROJECT --job mirror-cell --out OUT", "post --project PROJECT --job mirror-cell --out OUT --json",
          "replay --project PROJECT --job mirror-cell --json", "check PROJECT/machines/tarn-3.json",
          "links --project PROJECT --job mirror-cell", "contact --project PROJECT --job mirror-cell --json",
          "post --project PROJECT --job fails-beyond-travel --out OUT", "--help", "--version"}) {
        QTest::newRow(command) << QString::fromLatin1(command);
    }
}

void TestCliOutputs::nothing_to_write_to()
{
    QFETCH(QString, command);
    QTemporaryDir out;
    command.replace(QStringLiteral("OUT"), out.path());
    const Outcome full = shell("CLI " + command + " > /dev/full");
    QCOMPARE(full.code, 2);
    QVERIFY2(full.told.contains("the output can't be written: No space left on device"), full.told.constData());
    const Outcome closed = shell("CLI " + command + " >&-");
    QCOMPARE(closed.code, 2);
    QVERIFY2(closed.told.contains("the output can't be written"), closed.told.constData());
    // Whoever reads has gone.
    const Outcome pipe = shell("{ sleep 0.1; CLI " + command + "; echo code $? >&2; } | true");
    QVERIFY2(pipe.told.contains("code 2"), pipe.told.constData());
    // Neither is to be had: it ends all the same, and says so by its code.
    QCOMPARE(shell("CLI " + command + " > /dev/full 2> /dev/full").code, 2);
    QCOMPARE(shell("CLI " + command + " >&- 2>&- <&-").code, 2);
}

void TestCliOutputs::too_little_memory()
{
#if WEXILUM_EVERY > 1
    return; // the sanitizers want all addresses there are
#endif
    QTemporaryDir out;
    int fine = 0;
    int refused = 0;
    for (int mb = 20; mb <= 120; mb += 5) {
        const Outcome outcome = shell(QStringLiteral("ulimit -v %1; CLI post --project PROJECT --job mirror-back-face --threads 2 --out %2")
                                          .arg(mb * 1000)
                                          .arg(out.path()));
        // 126 and 127: not even the libraries find room.
        QVERIFY2(outcome.code == 0 || outcome.code == 2 || outcome.code == 127,
                 (QByteArray::number(outcome.code) + outcome.told).constData());
        fine += outcome.code == 0 ? 1 : 0;
        refused += outcome.code == 0 ? 0 : 1;
    }
    QVERIFY(fine > 3 && refused > 0);
    QCOMPARE(QDir(out.path()).entryList(QDir::Files | QDir::Hidden), QStringList{QStringLiteral("mirror-back-face.nc")});
}

void TestCliOutputs::no_thread_to_be_had()
{
#if WEXILUM_EVERY > 1
    return; // as above: a thread's stack
#endif
    // With stacks larger than all addresses that there may be no thread can be made; one does all then.
    QTemporaryDir out;
    const Outcome outcome =
        shell("ulimit -s 900000; ulimit -v 400000; CLI post --project PROJECT --job mirror-back-face --threads 2 --out " + out.path() +
              " && CLI replay --project PROJECT --job mirror-back-face --threads 2 --code " + out.path() + "/mirror-back-face.nc");
    QVERIFY2(outcome.code == 0, outcome.told.constData());
}

void TestCliOutputs::a_file_that_may_not_grow()
{
    QTemporaryDir out;
    const Outcome outcome = shell("ulimit -f 20; CLI post --project PROJECT --job mirror-back-face --out " + out.path() + "/deep/down");
    QCOMPARE(outcome.code, 2);
    QVERIFY2(outcome.told.contains("File too large"), outcome.told.constData());
    QVERIFY(QDir(out.path()).isEmpty());
}

void TestCliOutputs::names_stay_in_the_output_folder()
{
    const Copy copy;
    const QStringList before = copy.all();
    const QByteArray job = copy.read("jobs/mirror-cell.json");
    const QByteArray dialect = copy.read("dialects/morrow-m.json");
    const QByteArray project = copy.read("project.json");
    for (const char* name : {"../project", "../../victim", "a/b", "a\\\\b", "", ".", "..", ".hidden", "a\\u0000b", "a\\nb", "a\\u007fb"}) {
        QByteArray text = job;
        copy.write("jobs/mirror-cell.json", text.replace("\"name\": \"mirror-cell\"", "\"name\": \"" + QByteArray(name) + "\""));
        const Outcome outcome = shell("CLI post --project PROJECT --job mirror-cell", copy.folder.path());
        QCOMPARE(outcome.code, 2);
        QVERIFY2(outcome.told.contains("jobs/mirror-cell.json:4:11: a file"), outcome.told.constData());
        QVERIFY2(outcome.told.contains("write a plain name"), outcome.told.constData());
    }
    QByteArray text = job;
    copy.write("jobs/mirror-cell.json", text.replace("\"name\": \"mirror-cell\"", "\"name\": \"" + QByteArray(400, 'x') + "\""));
    QVERIFY(shell("CLI post --project PROJECT --job mirror-cell", copy.folder.path()).told.contains("is too long, 200 are the most"));
    copy.write("jobs/mirror-cell.json", job);
    for (const char* extension : {"/../../escaped", "nc", ".n/c", ".nc.", ".", ".n\\u0000", ".json", ".lua"}) {
        QByteArray other = dialect;
        copy.write("dialects/morrow-m.json", other.replace("\"extension\": \".nc\"", "\"extension\": \"" + QByteArray(extension) + "\""));
        const Outcome outcome = shell("CLI post --project PROJECT --job mirror-cell", copy.folder.path());
        QCOMPARE(outcome.code, 2);
        QVERIFY2(outcome.told.contains("dialects/morrow-m.json:40:16: "), outcome.told.constData());
    }
    copy.write("dialects/morrow-m.json", dialect);
    QCOMPARE(copy.all(), before);
    QCOMPARE(copy.read("project.json"), project);
}

void TestCliOutputs::an_output_that_is_no_file()
{
    const Copy copy;
    const QString post = QStringLiteral("CLI post --project PROJECT --job mirror-cell");
    QVERIFY(QDir(copy.folder.path()).mkpath("out/mirror-cell.nc"));
    const Outcome folder = shell(post, copy.folder.path());
    QCOMPARE(folder.code, 2);
    QVERIFY2(folder.told.contains("this is a folder, not a file"), folder.told.constData());
    QVERIFY(QDir(copy.folder.filePath("out/mirror-cell.nc")).exists());
    QVERIFY(QDir(copy.folder.filePath("out")).rmdir("mirror-cell.nc"));
    QCOMPARE(QProcess::execute("mkfifo", {copy.folder.filePath("out/mirror-cell.nc")}), 0);
    QCOMPARE(shell(post, copy.folder.path()).code, 2);
    QVERIFY(QFile::exists(copy.folder.filePath("out/mirror-cell.nc")));
    QVERIFY(QFile::remove(copy.folder.filePath("out/mirror-cell.nc")));
    // A link is followed.
    QVERIFY(QFile::link(copy.folder.filePath("elsewhere.nc"), copy.folder.filePath("out/mirror-cell.nc")));
    QCOMPARE(shell(post, copy.folder.path()).code, 0);
    QVERIFY(QFileInfo(copy.folder.filePath("out/mirror-cell.nc")).isSymLink());
    QVERIFY(copy.read("elsewhere.nc").size() > 10000);
}

void TestCliOutputs::a_failed_job_takes_its_old_code_alone()
{
    const Copy copy;
    copy.write("machines/readme.txt", "mine");
    QVERIFY(QDir(copy.folder.path()).mkpath("out"));
    copy.write("out/fails-beyond-travel.nc", "(of an earlier run)");
    copy.write("out/other.nc", "mine");
    QCOMPARE(shell("CLI post --project PROJECT --job fails-beyond-travel", copy.folder.path()).code, 1);
    QCOMPARE(QDir(copy.folder.filePath("out")).entryList(QDir::Files | QDir::Hidden), QStringList{QStringLiteral("other.nc")});
    // A folder of that name is somebody's.
    QVERIFY(QDir(copy.folder.path()).mkpath("out/fails-beyond-travel.nc"));
    QCOMPARE(shell("CLI post --project PROJECT --job fails-beyond-travel", copy.folder.path()).code, 2);
    QVERIFY(QDir(copy.folder.filePath("out/fails-beyond-travel.nc")).exists());
}

WEXILUM_TEST(TestCliOutputs)

} // namespace test_cli_outputs
#include "test_cli_outputs.moc"
