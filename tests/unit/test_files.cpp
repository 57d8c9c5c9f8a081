// The real files: whole sets or nothing; CSV tables.
#include "core/io/real_files.hpp"
#include "core/toolpath/readers/csv_reader.hpp"

#include "tests/support/test_program.hpp"

#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

using namespace wexilum;

namespace test_files {

namespace {

QString table_error(const std::string& text)
{
    TextSource source(text);
    const auto table = read_number_table(source, "t.csv");
    return table ? QString("no error") : QString::fromStdString(table.error().text());
}

} // namespace

class TestFiles : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_set_is_replaced_as_a_whole()
    {
        QTemporaryDir folder;
        const std::string base = folder.path().toStdString();
        RealFileSystem files;
        const auto write = [&](const std::vector<std::pair<std::string, std::string>>& set) {
            const auto made = files.begin_files();
            for (const auto& [path, text] : set) {
                auto file = made->add(path);
                const Status status = file ? (*file)->write(text) : Status(file.error());
                if (!status) {
                    return status;
                }
            }
            return made->commit();
        };
        QVERIFY(write({{base + "/a/one.nc", "1"}, {base + "/a/two.nc", "2"}}).ok());
        QCOMPARE(files.read_all(base + "/a/two.nc", 100).value(), std::string("2"));
        // The second name can't be written: it is a folder's child of a file. Nothing of the set changes.
        const Status failed = write({{base + "/a/one.nc", "new"}, {base + "/a/two.nc/x", "new"}});
        QVERIFY(!failed.ok());
        QVERIFY(failed.error().kind == ErrorKind::unreadable);
        QCOMPARE(files.read_all(base + "/a/one.nc", 100).value(), std::string("1"));
        QCOMPARE(QDir(folder.path() + "/a").entryList(QDir::Files), (QStringList{"one.nc", "two.nc"}));
        QVERIFY(files.remove({base + "/a/one.nc", base + "/a/none.nc"}).ok());
        QCOMPARE(files.list(base + "/a", ".nc"), std::vector<std::string>{"two.nc"});
    }

    void what_can_not_be_read_says_why()
    {
        const RealFileSystem files;
        QCOMPARE(QString::fromStdString(files.read_all("/nowhere/x", 10).error().text()),
                 QString("/nowhere/x: can't be read: No such file or directory; check the path and its permissions"));
        QCOMPARE(QString::fromStdString(files.read_all("/", 10).error().message), QString("this is a folder, not a file"));
        QVERIFY(!files.open("/nowhere/x").ok());
        QTemporaryDir folder;
        QFile big(folder.filePath("big"));
        QVERIFY(big.open(QIODevice::WriteOnly));
        big.write(QByteArray(3 << 20, 'x'));
        big.close();
        QCOMPARE(QString::fromStdString(files.read_all(big.fileName().toStdString(), 1 << 20).error().message),
                 QString("the file is larger than 1 MiB"));
    }

    void a_spool_gives_back_what_was_put_aside()
    {
        QTemporaryDir folder;
        qputenv("TMPDIR", folder.path().toUtf8());
        FileScratch scratch;
        auto made = scratch.spool();
        qunsetenv("TMPDIR");
        QVERIFY(made.ok());
        Spool& spool = **made;
        QVERIFY(QDir(folder.path()).entryList(QDir::Files).isEmpty()); // it has no name any more
        SpoolWriter writer(spool);
        for (std::uint32_t i = 0; i < 100000; ++i) {
            writer.put(i);
        }
        QVERIFY(writer.flush().ok());
        QCOMPARE(spool.size(), std::uint64_t(400000));
        const std::uint32_t other = 7;
        QVERIFY(spool.write_at(4 * 5000, std::span(reinterpret_cast<const char*>(&other), 4)).ok());
        SpoolReader reader(spool);
        for (std::uint32_t i = 0; i < 100000; ++i) {
            QCOMPARE(reader.get<std::uint32_t>(), i == 5000 ? 7U : i);
        }
        QVERIFY(reader.at_end() && reader.status().ok());
        (void)reader.get<std::uint32_t>();
        SpoolSource source(spool);
        std::array<char, 12> bytes{};
        QCOMPARE(source.read(bytes).value(), std::size_t(12));
        QCOMPARE(bytes[8], char(2));
        qputenv("TMPDIR", "/nowhere");
        const auto failed = scratch.spool();
        qunsetenv("TMPDIR");
        QVERIFY(!failed.ok());
        QCOMPARE(QString::fromStdString(failed.error().text()),
                 QString("/nowhere: no temporary file can be made: No such file or directory; make room there, or let TMPDIR name another "
                         "folder"));
    }

    void tables()
    {
        TextSource source("# poses\nx, y\r\n1,2\n\n-3e1, 4.5\n");
        const auto table = read_number_table(source, "t.csv");
        QVERIFY(table.ok());
        QCOMPARE(table.value().header, (std::vector<std::string>{"x", "y"}));
        QCOMPARE(table.value().rows, (std::vector<std::vector<double>>{{1, 2}, {-30, 4.5}}));
        QCOMPARE(table.value().lines, (std::vector<std::uint32_t>{3, 5}));
    }

    void broken_tables_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("wanted");
        QTest::newRow("empty") << ""
                               << "t.csv:1:1: the table has no header; name the columns in the first line";
        QTest::newRow("twice") << "x,x\n"
                               << "t.csv:1:3: the header needs different names, found 'x'; name each column once";
        QTest::newRow("short") << "x,y\n1\n"
                               << "t.csv:2:1: the row has 1 numbers, the header 2 names; give one number a column";
        QTest::newRow("nan") << "x,y\n1,nan\n"
                             << "t.csv:2:3: 'nan' is not a number within 1e9; write numbers like 12.5 or -3e-4";
        QTest::newRow("word") << "x,y\n1,two\n"
                              << "t.csv:2:3: 'two' is not a number within 1e9; write numbers like 12.5 or -3e-4";
        QTest::newRow("huge") << "x,y\n1e308,1\n"
                              << "t.csv:2:1: '1e308' is not a number within 1e9; write numbers like 12.5 or -3e-4";
    }
    void broken_tables()
    {
        QFETCH(QString, text);
        QFETCH(QString, wanted);
        QCOMPARE(table_error(text.toStdString()), wanted);
    }
};

WEXILUM_TEST(TestFiles)

} // namespace test_files
#include "test_files.moc"
