// Edits one file of the project. The text is the document's: what is typed becomes steps of the file's undo stack, and whatever else
// changes the document shows here.
#pragma once

#include "app/models/documents.hpp"
#include "app/views/code/editor_library.hpp"

#include <map>

namespace wexilum::app {

class TextEditor final : public QsciScintilla {
    Q_OBJECT
public:
    explicit TextEditor(Documents& documents, QWidget* parent = nullptr);
    ~TextEditor() override;

    /// Shows a file by its path from the project's folder; empty: none. Read-only where it can't be read.
    void show_file(const QString& path);
    [[nodiscard]] const QString& path() const { return path_; }
    /// Marks lines (from 0) with what is wrong there, below the line.
    void set_errors(const std::map<int, QString>& errors);
    /// How often each line (from 0) ran, in the margin; empty: no such margin.
    void set_counts(const std::map<int, std::uint64_t>& counts);
    /// What `option.` is followed by.
    void set_options(const QStringList& options) { options_ = options; }
    void go_to_line(int line);
    /// Takes the theme's colours anew.
    void dress();

    /// Looks for a text from the cursor on, round the end; false where it is not there.
    bool find(const QString& text, bool forward = true);
    /// Replaces what find() has found, and finds the next.
    bool replace_found(const QString& text, const QString& by);
    int replace_all(const QString& text, const QString& by);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    void follow(const QString& path);
    /// Puts a text in the place of all that is shown.
    void put(const std::shared_ptr<const std::string>& text);
    /// Whether the window has the very text that it should: of very long ones only the length is looked at.
    [[nodiscard]] bool shows(const std::string& text) const;
    void settle();
    void typed(int position, int kind, const char* text, int length);
    void character_added(int character);
    void offer(bool asked_for);
    [[nodiscard]] std::string bytes() const;

    Documents& documents_;
    QString path_;
    QStringList options_;
    std::unique_ptr<QsciLexer> lexer_;
    std::shared_ptr<const std::string> shown_;
    std::string taken_away_; ///< what the library is about to delete
    bool following_ = false;
    bool settling_ = false; ///< settle() is on its way
    bool dressing_ = false; ///< so is dress()
    bool rules_ = false;    ///< the file is a rulebook's
};

} // namespace wexilum::app
