// The thread from record to word: what is behind the block that is looked at.
#pragma once

#include "app/models/records_model.hpp"
#include "app/models/selection.hpp"
#include "app/views/machine/axis_band.hpp"
#include "core/run/block_probe.hpp"

#include <QFrame>
#include <QLabel>
#include <QScrollArea>
#include <QTimer>

namespace wexilum {
struct ControlState;
} // namespace wexilum

namespace wexilum::app {

/// One station of the thread: a caption and a text, on a card.
class TraceCard final : public QFrame {
    Q_OBJECT
public:
    explicit TraceCard(const QString& name, QWidget* parent = nullptr);
    void set_caption(const QString& text);
    /// Rich text; empty hides the label.
    void set_code(const QString& html);
    void set_text(const QString& html);
    void add(QWidget* widget);
    [[nodiscard]] QString said() const; ///< caption and texts, plain

Q_SIGNALS:
    void link(const QString& target);

private:
    QLabel* caption_;
    QLabel* code_;
    QLabel* text_;
};

class TracePane final : public QScrollArea {
    Q_OBJECT
public:
    TracePane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);

private:
    void renew();
    void show_record();
    void show_axes();
    void ask();
    void take(const std::shared_ptr<const BlockTrace>& trace);
    void take_state(std::uint32_t block, const std::shared_ptr<const ControlState>& state);
    void show_word();
    void follow(const QString& target);
    [[nodiscard]] QString held_text() const;

    Workspace& workspace_;
    Selection& selection_;
    TraceCard* record_;
    TraceCard* axes_card_;
    TraceCard* rule_;
    TraceCard* word_;
    TraceCard* held_;
    AxisBars* axes_;
    QTimer later_;
    std::shared_ptr<const BlockTrace> trace_;
};

} // namespace wexilum::app
