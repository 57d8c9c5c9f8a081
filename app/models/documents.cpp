#include "app/models/documents.hpp"

#include "core/base/json_patch.hpp"
#include "core/prove/edit_places.hpp"

#include <QUndoCommand>

#include <algorithm>

namespace wexilum::app {
namespace {

bool is_edge(char c)
{
    return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == ',' || c == ':' || c == '[' || c == ']' || c == '{' || c == '}';
}

/// The bytes that differ, out to the edges of the values that they lie in.
json::Patch difference(const std::string& before, const std::string& after)
{
    const std::size_t most = std::min(before.size(), after.size());
    std::size_t begin = 0;
    while (begin < most && before[begin] == after[begin]) {
        ++begin;
    }
    std::size_t end = before.size();
    std::size_t end_after = after.size();
    while (end > begin && end_after > begin && before[end - 1] == after[end_after - 1]) {
        --end;
        --end_after;
    }
    while (begin > 0 && !is_edge(before[begin - 1])) {
        --begin;
    }
    while (end < before.size() && !is_edge(before[end])) {
        ++end;
        ++end_after;
    }
    return {begin, end, after.substr(begin, end_after - begin)};
}

} // namespace

/// One replacement of bytes.
class Documents::Step final : public QUndoCommand {
public:
    Step(Documents& documents, QString path, std::size_t begin, std::string before, std::string after, const QString& label, Joins joins)
        : QUndoCommand(label), documents_(documents), path_(std::move(path)), begin_(begin), before_(std::move(before)),
          after_(std::move(after)), joins_(joins)
    {}
    [[nodiscard]] int id() const override { return joins_ == Joins::none ? -1 : int(joins_); }
    bool mergeWith(const QUndoCommand* next) override
    {
        const auto& other = static_cast<const Step&>(*next);
        const bool goes_on = before_.empty() && other.before_.empty() && other.begin_ == begin_ + after_.size() && other.after_ != "\n" &&
                             other.after_ != " ";
        const bool backwards = after_.empty() && other.after_.empty() && other.begin_ + other.before_.size() == begin_;
        if (joins_ == Joins::form) {
            return other.text() == text() && retyped(other);
        }
        if (goes_on) {
            after_ += other.after_;
        } else if (backwards) {
            before_ = other.before_ + before_;
            begin_ = other.begin_;
        }
        return goes_on || backwards;
    }
    void undo() override { swap(after_, before_); }
    void redo() override { swap(before_, after_); }

private:
    /// Both replacements as one, where the later one touches what the earlier one has put there.
    bool retyped(const Step& later)
    {
        const std::size_t end = begin_ + after_.size();
        const std::size_t later_end = later.begin_ + later.before_.size();
        if (later.begin_ > end || later_end < begin_) {
            return false;
        }
        const std::string lead = later.before_.substr(0, later.begin_ < begin_ ? begin_ - later.begin_ : 0);
        const std::string tail = later_end > end ? later.before_.substr(later.before_.size() - (later_end - end)) : std::string();
        before_ = lead + before_ + tail;
        after_ = lead + after_ + tail;
        begin_ = std::min(begin_, later.begin_);
        after_.replace(later.begin_ - begin_, later.before_.size(), later.after_);
        return true;
    }
    void swap(const std::string& from, const std::string& to)
    {
        std::string text = *documents_.open_.at(path_).text;
        text.replace(begin_, from.size(), to);
        documents_.set_text(path_, std::move(text));
    }
    Documents& documents_;
    QString path_;
    std::size_t begin_;
    std::string before_;
    std::string after_;
    Joins joins_;
};

Documents::~Documents() = default;

void Documents::set_folder(const QString& folder)
{
    open_.clear();
    folder_ = folder;
}

std::string Documents::absolute(const QString& path) const { return (folder_ + QLatin1Char('/') + path).toStdString(); }

Result<Documents::Open*> Documents::opened(const QString& path)
{
    if (const auto found = open_.find(path); found != open_.end()) {
        return &found->second;
    }
    const RealFileSystem files;
    auto text = files.read_all(absolute(path), json::max_bytes);
    if (!text) {
        return text.error();
    }
    Open& open = open_[path];
    open.text = open.on_disk = std::make_shared<const std::string>(std::move(*text));
    open.stack = std::make_unique<QUndoStack>();
    return &open;
}

Result<std::shared_ptr<const std::string>> Documents::text(const QString& path)
{
    using Text = Result<std::shared_ptr<const std::string>>;
    auto open = opened(path);
    return open ? Text((*open)->text) : Text(open.error());
}

Result<json::Document> Documents::parsed(const QString& path)
{
    auto found = text(path);
    return found ? json::Document::parse(**found, path.toStdString()) : Result<json::Document>(found.error());
}

Status Documents::replace(const QString& path, std::size_t begin, std::size_t end, const std::string& by, const QString& label, Joins joins)
{
    auto open = opened(path);
    if (!open) {
        return open.error();
    }
    const std::string before = (*open)->text->substr(begin, end - begin);
    if (before != by) {
        (*open)->stack->push(new Step(*this, path, begin, before, by, label, joins));
    }
    return {};
}

std::optional<Error> Documents::rewrite(const QString& path, const QString& label,
                                        const std::function<Result<std::string>(const json::Document&)>& change, Joins joins)
{
    const auto document = parsed(path);
    if (!document) {
        return document.error();
    }
    const Result<std::string> after = change(*document);
    if (!after) {
        return after.error();
    }
    const json::Patch patch = difference(document->text(), *after);
    const Status status = replace(path, patch.begin, patch.end, patch.text, label, joins);
    return status ? std::nullopt : std::optional(status.error());
}

void Documents::set_text(const QString& path, std::string text)
{
    Open& open = open_.at(path);
    open.text = std::make_shared<const std::string>(std::move(text));
    Q_EMIT edited(path);
    if (*open.text == *open.on_disk) { // what was changed outside meanwhile can be taken over, after the step that is being undone
        QMetaObject::invokeMethod(
            this,
            [this, path] {
                if (!is_changed(path)) {
                    (void)take_from_disk(path);
                }
            },
            Qt::QueuedConnection);
    }
}

QUndoStack* Documents::stack(const QString& path) const
{
    const auto found = open_.find(path);
    return found == open_.end() ? nullptr : found->second.stack.get();
}

bool Documents::is_changed(const QString& path) const
{
    const auto found = open_.find(path);
    return found != open_.end() && *found->second.text != *found->second.on_disk;
}

QStringList Documents::changed_paths() const
{
    QStringList out;
    for (const auto& [path, open] : open_) {
        if (*open.text != *open.on_disk) {
            out.push_back(path);
        }
    }
    return out;
}

QStringList Documents::edited_places() const
{
    QStringList out;
    for (const QString& path : changed_paths()) {
        const Open& open = open_.at(path);
        QStringList places;
        for (const std::string& place : wexilum::edited_places(*open.on_disk, *open.text, path.endsWith(QLatin1String(".json")))) {
            places.push_back(QString::fromStdString(place));
        }
        if (!places.isEmpty()) {
            out.push_back(path.section(QLatin1Char('/'), -1) + QLatin1Char(' ') + places.join(QStringLiteral(", ")));
        }
    }
    return out;
}

std::vector<Documents::Conflict> Documents::conflicts(const QStringList& paths) const
{
    const RealFileSystem files;
    std::vector<Conflict> out;
    for (const QString& path : paths) {
        const auto open = open_.find(path);
        if (open == open_.end()) {
            continue;
        }
        auto there = files.read_all(absolute(path), json::max_bytes);
        if (!there || (*there != *open->second.on_disk && *there != *open->second.text)) {
            out.push_back({path, there ? std::optional(std::move(*there)) : std::nullopt});
        }
    }
    return out;
}

Status Documents::save(const QStringList& paths, const std::vector<Conflict>& known)
{
    for (const Conflict& conflict : conflicts(paths)) {
        const bool is_known = std::any_of(known.begin(), known.end(),
                                          [&](const Conflict& k) { return k.path == conflict.path && k.theirs == conflict.theirs; });
        if (!is_known) {
            return Error{ErrorKind::value,
                         conflict.theirs ? "the file was changed by something else since it was read" : "the file is gone",
                         {conflict.path.toStdString(), 0, 0},
                         "save again to see the difference and to choose"};
        }
    }
    RealFileSystem files;
    const auto set = files.begin_files();
    for (const QString& path : paths) {
        auto open = opened(path);
        if (!open) {
            return open.error();
        }
        auto file = set->add(absolute(path));
        if (const Status status = file ? (*file)->write(*(*open)->text) : Status(file.error()); !status) {
            return status;
        }
    }
    if (const Status status = set->commit(); !status) {
        return status;
    }
    for (const QString& path : paths) {
        Open& open = open_.at(path);
        open.on_disk = open.text;
        open.stack->setClean();
    }
    for (const QString& path : paths) {
        Q_EMIT saved(path);
    }
    return {};
}

bool Documents::take_from_disk(const QString& path)
{
    const auto found = open_.find(path);
    if (found == open_.end()) {
        return true;
    }
    const RealFileSystem files;
    auto text = files.read_all(absolute(path), json::max_bytes);
    Open& open = found->second;
    if (!text || *text == *open.on_disk) {
        return true;
    }
    if (*text == *open.text) {
        open.on_disk = open.text;
        Q_EMIT saved(path);
        return true;
    }
    if (*open.text != *open.on_disk) {
        return false;
    }
    open.stack->clear();
    open.text = open.on_disk = std::make_shared<const std::string>(std::move(*text));
    Q_EMIT edited(path);
    return true;
}

void Documents::revert(const QString& path)
{
    if (const auto found = open_.find(path); found != open_.end()) {
        found->second.stack->clear();
        found->second.text = found->second.on_disk;
        if (take_from_disk(path)) {
            Q_EMIT edited(path);
        }
    }
}

std::vector<Documents::Edited> Documents::edited_files() const
{
    std::vector<Edited> out;
    for (const QString& path : changed_paths()) {
        const Open& open = open_.at(path);
        out.push_back({path, open.on_disk, open.text});
    }
    return out;
}

SnapshotFiles::Texts Documents::open_texts() const
{
    SnapshotFiles::Texts out;
    for (const auto& [path, open] : open_) {
        out[absolute(path)] = open.text;
    }
    return out;
}

} // namespace wexilum::app
