// Broken and absurd input: every reader answers with an error that has a place and a cure, or copes; nothing crashes or hangs.
#include "core/base/finding.hpp"
#include "core/base/json_document.hpp"
#include "core/compare/report.hpp"
#include "core/project/project.hpp"
#include "core/toolpath/readers/cl_reader.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/overlay_files.hpp"
#include "tests/support/test_program.hpp"

#include <QDirIterator>
#include <QTest>

#include <random>

using namespace wexilum;
using namespace wexilum::test;

namespace test_bad_input {

namespace {

constexpr unsigned seed = 777;

std::vector<std::string> demo_files()
{
    std::vector<std::string> out;
    QDirIterator files(QString::fromStdString(demo_folder()), {"*.json", "*.cl", "*.lua"}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
        const QString path = files.next();
        if (!path.contains("/out/") && !path.contains("mirror-back-face.cl")) {
            out.push_back(path.toStdString());
        }
    }
    std::sort(out.begin(), out.end());
    return out;
}

/// Reads the text under the file's name; checks that an error is complete.
void read(const std::string& path, const std::string& text, int& errors)
{
    OverlayFiles files;
    files.replaced[path] = text;
    const auto checked = check_file(files, path);
    if (!checked) {
        ++errors;
        const Error& e = checked.error();
        // A post whose options have other names is at odds with its rulebook, where the option is asked for.
        const bool place = e.place.file == path || (path.find("/posts/") != std::string::npos && e.place.file.starts_with("rulebooks/"));
        QVERIFY2(!e.message.empty() && !e.cure.empty() && place, qPrintable(QString::fromStdString(e.text())));
        QVERIFY2(e.place.line > 0 || e.kind == ErrorKind::unreadable, qPrintable(QString::fromStdString(e.text())));
        QVERIFY2(e.message.size() < 600, qPrintable(QString::fromStdString(e.message)));
    }
}

} // namespace

class TestBadInput : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void truncated()
    {
        int errors = 0;
        for (const std::string& path : demo_files()) {
            const std::string text = read_file(path);
            const std::size_t step = std::max<std::size_t>(1, text.size() / (60 / WEXILUM_EVERY));
            for (std::size_t n = 0; n < text.size(); n += step) {
                read(path, text.substr(0, n), errors);
            }
        }
        QVERIFY(errors > 500 / WEXILUM_EVERY / 2);
    }

    void bytes_changed()
    {
        qInfo("seed %u", seed);
        std::mt19937_64 random(seed);
        const std::string nasty = "{}[]\":,0-+.eE$/\n\0\xFF N~";
        int errors = 0;
        for (const std::string& path : demo_files()) {
            const std::string text = read_file(path);
            for (int n = 0; n < 120 / WEXILUM_EVERY; ++n) {
                std::string broken = text;
                for (int k = 0; k < 1 + n % 4; ++k) {
                    broken[random() % broken.size()] = nasty[random() % nasty.size()];
                }
                read(path, broken, errors);
            }
        }
        QVERIFY(errors > 500 / WEXILUM_EVERY / 2);
    }

    void values_of_other_kinds()
    {
        // Every value of every definition replaced by values of other types and sizes, one at a time.
        int errors = 0;
        const std::vector<std::string> others{"null", "true", "-1", "1e308", "\"\"", "[]", "{}", "[[[[[]]]]]", "99999999999999999999",
                                              "0.1"};
        for (const std::string& path : demo_files()) {
            if (!path.ends_with(".json")) {
                continue;
            }
            const std::string text = read_file(path);
            const auto document = json::Document::parse(text, path);
            std::vector<const json::Node*> nodes{&document.value().root()};
            for (std::size_t i = 0; i < nodes.size() && nodes.size() < 4000; ++i) {
                for (const auto& member : nodes[i]->members) {
                    nodes.push_back(&member.value);
                }
                for (const auto& item : nodes[i]->items) {
                    nodes.push_back(&item);
                }
            }
            for (std::size_t i = 0; i < nodes.size(); ++i) {
                for (std::size_t k = i % (3 * WEXILUM_EVERY); k < others.size(); k += 3 * WEXILUM_EVERY) {
                    std::string broken = text;
                    broken.replace(nodes[i]->begin, nodes[i]->end - nodes[i]->begin, others[k]);
                    read(path, broken, errors);
                }
            }
        }
        QVERIFY(errors > 3000 / (3 * WEXILUM_EVERY));
    }

    void huge()
    {
        int errors = 0;
        const std::string machine = demo_folder() + "/machines/tarn-3.json";
        const std::string path = demo_folder() + "/toolpaths/cell-holes.cl";
        for (const std::string& text :
             {std::string(10 << 20, 'x'), std::string(10 << 20, '['), std::string(10 << 20, '"'), std::string(10 << 20, '1'),
              "{\"format\": \"" + std::string(10 << 20, 'm') + "\"}", std::string(10 << 20, '\0'), std::string(10 << 20, ' ')}) {
            read(machine, text, errors);
            read(path, text, errors);
        }
        QVERIFY(errors >= 13);
        std::string keys = "{";
        for (int i = 0; i < 200000; ++i) {
            keys += "\"k" + std::to_string(i) + "\":0,";
        }
        read(machine, keys + "\"z\":0}", errors);
        QVERIFY(errors >= 14);
    }

    void code_that_is_no_code()
    {
        const Assembly a = load_demo("mirror-cell").value();
        const std::string good = code_of(a);
        std::mt19937_64 random(seed);
        std::vector<std::string> texts{"",
                                       std::string(10 << 20, 'X'),
                                       std::string(1 << 20, '('),
                                       std::string(5000, '\0'),
                                       "G1 X" + std::string(4000, '9'),
                                       "G1 X1e308\nG1 Xnan F100.\nG2 X1. I1e5 F1.\n",
                                       "G83 X1. Y1. Z-1000. R2. Q0.001 F100.\n"};
        for (int n = 0; n < 60 / WEXILUM_EVERY; ++n) {
            std::string broken = good;
            for (int k = 0; k < 8; ++k) {
                broken[random() % broken.size()] = " GXYZIJKRF0123456789.-()%/\n"[random() % 27];
            }
            texts.push_back(broken);
        }
        for (const std::string& text : texts) {
            const ReplayReport report = replay_code(a, text);
            QVERIFY(report.findings.list().size() <= 40 * FindingList::most_ranges);
            QVERIFY(std::isfinite(report.at_records.tip) && std::isfinite(report.between.tip));
        }
        QVERIFY(has_finding(replay_code(a, "").findings, "no-end"));
        QVERIFY(replay_code(a, "").uncovered > 300);
    }
};

WEXILUM_TEST(TestBadInput)

} // namespace test_bad_input
#include "test_bad_input.moc"
