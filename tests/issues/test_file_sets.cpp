// Files are there as a whole or not at all, whatever fails, is killed or loses its power; what a file is stays; only plain files are read
// and written.
#include "core/io/file_set.hpp"
#include "core/io/real_files.hpp"
#include "tests/support/disks.hpp"
#include "tests/support/places.hpp"
#include "tests/support/test_program.hpp"

#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <csignal>
#include <fcntl.h>
#include <sys/mount.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

using namespace wexilum;
using namespace wexilum::test;

namespace test_file_sets {

namespace {

namespace fs = std::filesystem;

void put(const fs::path& path, const std::string& text)
{
    fs::create_directories(path.parent_path());
    std::ofstream(path, std::ios::binary) << text;
}

std::string get(const fs::path& path)
{
    std::ifstream in(path, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
}

using Texts = std::vector<std::pair<std::string, std::string>>; ///< path, text

Status write(NewFiles& set, const Texts& texts)
{
    for (const auto& [path, text] : texts) {
        auto file = set.add(path);
        if (const Status status = file ? (*file)->write(text) : Status(file.error()); !status) {
            return status;
        }
    }
    return set.commit();
}

Status write(const Texts& texts, Disk& disk)
{
    FileSet set(disk);
    return write(set, texts);
}

Status write(const Texts& texts)
{
    RealDisk disk;
    return write(texts, disk);
}

/// All files of a folder and its subfolders, by their names from it.
std::map<std::string, std::string> all_in(const fs::path& folder)
{
    std::map<std::string, std::string> out;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        if (entry.is_regular_file()) {
            out[entry.path().lexically_relative(folder).string()] = get(entry.path());
        }
    }
    return out;
}

QString message(const Status& status) { return status ? QString("no error") : QString::fromStdString(status.error().message); }

/// A text that holds its number, and shows whether it is whole.
std::string version(std::uint64_t number)
{
    std::string text = "version " + std::to_string(number) + "\n";
    for (std::uint64_t i = 0, lines = 20 + number * 7 % 900; i < lines; ++i) {
        text += "N" + std::to_string(i) + " X" + std::to_string(number) + "\n";
    }
    return text + "end " + std::to_string(number) + "\n";
}

std::optional<std::uint64_t> whole_version(const std::string& text)
{
    const std::uint64_t number = std::strtoull(text.c_str() + std::min<std::size_t>(8, text.size()), nullptr, 10);
    return text == version(number) ? std::optional(number) : std::nullopt;
}

/// What a file can be that is to be written.
struct Case {
    const char* name;
    Texts before;
    Texts after;
    bool linked = false; ///< the first of `before` has a second name
};

std::vector<Case> cases()
{
    const std::string old_text(1500, 'o');
    const std::string new_text(3500, 'n');
    return {{"a new file in a new folder", {}, {{"out/deep/a.nc", new_text}}},
            {"a file over an old one", {{"out/a.nc", old_text}}, {{"out/a.nc", new_text}}},
            {"a shorter one", {{"out/a.nc", new_text}}, {{"out/a.nc", old_text}}},
            {"three in two folders", {{"a/1", old_text}, {"b/2", old_text}}, {{"a/1", new_text}, {"b/2", new_text}, {"b/3", new_text}}},
            {"one that has two names", {{"a/1", old_text}}, {{"a/1", new_text}}, true},
            {"that and another", {{"a/1", old_text}, {"a/2", old_text}}, {{"a/2", new_text}, {"a/1", new_text}}, true}};
}

Texts under(const fs::path& root, const Texts& texts)
{
    Texts out;
    for (const auto& [path, text] : texts) {
        out.emplace_back((root / path).string(), text);
    }
    return out;
}

void lay(const fs::path& root, const Case& c)
{
    for (const auto& [path, text] : under(root, c.before)) {
        put(path, text);
    }
    if (c.linked) {
        fs::create_hard_link(root / c.before[0].first, root / "second-name");
    }
}

/// What the folder has with all old, or with all new texts.
std::map<std::string, std::string> wanted(const Case& c, bool is_new)
{
    std::map<std::string, std::string> out;
    for (const auto& [path, text] : c.before) {
        out[path] = text;
    }
    if (is_new) {
        for (const auto& [path, text] : c.after) {
            out[path] = text;
        }
    }
    if (c.linked) {
        out["second-name"] = out[c.before[0].first];
    }
    return out;
}

void recover(const fs::path& root)
{
    RealFileSystem files;
    files.recover(root.string());
    for (const auto& entry : fs::recursive_directory_iterator(root)) {
        if (entry.is_directory()) {
            files.recover(entry.path().string());
        }
    }
}

/// Writes two files of each version, one after the other, without end, and reports each version that it has written.
int write_without_end(const std::string& folder)
{
    for (std::uint64_t number = 1;; ++number) {
        const std::string text = version(number);
        const Status status =
            number % 2 == 0 ? write({{folder + "/one/a.nc", text}, {folder + "/two/b.nc", text}}) : write({{folder + "/one/a.nc", text}});
        if (!status) {
            std::fprintf(stderr, "%s\n", status.error().text().c_str());
            return 1;
        }
        const std::string told = std::to_string(number) + "\n";
        if (::write(STDOUT_FILENO, told.data(), told.size()) < 0) {
            return 0;
        }
    }
}

} // namespace

class TestFileSets : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void a_full_disk_at_every_call();
    void a_power_cut_at_every_step();
    void power_cuts_on_an_image();
    void a_thousand_kills();
    void a_file_stays_what_it_is();
    void links_are_followed();
    void what_is_no_plain_file_is_refused();
    void what_is_left_behind_goes();
    void removing_takes_plain_files_alone();
};

void TestFileSets::a_full_disk_at_every_call()
{
    int failures = 0;
    for (const Case& c : cases()) {
        for (int at = 1;; ++at) {
            QTemporaryDir folder;
            const fs::path root = folder.path().toStdString();
            lay(root, c);
            FullDisk disk(at);
            const Status status = write(under(root, c.after), disk);
            if (!disk.has_failed()) {
                QVERIFY2(status.ok(), c.name);
                QVERIFY2(all_in(root) == wanted(c, true), c.name);
                break;
            }
            ++failures;
            const QString where = QStringLiteral("%1, call %2: %3").arg(c.name).arg(at).arg(message(status));
            auto there = all_in(root);
            if (there != wanted(c, false) && there != wanted(c, true)) {
                // Something that is written over in its place may be left for the next one to finish, and says so.
                QVERIFY2(!status.ok() && status.error().cure.find("takes its place") != std::string::npos, qPrintable(where));
                recover(root);
                there = all_in(root);
            }
            QVERIFY2(there == wanted(c, false) || there == wanted(c, true), qPrintable(where));
            QVERIFY2(!status.ok() || there == wanted(c, true), qPrintable(where));
            if (!status.ok()) {
                QVERIFY2(status.error().cure.find("make room on the disk") == 0, qPrintable(where));
            }
        }
    }
    QVERIFY2(failures > 60, qPrintable(QString::number(failures)));
}

void TestFileSets::a_power_cut_at_every_step()
{
    for (const bool syncs : {true, false}) {
        int states = 0;
        int broken = 0;
        for (const Case& c : cases()) {
            QTemporaryDir folder;
            const fs::path root = folder.path().toStdString();
            lay(root, c);
            ForgetfulDisk disk(root.string(), syncs);
            QVERIFY(write(under(root, c.after), disk).ok());
            for (std::size_t step = 0; step <= disk.done(); ++step) {
                std::size_t names = 0;
                for (std::size_t chosen = 0; chosen <= names; ++chosen) {
                    for (const int data : {0, 1, 2}) {
                        if (++states % WEXILUM_EVERY != 0) {
                            continue;
                        }
                        QTemporaryDir left;
                        const fs::path after = left.path().toStdString();
                        names = disk.leave(step, chosen, data, after.string());
                        recover(after);
                        const auto there = all_in(after);
                        const bool is_new = there == wanted(c, true);
                        // Once the writer has said that it is done, nothing may bring the old one back.
                        const bool fine = is_new || (step < disk.done() && there == wanted(c, false));
                        broken += fine ? 0 : 1;
                        if (syncs) {
                            QVERIFY2(fine, qPrintable(QStringLiteral("%1, step %2 of %3, %4 names, data %5: %6")
                                                          .arg(c.name)
                                                          .arg(step)
                                                          .arg(disk.done())
                                                          .arg(chosen)
                                                          .arg(data)
                                                          .arg(QString::fromStdString([&] {
                                                              std::string all;
                                                              for (const auto& [name, text] : there) {
                                                                  all += name + "=" + text.substr(0, 1) + std::to_string(text.size()) + " ";
                                                              }
                                                              return all;
                                                          }()))));
                        }
                    }
                }
            }
        }
        QVERIFY2(states > 500, qPrintable(QString::number(states)));
        QVERIFY2(syncs == (broken == 0), qPrintable(QString::number(broken))); // a disk that does not sync shows that this can fail
    }
}

/// An image of a file system, written to without end; the writer is stopped somewhere and the image copied, as the power cut would leave
/// it.
void TestFileSets::power_cuts_on_an_image()
{
    QTemporaryDir folder;
    const std::string base = folder.path().toStdString();
    const auto shell = [&](const std::string& command) { return std::system((command + " >/dev/null 2>&1").c_str()) == 0; };
    const bool can = geteuid() == 0 && shell("truncate -s 12M " + base + "/image && mkfs.ext4 -q -F " + base + "/image && mkdir " + base +
                                             "/at " + base + "/copy-at && mount -o loop " + base + "/image " + base + "/at");
    if (!can) {
        qInfo("no image can be mounted here: a_power_cut_at_every_step() stands for it");
        return;
    }
    QProcess writer;
    writer.start(QCoreApplication::applicationFilePath().isEmpty() ? QString::fromStdString(fs::read_symlink("/proc/self/exe").string())
                                                                   : QCoreApplication::applicationFilePath(),
                 {"test_file_sets", "--write-without-end", QString::fromStdString(base + "/at")});
    QVERIFY(writer.waitForReadyRead() && writer.processId() > 0);
    std::mt19937 random(20261130);
    std::uint64_t told = 0;
    QString problem;
    const int cuts = 200 / WEXILUM_EVERY;
    std::set<std::uint64_t> seen;
    for (int cut = 0; cut < cuts && problem.isEmpty(); ++cut) {
        QTest::qWait(1 + int(random() % 17));
        kill(pid_t(writer.processId()), SIGSTOP);
        usleep(2000); // it stops
        writer.waitForReadyRead(0);
        while (writer.canReadLine()) {
            told = writer.readLine().trimmed().toULongLong();
        }
        const bool copied = shell("cp --sparse=always " + base + "/image " + base + "/copy");
        kill(pid_t(writer.processId()), SIGCONT);
        if (!copied || !shell("mount -o loop " + base + "/copy " + base + "/copy-at")) {
            problem = "the copy can't be mounted";
            break;
        }
        recover(base + "/copy-at");
        const auto one = whole_version(get(base + "/copy-at/one/a.nc"));
        const auto two = whole_version(get(base + "/copy-at/two/b.nc"));
        for (const auto& [name, text] : all_in(base + "/copy-at")) {
            problem += name == "one/a.nc" || name == "two/b.nc" ? QString() : "left over: " + QString::fromStdString(name);
        }
        shell("umount " + base + "/copy-at");
        if (!one || *one < told || (told >= 2 && !two)) {
            problem += QStringLiteral("cut %1: version %2 was written, there is %3")
                           .arg(cut)
                           .arg(told)
                           .arg(one ? QString::number(*one) : QStringLiteral("a broken one"));
        } else if (told >= 2 && *one != *two && *one != *two + 1) {
            problem += QStringLiteral("cut %1: a set in part, %2 and %3").arg(cut).arg(*one).arg(*two);
        }
        seen.insert(one.value_or(0));
    }
    writer.kill();
    writer.waitForFinished();
    shell("umount " + base + "/at");
    QVERIFY2(problem.isEmpty(), qPrintable(problem));
    QVERIFY2(int(seen.size()) > cuts / 2, qPrintable(QString::number(seen.size()))); // the cuts were at different places
}

/// The command line is killed while it posts; the file is the old or the new one, and the next run leaves nothing else behind.
void TestFileSets::a_thousand_kills()
{
    QTemporaryDir folder;
    const QString out = folder.filePath("out");
    const QString project = source_folder() + "/demo/observatory";
    const QStringList post{"post", "--project", project, "--job", "mirror-cell", "--out", out};
    QElapsedTimer timer;
    timer.start();
    QCOMPARE(QProcess::execute(cli_program(), post + QStringList{"--json"}), 0);
    const qint64 whole_ms = std::max<qint64>(5, timer.elapsed());
    const std::string code = get((out + "/mirror-cell.nc").toStdString());
    QVERIFY(code.size() > 10000);
    put((out + "/mirror-cell.nc").toStdString(), "(the old one)\n");
    std::mt19937 random(4242);
    int killed = 0;
    int old_ones = 0;
    for (int i = 0; i < 1000 / WEXILUM_EVERY; ++i) {
        QProcess process;
        process.setStandardOutputFile(QProcess::nullDevice());
        process.start(cli_program(), post);
        process.waitForStarted();
        // Half of the kills come about the time at which the file gets its name.
        usleep(useconds_t(random() % (whole_ms * 1100)));
        process.kill();
        process.waitForFinished();
        killed += process.exitStatus() == QProcess::CrashExit ? 1 : 0;
        const std::string there = get((out + "/mirror-cell.nc").toStdString());
        QVERIFY2(there == code || there == "(the old one)\n", qPrintable(QString::number(there.size())));
        old_ones += there == code ? 0 : 1;
        if (i % 3 == 0) {
            put((out + "/mirror-cell.nc").toStdString(), "(the old one)\n");
        }
    }
    QVERIFY2(killed > 300 / WEXILUM_EVERY && old_ones > 0, qPrintable(QStringLiteral("%1 killed, %2 old").arg(killed).arg(old_ones)));
    QCOMPARE(QProcess::execute(cli_program(), post + QStringList{"--json"}), 0);
    QCOMPARE(QDir(out).entryList(QDir::Files | QDir::Hidden), QStringList{"mirror-cell.nc"});
    QVERIFY(get((out + "/mirror-cell.nc").toStdString()) == code);
}

void TestFileSets::a_file_stays_what_it_is()
{
    QTemporaryDir folder;
    const fs::path root = folder.path().toStdString();
    put(root / "a", "old");
    const bool root_user = geteuid() == 0;
    if (root_user) {
        QCOMPARE(chown((root / "a").c_str(), 1234, 4321), 0);
    }
    QCOMPARE(chmod((root / "a").c_str(), 0640), 0);
    QVERIFY(write({{(root / "a").string(), "new"}}).ok());
    struct stat is {};
    QCOMPARE(stat((root / "a").c_str(), &is), 0);
    QCOMPARE(is.st_mode & 07777U, 0640U);
    QCOMPARE(is.st_uid, root_user ? 1234U : geteuid());
    QCOMPARE(is.st_gid, root_user ? 4321U : getegid());
    QCOMPARE(get(root / "a"), std::string("new"));
    // A new file has the mode that any program gives it.
    const mode_t mask = umask(027);
    QVERIFY(write({{(root / "b").string(), "new"}}).ok());
    umask(mask);
    QCOMPARE(stat((root / "b").c_str(), &is), 0);
    QCOMPARE(is.st_mode & 07777U, 0640U);
    // One with two names stays one.
    put(root / "c", "old");
    fs::create_hard_link(root / "c", root / "d");
    QVERIFY(write({{(root / "c").string(), "a longer new text"}}).ok());
    QCOMPARE(get(root / "d"), std::string("a longer new text"));
    QVERIFY(write({{(root / "d").string(), "short"}}).ok());
    QCOMPARE(get(root / "c"), std::string("short"));
    QCOMPARE(fs::hard_link_count(root / "c"), std::uintmax_t(2));
    if (!root_user) {
        return;
    }
    // A file of somebody else's in a folder that both may write to: it stays theirs.
    put(root / "shared/e", "old");
    QCOMPARE(chown((root / "shared/e").c_str(), 1234, 4321), 0);
    QCOMPARE(chmod((root / "shared/e").c_str(), 0666), 0);
    QCOMPARE(chmod((root / "shared").c_str(), 0777), 0);
    QCOMPARE(chmod(root.c_str(), 0755), 0);
    const pid_t child = fork();
    if (child == 0) {
        const bool done = setgid(7777) == 0 && setuid(7777) == 0 && write({{(root / "shared/e").string(), "new"}}).ok();
        _exit(done ? 0 : 1);
    }
    int ended = 0;
    QCOMPARE(waitpid(child, &ended, 0), child);
    QCOMPARE(WEXITSTATUS(ended), 0);
    QCOMPARE(get(root / "shared/e"), std::string("new"));
    QCOMPARE(stat((root / "shared/e").c_str(), &is), 0);
    QCOMPARE(is.st_uid, 1234U);
    QCOMPARE(is.st_gid, 4321U);
    QCOMPARE(all_in(root / "shared").size(), std::size_t(1));
}

void TestFileSets::links_are_followed()
{
    QTemporaryDir folder;
    const fs::path root = folder.path().toStdString();
    put(root / "real/a", "old");
    fs::create_directories(root / "links");
    fs::create_symlink("../real/a", root / "links/a");
    fs::create_symlink("a", root / "links/b"); // a link to a link
    QVERIFY(write({{(root / "links/b").string(), "new"}}).ok());
    QVERIFY(fs::is_symlink(root / "links/a") && fs::is_symlink(root / "links/b"));
    QCOMPARE(get(root / "real/a"), std::string("new"));
    // One to nothing yet makes that.
    fs::create_symlink(root / "real/c", root / "links/c");
    QVERIFY(write({{(root / "links/c").string(), "new"}}).ok());
    QCOMPARE(get(root / "real/c"), std::string("new"));
    QVERIFY(fs::is_symlink(root / "links/c"));
    // Round and round.
    fs::create_symlink("y", root / "links/x");
    fs::create_symlink("x", root / "links/y");
    QCOMPARE(message(write({{(root / "links/x").string(), "new"}})), QString("these links lead nowhere"));
    RealFileSystem files;
    QVERIFY(files.remove({(root / "links/b").string()}).ok());
    QVERIFY(!fs::exists(root / "real/a") && fs::is_symlink(root / "links/b"));
}

void TestFileSets::what_is_no_plain_file_is_refused()
{
    QTemporaryDir folder;
    const fs::path root = folder.path().toStdString();
    fs::create_directories(root / "folder");
    QCOMPARE(mkfifo((root / "pipe").c_str(), 0666), 0);
    const int endpoint = socket(AF_UNIX, SOCK_STREAM, 0);
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    const std::string socket_path = (root / "socket").string();
    QVERIFY(socket_path.size() < sizeof address.sun_path);
    socket_path.copy(address.sun_path, socket_path.size());
    QCOMPARE(bind(endpoint, reinterpret_cast<sockaddr*>(&address), sizeof address), 0);
    fs::create_symlink(root / "pipe", root / "link");
    QElapsedTimer timer;
    timer.start();
    RealFileSystem files;
    for (const auto& [name, told] :
         std::vector<std::pair<std::string, const char*>>{{(root / "folder").string(), "this is a folder, not a file"},
                                                          {(root / "pipe").string(), "this is a pipe, not a file"},
                                                          {(root / "link").string(), "this is a pipe, not a file"},
                                                          {socket_path, "this is a socket, not a file"},
                                                          {"/dev/zero", "this is a device, not a file"},
                                                          {"/dev/full", "this is a device, not a file"}}) {
        QCOMPARE(message(write({{name, "new"}})), QString(told));
        QCOMPARE(QString::fromStdString(files.read_all(name, 1000).error().message), QString(told));
        QCOMPARE(QString::fromStdString(files.open(name).error().message), QString(told));
        QCOMPARE(message(files.remove({name})), QString(told));
        QVERIFY(fs::exists(name));
    }
    ::close(endpoint);
    QCOMPARE(message(write({{(root / "pipe/x").string(), "new"}})), QString("can't be written: Not a directory"));
    QVERIFY2(timer.elapsed() < 10000, "what waits for somebody at the other end waits for ever");
    // Not one of many commands waits for somebody at the other end either.
    for (const QStringList& command :
         {QStringList{"check", QString::fromStdString((root / "pipe").string())},
          QStringList{"replay", "--project", source_folder() + "/demo/observatory", "--job", "mirror-cell", "--code",
                      QString::fromStdString((root / "pipe").string())},
          QStringList{"solve", "--machine", QString::fromStdString((root / "pipe").string()), "--poses", "/dev/null"}}) {
        QProcess process;
        process.start(cli_program(), command);
        QVERIFY2(process.waitForFinished(20000), qPrintable(command.join(' ')));
        QCOMPARE(process.exitCode(), 2);
        QVERIFY2(process.readAllStandardError().contains("this is a pipe, not a file"), qPrintable(command.join(' ')));
    }
}

void TestFileSets::what_is_left_behind_goes()
{
    QTemporaryDir folder;
    const fs::path root = folder.path().toStdString();
    RealDisk disk;
    // Of a program that is gone: nobody has it locked.
    put(root / "a.nc.0123456789abcdef.part", "half");
    put(root / "b.nc.0123456789abcdef.part", "half");
    put(root / "a.nc.mine.part", "somebody's own file");
    // Of one that lives.
    FileSet living(disk);
    QVERIFY(living.add((root / "a.nc").string()).ok());
    QCOMPARE(all_in(root).size(), std::size_t(3)); // its own in the place of the half one
    QVERIFY(write({{(root / "a.nc").string(), "new"}}).ok());
    const auto there = all_in(root);
    QVERIFY(!there.contains("a.nc.0123456789abcdef.part"));
    QVERIFY(there.contains("b.nc.0123456789abcdef.part")); // another file's
    QVERIFY(there.contains("a.nc.mine.part"));
    QVERIFY(living.commit().ok());
    QCOMPARE(get(root / "a.nc"), std::string());
    clear_leftovers(disk, root.string());
    QCOMPARE(all_in(root).size(), std::size_t(2));
    // A set that was on its way is finished, unless its list was not written to the end.
    put(root / "x/1.0123456789abcdef.part", "new");
    put(root / "x/1", "old");
    put(root / "y/2.0123456789abcdef.part", "new");
    put(root / "y/.wexilum-0123456789abcdef.set", "[[");
    put(root / "x/.wexilum-0123456789abcdef.set",
        R"([["1.0123456789abcdef.part","1",false],["../y/2.0123456789abcdef.part","../y/2",false]])");
    // Nor one that has not come to all of its folders.
    put(root / "v/4.0123456789abcdef.part", "new");
    put(root / "v/4", "old");
    put(root / "v/.wexilum-0123456789abcdef.set",
        R"([["4.0123456789abcdef.part","4",false],["../u/5.0123456789abcdef.part","../u/5",false]])");
    put(root / "u/5", "old");
    put(root / "z/3.0123456789abcdef.part", "new");
    put(root / "z/3", "old");
    put(root / "z/.wexilum-0123456789abcdef.set", R"([["3.0123456789abcdef.part","3",fal)");
    RealFileSystem().recover(root.string());
    QCOMPARE(get(root / "x/1"), std::string("new"));
    QCOMPARE(get(root / "y/2"), std::string("new"));
    QCOMPARE(get(root / "z/3"), std::string("old"));
    QCOMPARE(get(root / "v/4"), std::string("old"));
    QCOMPARE(all_in(root / "v").size(), std::size_t(1));
    QCOMPARE(all_in(root / "x").size() + all_in(root / "y").size() + all_in(root / "z").size(), std::size_t(3));
    // A list that comes with somebody's project reaches no other file.
    put(root / "s/victim", "mine");
    put(root / "s/project/victim.0123456789abcdef.part", "theirs");
    put(root / "s/project/.wexilum-0123456789abcdef.set", R"([["victim.0123456789abcdef.part","../victim",false]])");
    put(root / "s/.wexilum-0123456789abcdef.set", "[]");
    RealFileSystem().recover((root / "s/project").string());
    QCOMPARE(get(root / "s/victim"), std::string("mine"));
    // Nor can one be made to move files that were never temporary ones.
    put(root / "w/precious", "mine");
    put(root / "w/.wexilum-0123456789abcdef.set", R"([["precious","elsewhere",false]])");
    clear_leftovers(disk, (root / "w").string());
    QCOMPARE(get(root / "w/precious"), std::string("mine"));
}

void TestFileSets::removing_takes_plain_files_alone()
{
    QTemporaryDir folder;
    const fs::path root = folder.path().toStdString();
    RealFileSystem files;
    fs::create_directories(root / "empty.nc");
    QCOMPARE(message(files.remove({(root / "empty.nc").string()})), QString("this is a folder, not a file"));
    QVERIFY(fs::exists(root / "empty.nc"));
    QVERIFY(files.remove({(root / "none").string()}).ok());
}

static int run(int argc, char** argv)
{
    if (argc == 3 && std::string(argv[1]) == "--write-without-end") {
        return write_without_end(argv[2]);
    }
    QCoreApplication application(argc, argv);
    TestFileSets test;
    return QTest::qExec(&test, argc, argv);
}
WEXILUM_TEST_RUN(run)

} // namespace test_file_sets
#include "test_file_sets.moc"
