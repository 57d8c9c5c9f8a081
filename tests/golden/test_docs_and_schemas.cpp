// Documentation and schemas against what the program reads.
#include "core/controller/function.hpp"
#include "core/project/project.hpp"
#include "core/rules/description.hpp"
#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/readers/wtp_reader.hpp"
#include "core/toolpath/toolpath_formats.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QTest>

using namespace wexilum;
using namespace wexilum::test;

namespace test_docs_and_schemas {

namespace {

QString doc(const char* name) { return QString::fromStdString(read_file((source_folder() + "/docs/" + name).toStdString())); }

int validate(const QString& schema, const QString& file, QByteArray& said)
{
    QProcess process;
    process.start(python_program(), {source_folder() + "/tests/golden/validate.py", schema, file});
    process.waitForFinished();
    said = process.readAllStandardOutput() + process.readAllStandardError();
    return process.exitCode();
}

const std::vector<std::pair<const char*, const char*>> formats{{"machine", "machines"}, {"controller", "controllers"},
                                                               {"dialect", "dialects"}, {"setup", "setups"},
                                                               {"job", "jobs"},         {"post", "posts"},
                                                               {"project", "."},        {"overlay", "overlays"}};

} // namespace

class TestDocsAndSchemas : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void every_key_is_described() // in the schemas, and with the same words in the page that is made of them
    {
        QTemporaryDir scratch;
        QProcess process;
        process.start(python_program(), {source_folder() + "/dev/keys", scratch.filePath("keys.md")});
        QVERIFY(process.waitForFinished());
        QVERIFY2(process.exitCode() == 0, process.readAllStandardError().constData()); // a key without a description ends it
        QCOMPARE(QString::fromStdString(read_file(scratch.filePath("keys.md").toStdString())), doc("formats/keys.md"));
        QVERIFY(doc("formats/keys.md").count("\n| ") > 400);
    }

    void schemas_data()
    {
        QTest::addColumn<QString>("schema");
        QTest::addColumn<QString>("folder");
        for (const auto& [format, folder] : formats) {
            QTest::newRow(format) << source_folder() + QStringLiteral("/docs/schema/%1.schema.json").arg(format)
                                  << QString::fromStdString(demo_folder()) + '/' + folder;
        }
    }
    void schemas() // hold for every demo file, and refuse what the reader refuses: an unknown key, a missing one
    {
        QFETCH(QString, schema);
        QFETCH(QString, folder);
        const QStringList files = QDir(folder).entryList({"*.json"}, QDir::Files);
        QVERIFY(!files.isEmpty());
        QByteArray said;
        for (const QString& file : files) {
            QVERIFY2(validate(schema, folder + '/' + file, said) == 0, (file.toUtf8() + ": " + said).constData());
        }
        const std::string text = read_file((folder + '/' + files.front()).toStdString());
        QTemporaryDir scratch;
        const auto refused = [&](const std::string& broken) {
            QFile file(scratch.filePath("broken.json"));
            if (!file.open(QIODevice::WriteOnly)) {
                return false;
            }
            file.write(broken.data(), qint64(broken.size()));
            file.close();
            OverlayFiles overlay;
            return validate(schema, file.fileName(), said) != 0 && !check_file(overlay, file.fileName().toStdString()).ok();
        };
        std::string unknown = text;
        unknown.insert(unknown.find('{') + 1, "\"colour\": 1,");
        QVERIFY(refused(unknown));
        std::string missing = text;
        missing.replace(missing.find("\"name\""), 6, "\"x-name\"");
        QVERIFY(refused(missing));
        std::string format = text;
        format.replace(format.find("/1\""), 3, "/9\"");
        QVERIFY(refused(format));
    }

    void the_rulebook_reference_is_what_the_program_says()
    {
        const QString text = doc("rulebook.md");
        const qsizetype begin = text.indexOf("## Events");
        QVERIFY(begin > 0);
        QCOMPARE(text.mid(begin), QString::fromStdString(rulebook_reference()));
    }

    void every_cl_word_is_described()
    {
        const QString text = doc("formats/cl.md");
        for (const std::string& word : ClReader::words()) {
            QVERIFY2(text.contains(QString("`%1").arg(QString::fromStdString(word))), word.c_str());
        }
    }

    void toolpath_lines_are_described() // in page and schema, which holds for a toolpath of the demo and for each kind of record
    {
        const QString page = doc("formats/wtp.md");
        const QString schema = doc("schema/toolpath.schema.json");
        for (const std::string& record : WtpReader::records()) {
            QVERIFY2(page.contains(QString("| `%1` |").arg(QString::fromStdString(record))), record.c_str());
            QVERIFY2(schema.contains(QString("\"const\": \"%1\"").arg(QString::fromStdString(record))), record.c_str());
        }
        OverlayFiles files;
        QVERIFY(convert_toolpath(files, demo_folder() + "/toolpaths/hub-face.cl", "lines.wtp").ok());
        const QString lines = QString::fromStdString(files.written.at("lines.wtp") +
                                                     read_file((source_folder() + "/tests/fuzz/corpus/wtp/every-record").toStdString()));
        // All lines as one array, by the schema of a line.
        QTemporaryDir scratch;
        const auto put = [&](const char* name, const QString& text) {
            QFile file(scratch.filePath(name));
            return file.open(QIODevice::WriteOnly) && file.write(text.toUtf8()) > 0;
        };
        QVERIFY(put("lines.schema.json", "{\"items\": " + schema + "}"));
        const auto valid = [&](const QString& all, QByteArray& said) {
            return put("lines.json", "[" + all.trimmed().split('\n').join(",\n") + "]") &&
                   validate(scratch.filePath("lines.schema.json"), scratch.filePath("lines.json"), said) == 0;
        };
        QByteArray said;
        QVERIFY2(valid(lines, said), said.constData());
        for (const char* wrong : {R"({"record": "rapid", "tip": [1, 2]})", R"({"record": "stop", "text": "x"})", R"({"tip": [1, 2, 3]})",
                                  R"({"record": "dwell", "seconds": 1, "revolutions": 2})",
                                  R"({"record": "feed", "mode": "slow", "value": 1})", R"({"record": "comment", "text": "a\nb"})"}) {
            QVERIFY2(!valid(wrong, said), wrong);
            files.replaced["wrong.wtp"] =
                std::string("{\"format\": \"toolpath/1\", \"units\": {\"length\": \"mm\", \"angle\": \"deg\"}}\n") + wrong;
            QVERIFY2(!check_file(files, "wrong.wtp").ok(), wrong);
        }
    }

    void every_function_is_described()
    {
        const QString text = doc("formats/controller.md");
        for (std::size_t i = 0; i < function_count; ++i) {
            const auto name = name_of(static_cast<Function>(i));
            QVERIFY2(text.contains(QString("`%1`").arg(QString::fromUtf8(name.data(), qsizetype(name.size())))), name.data());
            QCOMPARE(function_named(name), std::optional(static_cast<Function>(i)));
        }
        const QString dialect = doc("formats/dialect.md");
        for (std::size_t i = 0; i < role_count; ++i) {
            const auto name = name_of(static_cast<Role>(i));
            QVERIFY2(dialect.contains(QString("`%1`").arg(QString::fromUtf8(name.data(), qsizetype(name.size())))), name.data());
        }
        for (const std::string& action : section_actions()) {
            QVERIFY2(dialect.contains(QString("{%1}").arg(QString::fromStdString(action))), action.c_str());
        }
        for (const expr::Name& name : state_names()) {
            QVERIFY2(dialect.contains(QString("`%1`").arg(QString::fromStdString(name.name))), name.name.c_str());
        }
        for (const std::string& section : section_names()) {
            QVERIFY2(dialect.contains(QString("`%1`").arg(QString::fromStdString(section))), section.c_str());
        }
    }

    void paths_named_in_the_docs_exist()
    {
        const QRegularExpression path("`((?:core|cli|tests|docs|demo|dev)/[A-Za-z0-9_./-]+)`");
        for (const char* name :
             {"architecture.md", "add-a-format.md", "budget.md", "formats/cl.md", "../README.md", "../CONTRIBUTING.md"}) {
            const QString text = doc(name);
            int found = 0;
            for (auto matches = path.globalMatch(text); matches.hasNext();) {
                const QString named = matches.next().captured(1);
                QVERIFY2(QFile::exists(source_folder() + "/" + named), qPrintable(QString(name) + ": " + named));
                ++found;
            }
            QVERIFY2(found > 0 || QString(name).contains("budget") || QString(name).contains("cl.md"), name);
        }
    }
};

WEXILUM_TEST(TestDocsAndSchemas)

} // namespace test_docs_and_schemas
#include "test_docs_and_schemas.moc"
