// Makes sure that no edit is lost: asks before edits would be dropped, shows what others have written meanwhile, and offers what an earlier
// window has left.
#pragma once

#include "app/models/kept_edits.hpp"

#include <QPointer>
#include <QWidget>

#include <functional>

namespace wexilum::app {

class EditsGuard final : public QObject {
    Q_OBJECT
public:
    /// `show_message` shows a message; the documents and the window must outlive the object.
    EditsGuard(Documents& documents, QWidget& window, std::function<void(const QString&)> show_message);

    /// From now on edits are kept aside in a folder, and what lies there is offered.
    void keep_in(const QString& folder);
    /// A project has been opened: offers what an earlier window has left of it.
    void begin(const QString& project);
    /// What earlier windows have left of any project.
    [[nodiscard]] std::vector<LeftEdits> left() const { return kept_ ? kept_->left() : std::vector<LeftEdits>(); }

    /// Whether the documents may be dropped: asks where there are unsaved edits. After a yes they are saved, or to be discarded.
    [[nodiscard]] bool may_leave();
    /// The window closes for good: nothing stays kept.
    void forget();
    /// Saves everything that is edited. Where something else stands on the disk than was read, the difference is shown, and it is asked
    /// what is to become of them. False where not all is saved.
    bool save_all();

private:
    enum class Choice { mine, theirs, neither };
    [[nodiscard]] Choice ask(const Documents::Conflict& conflict);
    void offer(const LeftEdits& left);

    Documents& documents_;
    QWidget& window_;
    std::function<void(const QString&)> show_message_;
    std::unique_ptr<KeptEdits> kept_;
};

} // namespace wexilum::app
