// Bodies from STL and OBJ files, and the bodies of attachments. The files are written here; distances by hand.
#include "core/base/units.hpp"
#include "core/collide/solid.hpp"
#include "core/follow/contact_observer.hpp"
#include "core/machine/surface_file.hpp"
#include "core/replay/replay_run.hpp"
#include "core/run/post_run.hpp"
#include "tests/support/demo.hpp"
#include "tests/support/test_program.hpp"

#include <fmt/format.h>

#include <QTest>

#include <cstring>
#include <random>

namespace test_surfaces {

// The library keeps what it had allocated for a file that it gives up on.
extern "C" const char* __lsan_default_suppressions(); // NOLINT: the sanitizer's name
extern "C" const char* __lsan_default_suppressions() { return "leak:libassimp"; }

using namespace wexilum;
using namespace wexilum::test;

namespace {

const std::string machine_file = "machines/tarn-3.json";
const std::string surface_file = "bodies/side-head.obj";

/// The triangles of a cube from 0 to 10 in each direction, three corners each.
std::vector<std::array<Vec3, 3>> cube()
{
    std::vector<std::array<Vec3, 3>> out;
    for (int k = 0; k < 3; ++k) {
        for (const double at : {0.0, 10.0}) {
            Vec3 p[4];
            for (int i = 0; i < 4; ++i) {
                p[i][k] = at;
                p[i][(k + 1) % 3] = i == 1 || i == 2 ? 10 : 0;
                p[i][(k + 2) % 3] = i >= 2 ? 10 : 0;
            }
            out.push_back({p[0], p[1], p[2]});
            out.push_back({p[0], p[2], p[3]});
        }
    }
    return out;
}

std::string text_stl()
{
    std::string out = "solid cube\n";
    for (const auto& face : cube()) {
        out += "facet normal 0 0 0\nouter loop\n";
        for (const Vec3& p : face) {
            out += fmt::format("vertex {:g} {:g} {:g}\n", p.x(), p.y(), p.z());
        }
        out += "endloop\nendfacet\n";
    }
    return out + "endsolid cube\n";
}

std::string binary_stl()
{
    std::string out(80, ' ');
    const auto put = [&](const auto& value) { out.append(reinterpret_cast<const char*>(&value), sizeof value); };
    put(std::uint32_t(cube().size()));
    for (const auto& face : cube()) {
        for (int i = 0; i < 3; ++i) {
            put(0.0F);
        }
        for (const Vec3& p : face) {
            put(float(p.x()));
            put(float(p.y()));
            put(float(p.z()));
        }
        put(std::uint16_t(0));
    }
    return out;
}

/// Of squares, and with a material in another file that nobody has.
std::string obj()
{
    std::string out = "# cube\nmtllib nowhere.mtl\nusemtl grey\n";
    for (int i = 0; i < 8; ++i) {
        out += fmt::format("v {} {} {}\n", (i & 1) * 10, (i >> 1 & 1) * 10, (i >> 2 & 1) * 10);
    }
    return out + "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n";
}

double volume_of(const Triangles& surface)
{
    double out = 0;
    for (const auto& face : surface.faces) {
        out += std::abs(surface.points[face[0]].dot(surface.points[face[1]].cross(surface.points[face[2]]))) / 6;
    }
    return out;
}

} // namespace

class TestSurfaces : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_cube_in_three_forms_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QString>("name");
        const auto bytes = [](const std::string& text) { return QByteArray(text.data(), qsizetype(text.size())); };
        QTest::newRow("STL, text") << bytes(text_stl()) << QStringLiteral("cube.stl");
        QTest::newRow("STL, binary") << bytes(binary_stl()) << QStringLiteral("cube.STL");
        QTest::newRow("OBJ") << bytes(obj()) << QStringLiteral("cube.obj");
    }
    void a_cube_in_three_forms()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(QString, name);
        const auto read = [&](double unit) {
            return read_surface(std::string_view(bytes.data(), std::size_t(bytes.size())), name.toStdString(), unit);
        };
        const auto surface = read(1);
        QVERIFY2(surface, surface ? "" : surface.error().text().c_str());
        QCOMPARE(surface->faces.size(), std::size_t(12));
        QCOMPARE(surface->points.size(), std::size_t(8));
        QVERIFY(std::abs(volume_of(*surface) - 1000) < 1e-6);
        QVERIFY(std::abs(volume_of(*read(25.4)) - 1000 * 25.4 * 25.4 * 25.4) < 1); // mm^3
        // A box of 4 beside it: its near side at x = 17, so 7 from the cube.
        Body cube;
        cube.shape = Shape::surface;
        cube.surface = std::make_shared<const Triangles>(*surface);
        Body box;
        box.size = Vec3(4, 4, 4);
        box.frame.translation() = Vec3(19, 5, 3);
        QVERIFY(std::abs(Solid::distance(Solid(cube), cube.frame, Solid(box), box.frame) - 7) < 1e-6);
    }

    void files_without_a_surface_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("message");
        const auto bytes = [](const std::string& text) { return QByteArray(text.data(), qsizetype(text.size())); };
        const QString none = QStringLiteral("there is no surface in the file");
        QTest::newRow("empty STL") << QByteArray() << QStringLiteral("a.stl") << QStringLiteral("the STL file is cut short");
        QTest::newRow("cut text") << bytes(text_stl().substr(0, 400)) << QStringLiteral("a.stl")
                                  << QStringLiteral("the STL file is cut short");
        QTest::newRow("cut binary") << bytes(binary_stl().substr(0, 300)) << QStringLiteral("a.stl")
                                    << QStringLiteral("the file is neither text nor a binary STL file of the length that it says");
        QTest::newRow("no faces") << bytes("solid x\nendsolid x\n") << QStringLiteral("a.stl") << none;
        QTest::newRow("points alone") << bytes("v 0 0 0\nv 1 0 0\n") << QStringLiteral("a.obj") << none;
        QTest::newRow("of no area") << bytes("v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n") << QStringLiteral("a.obj") << none;
        QTest::newRow("a point that is not there") << bytes("v 0 0 0\nv 1 0 0\nv 2 1 0\nf 1 2 9\n") << QStringLiteral("a.obj") << none;
        QTest::newRow("too far") << bytes("v 0 0 0\nv 1e9 0 0\nv 2 1 0\nf 1 2 3\n") << QStringLiteral("a.obj")
                                 << QStringLiteral("the surface has a point that is not a number, or beyond 1e7 mm");
        QTest::newRow("another kind") << bytes(obj()) << QStringLiteral("a.ply")
                                      << QStringLiteral("a surface is a file that ends with .stl or .obj");
    }
    void files_without_a_surface()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(QString, name);
        QFETCH(QString, message);
        const auto surface = read_surface(std::string_view(bytes.data(), std::size_t(bytes.size())), name.toStdString(), 1);
        QVERIFY(!surface);
        const QString told = QString::fromStdString(surface.error().message);
        QVERIFY2(told.startsWith(message), qPrintable(told));
        QVERIFY(!surface.error().cure.empty());
    }

    void files_with_faults_end_in_a_surface_or_an_error()
    {
        constexpr unsigned seed = 93;
        qInfo("seed %u", seed);
        std::mt19937 random(seed);
        const std::array<std::pair<std::string, std::string>, 3> files{{{text_stl(), "a.stl"}, {binary_stl(), "a.stl"}, {obj(), "a.obj"}}};
        int read = 0;
        for (int i = 0; i < 3000; ++i) {
            auto [bytes, name] = files[std::size_t(i) % files.size()];
            for (int k = 0; k < 1 + i % 4; ++k) {
                const std::size_t at = random() % bytes.size();
                switch (random() % 3) {
                case 0: bytes[at] = char(random() % 256); break;
                case 1: bytes.erase(at, 1 + random() % 20); break;
                default: bytes.insert(at, bytes.substr(random() % bytes.size(), random() % 20)); break;
                }
                if (bytes.empty()) {
                    break;
                }
            }
            const auto surface = read_surface(bytes, name, 1);
            for (const auto& face : surface ? surface->faces : std::vector<std::array<std::uint32_t, 3>>()) {
                QVERIFY(*std::max_element(face.begin(), face.end()) < surface->points.size());
            }
            read += surface ? 1 : 0;
        }
        QVERIFY(read > 100 && read < 2900);
    }

    void a_surface_that_is_not_there()
    {
        const auto load = [](const char* path) { return load_demo("mirror-cell-sides", {{machine_file, surface_file, path}}); };
        const auto missing = load("bodies/none.obj");
        QVERIFY(!missing);
        const QString told = QString::fromStdString(missing.error().message);
        QVERIFY2(told.startsWith(QStringLiteral("the surface bodies/none.obj of the body \"side head\": ")), qPrintable(told));
        QCOMPARE(QString::fromStdString(missing.error().place.file), QString::fromStdString(machine_file));
        QVERIFY(missing.error().place.line > 20);
        const auto outside = load("../side-head.obj");
        QVERIFY(!outside);
        QCOMPARE(QString::fromStdString(outside.error().message), QStringLiteral("\"../side-head.obj\" leads out of the project"));
    }

    // --- attachments
    void a_head_is_there_while_it_is_fitted()
    {
        // Its nose reaches 48 mm from the head's middle, the stub drill's tip 48.15 + 60 and more; one of 140 runs into the rim.
        const Edit longer{machine_file, R"("cylinder": {"diameter": 58, "length": 48})", R"("cylinder": {"diameter": 58, "length": 140})"};
        const auto contact = [](const char* job, const std::vector<Edit>& edits) {
            const Assembly a = load_demo(job, edits).value();
            return check_contacts(a, post(a).files).value();
        };
        QVERIFY(contact("mirror-cell-sides", {}).findings.list().empty());
        const ContactReport touched = contact("mirror-cell-sides", {longer});
        QVERIFY2(has_finding(touched.findings, "contact"), qPrintable(shown(touched.findings)));
        QVERIFY(touched.findings.list().front().message.find("nose of the turning head") != std::string::npos);
        QVERIFY(contact("mirror-cell", {longer}).findings.list().empty()); // without the head
    }

    void a_body_of_another_joint()
    {
        const auto a = load_demo("mirror-cell-sides", {{machine_file, R"("parent": "H", "cylinder")", R"("parent": "X", "cylinder")"}});
        QVERIFY(!a);
        QCOMPARE(QString::fromStdString(a.error().message), QStringLiteral("\"X\" is not a joint of the attachment"));
    }
};

WEXILUM_TEST(TestSurfaces)

} // namespace test_surfaces
#include "test_surfaces.moc"
