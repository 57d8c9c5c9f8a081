// What is looked at: one block of the code with one of its words, and with it a record, a motion and the axis positions. Every view
// sets it and follows it; no view knows another.
#pragma once

#include "core/base/finding.hpp"

#include <QObject>

namespace wexilum::app {

class Workspace;

class Selection final : public QObject {
    Q_OBJECT
public:
    static constexpr std::uint32_t none = UINT32_MAX;

    explicit Selection(Workspace& workspace, QObject* parent = nullptr);

    [[nodiscard]] std::uint32_t line() const { return line_; }     ///< of the posted code, from 0; none without code
    [[nodiscard]] int word() const { return word_; }               ///< in the line, from 0; -1: the whole line
    [[nodiscard]] std::uint32_t record() const { return record_; } ///< none: no record is behind it
    /// The operation (from 0) that the record belongs to; the first without one.
    [[nodiscard]] std::size_t operation() const;
    /// The motion that has just ended where the code stands; nothing before the first or before the replay is there.
    [[nodiscard]] std::optional<std::size_t> motion() const;

    void select_line(std::uint32_t line, int word = -1);
    void select_record(std::uint32_t record);
    void select_word(int word);
    /// Where a finding is: its block, or the record that a toolpath's line belongs to. False where neither is known.
    bool select_place(const Finding& finding);

Q_SIGNALS:
    void line_changed(); ///< and with it everything else
    void word_changed();

private:
    void follow_new_code();

    Workspace& workspace_;
    std::uint32_t line_ = none;
    std::uint32_t record_ = none;
    int word_ = -1;
};

/// The words of a line of code: begin and length of each, comments and blanks left out.
struct WordSpan {
    int begin = 0;
    int length = 0;
};
[[nodiscard]] std::vector<WordSpan> words_of(std::string_view line, char comment_open, char comment_close);

} // namespace wexilum::app
