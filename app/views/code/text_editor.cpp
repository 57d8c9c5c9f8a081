#include "app/views/code/text_editor.hpp"

#include "app/models/rule_help.hpp"
#include "app/models/schema_help.hpp"
#include "app/theme/theme.hpp"

#include <QKeyEvent>
#include <QTimer>

#include <algorithm>
#include <utility>

namespace wexilum::app {
namespace {

constexpr int number_margin = 0;
constexpr int count_margin = 1;
constexpr int fold_margin = 2;
constexpr int error_style = 60; // of annotations; lexers use lower ones
constexpr int count_style = 61;

/// A long message in lines that fit beside the code.
QString in_lines(const QString& text)
{
    constexpr int widest = 84;
    QString out;
    int column = 0;
    for (const QString& word : text.split(QLatin1Char(' '))) {
        if (column > 0 && column + word.size() > widest) {
            out += QStringLiteral("\n   ");
            column = 0;
        } else if (column > 0) {
            out += QLatin1Char(' ');
        }
        out += word;
        column += int(word.size()) + 1;
    }
    return out;
}

/// The code's font in points, which is what the library takes.
QFont point_font(const QWidget& widget, double scale = 1)
{
    QFont font = code_font(scale);
    if (font.pixelSize() > 0) {
        font.setPointSizeF(font.pixelSize() * 72.0 / std::max(1, widget.logicalDpiY()));
    }
    return font;
}

/// The colours of a lexer's styles, which are the library's own numbers.
void dress_lexer(QsciLexer& lexer, const QFont& font)
{
    const Tokens& t = tokens();
    lexer.setDefaultFont(font);
    lexer.setDefaultPaper(colour(t.panel));
    lexer.setDefaultColor(colour(t.ink));
    for (int style = 0; style < 128; ++style) {
        if (lexer.description(style).isEmpty()) {
            continue;
        }
        lexer.setFont(font, style);
        lexer.setPaper(colour(t.panel), style);
        lexer.setColor(colour(t.ink), style);
        lexer.setEolFill(false, style);
    }
    const auto paint = [&](std::initializer_list<int> styles, Rgb rgb, bool strong = false) {
        for (const int style : styles) {
            lexer.setColor(colour(rgb), style);
            QFont own = font;
            own.setBold(strong);
            lexer.setFont(own, style);
        }
    };
    if (qobject_cast<QsciLexerLua*>(&lexer) != nullptr) {
        paint({QsciLexerLua::Comment, QsciLexerLua::LineComment}, t.comment);
        paint({QsciLexerLua::String, QsciLexerLua::Character, QsciLexerLua::LiteralString}, t.states[std::size_t(State::margin)]);
        paint({QsciLexerLua::Keyword}, t.ink, true);
        paint({QsciLexerLua::Number}, t.accent);
        paint({QsciLexerLua::UnclosedString}, t.states[std::size_t(State::beyond)]);
    } else {
        paint({QsciLexerJSON::Property}, t.accent);
        paint({QsciLexerJSON::String}, t.ink);
        paint({QsciLexerJSON::Number, QsciLexerJSON::Keyword}, t.states[std::size_t(State::margin)]);
        paint({QsciLexerJSON::Error, QsciLexerJSON::UnclosedString}, t.states[std::size_t(State::beyond)]);
    }
}

} // namespace

TextEditor::TextEditor(Documents& documents, QWidget* parent) : QsciScintilla(parent), documents_(documents)
{
    setObjectName(QStringLiteral("editor"));
    setAccessibleName(tr("text of the file"));
    setFrameShape(QFrame::NoFrame);
    setUtf8(true);
    setEolMode(EolUnix);
    setIndentationsUseTabs(false);
    setIndentationWidth(2);
    setTabWidth(2);
    setAutoIndent(true);
    setTabIndents(true);
    setBackspaceUnindents(true);
    setBraceMatching(SloppyBraceMatch);
    setWrapMode(WrapNone);
    setScrollWidth(1);
    setScrollWidthTracking(true);
    setMarginLineNumbers(number_margin, true);
    setMarginType(count_margin, TextMarginRightJustified);
    setExtraAscent(2);
    setExtraDescent(2);
    setMarginWidth(fold_margin, 16);
    setMarginWidth(count_margin, 0);
    setFolding(PlainFoldStyle, fold_margin);
    setAnnotationDisplay(AnnotationIndented);
    SendScintilla(SCI_SETUNDOCOLLECTION, 0UL); // the document's stack has the steps
    connect(this, &QsciScintillaBase::SCN_MODIFIED, this,
            [this](int position, int kind, const char* text, int length, int, int, int, int, int, int) {
                typed(position, kind, text, length);
            });
    connect(this, &QsciScintillaBase::SCN_CHARADDED, this, &TextEditor::character_added);
    connect(&documents, &Documents::edited, this, &TextEditor::follow);
    dress();
}

TextEditor::~TextEditor() = default;

std::string TextEditor::bytes() const { return shown_ ? *shown_ : std::string(); }

void TextEditor::show_file(const QString& path)
{
    if (path != path_) {
        path_ = path;
        rules_ = path.endsWith(QLatin1String(".lua"));
        set_errors({});
        set_counts({});
        put(nullptr);
        setLexer(nullptr);
        lexer_.reset(rules_ ? static_cast<QsciLexer*>(new QsciLexerLua) : new QsciLexerJSON);
        dress();
        setLexer(lexer_.get());
        dress();
        SendScintilla(SCI_SETSCROLLWIDTH, 1UL);
    }
    follow(path);
}

/// Takes the document's text, changing only what differs, so that cursor and folds stay.
void TextEditor::follow(const QString& path)
{
    if (path != path_ || path.isEmpty()) {
        return;
    }
    const auto text = documents_.text(path);
    setReadOnly(!text.ok());
    if (!text) {
        put(nullptr);
        return;
    }
    if (shown_ && **text == *shown_) {
        return;
    }
    if (!shown_ || !shows(*shown_)) {
        put(*text);
        return;
    }
    const std::string before = bytes();
    const std::string& after = **text;
    std::size_t same = 0;
    while (same < before.size() && same < after.size() && before[same] == after[same]) {
        ++same;
    }
    std::size_t tail = 0;
    while (tail + same < before.size() && tail + same < after.size() &&
           before[before.size() - 1 - tail] == after[after.size() - 1 - tail]) {
        ++tail;
    }
    following_ = true;
    SendScintilla(SCI_SETTARGETSTART, same);
    SendScintilla(SCI_SETTARGETEND, before.size() - tail);
    SendScintilla(SCI_REPLACETARGET, after.size() - tail - same, after.data() + same);
    following_ = false;
    SendScintilla(SCI_GOTOPOS, after.size() - tail);
    shown_ = *text;
    setMarginWidth(number_margin, QString(std::max(3, int(QString::number(lines()).size()) + 1), QLatin1Char('0')));
    settle();
}

void TextEditor::put(const std::shared_ptr<const std::string>& text)
{
    const bool locked = isReadOnly();
    following_ = true;
    setReadOnly(false);
    SendScintilla(SCI_CLEARALL);
    if (text) {
        SendScintilla(SCI_ADDTEXT, text->size(), text->data());
        SendScintilla(SCI_GOTOPOS, 0UL);
    }
    setReadOnly(locked);
    following_ = false;
    shown_ = text;
    setMarginWidth(number_margin, QString(std::max(3, int(QString::number(lines()).size()) + 1), QLatin1Char('0')));
}

bool TextEditor::shows(const std::string& text) const
{
    constexpr std::size_t compared = std::size_t{4} << 20; // bytes
    const auto length = std::size_t(SendScintilla(SCI_GETLENGTH));
    if (length != text.size() || length > compared) {
        return length == text.size();
    }
    const auto* characters = reinterpret_cast<const char*>(SendScintillaPtrResult(SCI_GETCHARACTERPOINTER));
    return characters != nullptr && text.compare(0, text.size(), characters, length) == 0;
}

/// What is shown is the document's text once the library is done; where it is not, it is put there anew.
void TextEditor::settle()
{
    if (std::exchange(settling_, true)) {
        return;
    }
    QTimer::singleShot(0, this, [this] {
        settling_ = false;
        const auto text =
            path_.isEmpty() ? Result<std::shared_ptr<const std::string>>(std::make_shared<const std::string>()) : documents_.text(path_);
        const bool same = text ? shows(**text) : SendScintilla(SCI_GETLENGTH) == 0;
        Q_ASSERT_X(same, "TextEditor", "the window shows another text than the document has");
        if (!same) {
            put(text ? *text : nullptr);
        }
    });
}

void TextEditor::typed(int position, int kind, const char* text, int length)
{
    if (following_ || path_.isEmpty()) {
        return;
    }
    const auto begin = std::size_t(position);
    const auto size = std::size_t(length);
    if ((kind & (SC_MOD_INSERTTEXT | SC_MOD_DELETETEXT)) == 0) {
        return;
    }
    settle();
    if (begin > bytes().size() || ((kind & SC_MOD_DELETETEXT) != 0 && begin + size > bytes().size())) {
        return; // settle() puts it right
    }
    if ((kind & SC_MOD_INSERTTEXT) != 0) {
        std::string all = bytes();
        const std::string added(text, size);
        all.insert(begin, added);
        shown_ = std::make_shared<const std::string>(std::move(all));
        (void)documents_.replace(path_, begin, begin, added, tr("typing"), Documents::Joins::typing);
    } else if ((kind & SC_MOD_DELETETEXT) != 0) {
        std::string all = bytes();
        all.erase(begin, size);
        shown_ = std::make_shared<const std::string>(std::move(all));
        (void)documents_.replace(path_, begin, begin + size, {}, tr("deleting"), Documents::Joins::typing);
    }
}

void TextEditor::character_added(int character)
{
    const auto at = std::size_t(SendScintilla(SCI_GETCURRENTPOS));
    if (rules_ ? character == '(' || character == ',' : character == ':') {
        const QString tip = rules_ ? rule_signature(bytes(), at) : schema_tip(path_, bytes(), at);
        if (!tip.isEmpty()) {
            SendScintilla(SCI_CALLTIPSHOW, at, tip.toUtf8().constData());
        }
    } else if (character == (rules_ ? ')' : ',')) {
        SendScintilla(SCI_CALLTIPCANCEL);
    } else if (rules_ || character == '"' || std::isalpha(character) != 0) {
        offer(false);
    }
}

void TextEditor::offer(bool asked_for)
{
    const auto at = std::size_t(SendScintilla(SCI_GETCURRENTPOS));
    const RuleOffer offer = rules_ ? rule_offer(bytes(), at, options_) : schema_offer(path_, bytes(), at);
    if (offer.words.isEmpty() || (!asked_for && SendScintilla(SCI_AUTOCACTIVE) != 0)) {
        return;
    }
    SendScintilla(SCI_AUTOCSETSEPARATOR, static_cast<unsigned long>(' '));
    SendScintilla(SCI_AUTOCSHOW, static_cast<uintptr_t>(offer.typed), offer.words.join(QLatin1Char(' ')).toUtf8().constData());
}

void TextEditor::keyPressEvent(QKeyEvent* event)
{
    const bool command = (event->modifiers() & Qt::ControlModifier) != 0;
    if (command && event->key() == Qt::Key_Space) {
        offer(true);
        return;
    }
    if (command && (event->key() == Qt::Key_Z || event->key() == Qt::Key_Y)) {
        if (QUndoStack* stack = documents_.stack(path_)) {
            const bool redo = event->key() == Qt::Key_Y || (event->modifiers() & Qt::ShiftModifier) != 0;
            redo ? stack->redo() : stack->undo();
        }
        return;
    }
    QsciScintilla::keyPressEvent(event);
}

void TextEditor::changeEvent(QEvent* event)
{
    QsciScintilla::changeEvent(event);
    // A change of the theme sends several of these, and dressing sends some itself: once for all of them.
    if ((event->type() == QEvent::PaletteChange || event->type() == QEvent::StyleChange) && !std::exchange(dressing_, true)) {
        QTimer::singleShot(0, this, [this] {
            dress();
            dressing_ = false;
        });
    }
}

void TextEditor::dress()
{
    const Tokens& t = tokens();
    setFont(point_font(*this));
    setPaper(colour(t.panel));
    setColor(colour(t.ink));
    if (lexer_) {
        dress_lexer(*lexer_, point_font(*this));
    }
    setMarginsFont(point_font(*this, 0.92));
    setMarginsBackgroundColor(colour(t.sunk));
    setMarginsForegroundColor(colour(t.soft));
    setFoldMarginColors(colour(t.sunk), colour(t.sunk));
    setCaretForegroundColor(colour(t.ink));
    setCaretLineVisible(true);
    setCaretLineBackgroundColor(colour(t.paper));
    setSelectionBackgroundColor(colour(t.wash));
    setSelectionForegroundColor(colour(t.ink));
    setMatchedBraceBackgroundColor(colour(t.wash));
    setMatchedBraceForegroundColor(colour(t.accent));
    SendScintilla(SCI_STYLESETFORE, error_style, colour(t.states[std::size_t(State::beyond)]));
    SendScintilla(SCI_STYLESETBACK, error_style, colour(t.sunk));
    SendScintilla(SCI_STYLESETFONT, error_style, text_font().family().toUtf8().constData());
    SendScintilla(SCI_STYLESETSIZE, error_style, std::max(6, point_font(*this, 0.95).pointSize()));
    SendScintilla(SCI_STYLESETFORE, count_style, colour(t.accent));
    SendScintilla(SCI_STYLESETBACK, count_style, colour(t.sunk));
    SendScintilla(SCI_STYLESETFONT, count_style, code_font().family().toUtf8().constData());
    SendScintilla(SCI_STYLESETSIZE, count_style, std::max(6, point_font(*this, 0.92).pointSize()));
}

void TextEditor::set_errors(const std::map<int, QString>& errors)
{
    clearAnnotations();
    for (const auto& [line, text] : errors) {
        if (line >= 0 && line < lines()) {
            annotate(line, QStringLiteral("▲ ") + in_lines(text), error_style);
        }
    }
}

void TextEditor::set_counts(const std::map<int, std::uint64_t>& counts)
{
    clearMarginText();
    qsizetype widest = 0;
    for (const auto& [line, count] : counts) {
        if (line >= 0 && line < lines()) {
            const QString text =
                (count < 100000 ? QString::number(count) : QString::number(double(count) / 1e6, 'f', 1) + QStringLiteral(" M")) +
                QStringLiteral("×");
            widest = std::max(widest, text.size());
            setMarginText(line, text, count_style);
        }
    }
    if (widest == 0) {
        setMarginWidth(count_margin, 0);
    } else {
        setMarginWidth(count_margin, QString(widest + 1, QLatin1Char('0')));
    }
}

void TextEditor::go_to_line(int line)
{
    ensureLineVisible(line);
    setCursorPosition(line, 0);
    SendScintilla(SCI_VERTICALCENTRECARET);
}

bool TextEditor::find(const QString& text, bool forward)
{
    if (text.isEmpty()) {
        return false;
    }
    if (!forward) { // from the beginning of what is chosen
        int line = 0;
        int index = 0;
        int line_to = 0;
        int index_to = 0;
        getSelection(&line, &index, &line_to, &index_to);
        if (line >= 0) {
            setCursorPosition(line, index);
        }
    }
    return findFirst(text, false, false, false, true, forward);
}

bool TextEditor::replace_found(const QString& text, const QString& by)
{
    if (selectedText().compare(text, Qt::CaseInsensitive) == 0 && !isReadOnly()) {
        replaceSelectedText(by);
    }
    return find(text);
}

int TextEditor::replace_all(const QString& text, const QString& by)
{
    const auto document = documents_.text(path_);
    if (text.isEmpty() || !document) {
        return 0;
    }
    QString all = QString::fromStdString(**document);
    const int count = int(all.count(text, Qt::CaseInsensitive));
    if (count > 0) {
        all.replace(text, by, Qt::CaseInsensitive);
        (void)documents_.replace(path_, 0, (*document)->size(), all.toStdString(), tr("replacing all"));
    }
    return count;
}

} // namespace wexilum::app
