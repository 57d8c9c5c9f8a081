#include "app/models/kept_edits.hpp"

#include <QDir>
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QUuid>

#include <algorithm>

namespace wexilum::app {
namespace {

constexpr int kept_pause_ms = 1500;
constexpr std::size_t most_kept_bytes = std::size_t{1} << 30;

constexpr QLatin1String file_end(".edits");
constexpr QLatin1String lock_end(".lock");

QString packed(const std::string& text) { return QString::fromLatin1(QByteArray(text.data(), qsizetype(text.size())).toBase64()); }
std::string unpacked(const QJsonValue& value) { return QByteArray::fromBase64(value.toString().toLatin1()).toStdString(); }

std::string text_of(const QString& project, const std::vector<Documents::Edited>& files)
{
    QJsonArray list;
    for (const Documents::Edited& file : files) {
        list.push_back(QJsonObject{{QStringLiteral("path"), file.path},
                                   {QStringLiteral("before"), packed(*file.before)},
                                   {QStringLiteral("text"), packed(*file.text)}});
    }
    const QJsonObject all{
        {QStringLiteral("format"), QStringLiteral("kept-edits/1")}, {QStringLiteral("project"), project}, {QStringLiteral("files"), list}};
    return QJsonDocument(all).toJson().toStdString();
}

std::optional<LeftEdits> read(const QString& file)
{
    const auto text = RealFileSystem().read_all(file.toStdString(), most_kept_bytes);
    if (!text) {
        return std::nullopt;
    }
    const QJsonObject all = QJsonDocument::fromJson(QByteArray::fromStdString(*text)).object();
    if (all.value(QStringLiteral("format")) != QStringLiteral("kept-edits/1")) {
        return std::nullopt;
    }
    LeftEdits out{all.value(QStringLiteral("project")).toString(), file, {}};
    for (const QJsonValue& item : all.value(QStringLiteral("files")).toArray()) {
        const QJsonObject one = item.toObject();
        out.files.push_back({one.value(QStringLiteral("path")).toString(), unpacked(one.value(QStringLiteral("before"))),
                             unpacked(one.value(QStringLiteral("text")))});
    }
    return out.files.empty() ? std::nullopt : std::optional(std::move(out));
}

} // namespace

KeptEdits::KeptEdits(Documents& documents, const QString& folder, QObject* parent)
    : QObject(parent), documents_(documents), folder_(folder), name_(QUuid::createUuid().toString(QUuid::Id128))
{
    QDir().mkpath(folder_);
    lock_ = std::make_unique<QLockFile>(folder_ + QLatin1Char('/') + name_ + lock_end);
    lock_->setStaleLockTime(0); // only when its process has ended
    lock_->tryLock();
    writer_.setMaxThreadCount(1);
    pause_.setSingleShot(true);
    pause_.setInterval(kept_pause_ms);
    connect(&pause_, &QTimer::timeout, this, &KeptEdits::keep);
    const auto later = [this] {
        if (!pause_.isActive()) { // also while typing goes on
            pause_.start();
        }
    };
    connect(&documents_, &Documents::edited, this, later);
    connect(&documents_, &Documents::saved, this, later);
}

KeptEdits::~KeptEdits() { writer_.waitForDone(); }

QString KeptEdits::own_file() const { return folder_ + QLatin1Char('/') + name_ + file_end; }

void KeptEdits::begin(const QString& project)
{
    forget();
    project_ = project;
}

void KeptEdits::keep()
{
    const auto files = documents_.edited_files();
    if (project_.isEmpty() || files.empty()) {
        forget();
        return;
    }
    has_file_ = true;
    writer_.start([file = own_file().toStdString(), project = project_, files] {
        RealFileSystem real;
        const auto set = real.begin_files();
        if (auto sink = set->add(file); sink && (*sink)->write(text_of(project, files))) {
            (void)set->commit();
        }
    });
}

void KeptEdits::keep_now()
{
    pause_.stop();
    keep();
    writer_.waitForDone();
}

void KeptEdits::forget()
{
    pause_.stop();
    writer_.waitForDone();
    if (has_file_) {
        QFile::remove(own_file());
        has_file_ = false;
    }
}

std::vector<LeftEdits> KeptEdits::left(const QString& project) const
{
    std::vector<LeftEdits> out;
    const QDir folder(folder_);
    for (const QString& name : folder.entryList({QLatin1Char('*') + file_end}, QDir::Files, QDir::Time)) {
        const QString file = folder.filePath(name);
        QLockFile lock(file.chopped(file_end.size()) + lock_end);
        lock.setStaleLockTime(0);
        if (file == own_file() || !lock.tryLock()) {
            continue; // of a window that is open
        }
        if (auto left = read(file); left && (project.isEmpty() || left->project == project)) {
            out.push_back(std::move(*left));
        }
    }
    return out;
}

QStringList KeptEdits::take_back(const LeftEdits& left)
{
    QStringList failed;
    for (const LeftEdits::File& file : left.files) {
        const auto now = documents_.text(file.path);
        if (!now || !documents_.replace(file.path, 0, (*now)->size(), file.text, tr("kept edits"))) {
            failed.push_back(file.path);
        }
    }
    keep_now();
    if (failed.isEmpty()) {
        drop(left);
    }
    return failed;
}

void KeptEdits::drop(const LeftEdits& left) { QFile::remove(left.kept_in); }

} // namespace wexilum::app
