// The project's text files that are open for editing. The text is the document: whatever edits a file replaces bytes of its text, so
// that comments, order and formatting stay. One undo stack a file.
#pragma once

#include "app/models/snapshot_files.hpp"
#include "core/base/json_document.hpp"

#include <QHash>
#include <QObject>
#include <QUndoStack>

#include <functional>
#include <memory>
#include <optional>

namespace wexilum::app {

class Documents final : public QObject {
    Q_OBJECT
public:
    explicit Documents(QObject* parent = nullptr) : QObject(parent) {}
    ~Documents() override;

    /// Forgets everything and takes paths as relative to this folder from now on.
    void set_folder(const QString& folder);

    /// The text of a file of the project, read from the disk where it is not open yet; an error where that can't be.
    [[nodiscard]] Result<std::shared_ptr<const std::string>> text(const QString& path);
    /// The same, parsed.
    [[nodiscard]] Result<json::Document> parsed(const QString& path);
    /// Replaces bytes [begin, end) of a file's text as one step that can be undone. `label` names the step ("offset X of register 1").
    /// How a step joins the one before: not, where it goes on at the same place in the text, or where it is of the same label at the same
    /// value, as a form writes it with each key.
    enum class Joins { none, typing, form };
    Status replace(const QString& path, std::size_t begin, std::size_t end, const std::string& by, const QString& label,
                   Joins joins = Joins::none);
    /// Makes a JSON file's text what `change` makes of it, as one step; only the bytes that differ are replaced. Returns why it is not
    /// taken.
    std::optional<Error> rewrite(const QString& path, const QString& label,
                                 const std::function<Result<std::string>(const json::Document&)>& change, Joins joins = Joins::none);
    /// The stack of a file that is open; nullptr otherwise.
    [[nodiscard]] QUndoStack* stack(const QString& path) const;
    [[nodiscard]] bool is_changed(const QString& path) const;
    [[nodiscard]] QStringList changed_paths() const;
    /// Where the unsaved edits stand: "a.json numbers.feed.decimals", "rulebook.lua line 12"; one text a file.
    [[nodiscard]] QStringList edited_places() const;

    /// A file that is open and stands on the disk as something else than what was read, or than what was saved last.
    struct Conflict {
        QString path;
        std::optional<std::string> theirs; ///< what stands there; nothing where it is gone
    };
    /// Of these files. What can't be read counts as gone.
    [[nodiscard]] std::vector<Conflict> conflicts(const QStringList& paths) const;
    /// Writes the texts of files to the disk, all of them or none, so that they can't be lost, and takes that as their saved state. An
    /// Error where one of them has a conflict that is not among `known`.
    Status save(const QStringList& paths, const std::vector<Conflict>& known = {});
    /// What the disk says now: takes it over where nothing was edited here; false where edits stand against it. It is taken over as well
    /// once these have been undone.
    bool take_from_disk(const QString& path);
    /// Drops the edits of a file and takes what the disk has.
    void revert(const QString& path);

    /// A file with edits that have not been saved: the text they began with, and the text with them.
    struct Edited {
        QString path;
        std::shared_ptr<const std::string> before;
        std::shared_ptr<const std::string> text;
    };
    [[nodiscard]] std::vector<Edited> edited_files() const;

    /// The open texts by absolute path, for a run.
    [[nodiscard]] SnapshotFiles::Texts open_texts() const;

Q_SIGNALS:
    void edited(const QString& path); ///< its text is another one now
    void saved(const QString& path);

private:
    class Step;
    struct Open {
        std::shared_ptr<const std::string> text;
        std::shared_ptr<const std::string> on_disk; ///< as it was read or saved last
        std::unique_ptr<QUndoStack> stack;
    };
    [[nodiscard]] std::string absolute(const QString& path) const;
    Result<Open*> opened(const QString& path);
    void set_text(const QString& path, std::string text);

    QString folder_;
    std::map<QString, Open> open_;
};

} // namespace wexilum::app
