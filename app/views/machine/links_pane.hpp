// The links of an operation as lists of partial moves, beside the picture: each is at its blocks, in words, to be reordered, split,
// dropped, added to and played.
#pragma once

#include "app/models/link_blocks.hpp"
#include "app/models/selection.hpp"
#include "app/theme/tokens.hpp"
#include "app/views/frame/parts.hpp"
#include "app/views/machine/field_form.hpp"
#include "app/views/machine/link_step_form.hpp"
#include "app/views/machine/link_tree.hpp"
#include "core/advice/link_form.hpp"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

namespace wexilum::app {

class LinksPane final : public SightView {
    Q_OBJECT
public:
    LinksPane(Workspace& workspace, Selection& selection, QWidget* parent = nullptr);
    [[nodiscard]] LinkTree& tree() { return *tree_; }

Q_SIGNALS:
    /// The way of blocks [first, end) of the program, from 0, one after the other.
    void play_wanted(std::uint32_t first, std::uint32_t end, const QString& caption);
    void reported(const QString& message);
    /// Lines along the clearance surface, part's frame; none without one, and where nobody looks.
    void surface_shown(const std::vector<std::vector<Vec3>>& lines);

protected:
    void hideEvent(QHideEvent* event) override;

private:
    /// A partial move that the tree shows.
    struct Chosen {
        LinkList list = LinkList::approach;
        int step = -1;
    };
    QWidget* build_head();
    QWidget* build_clearance();
    void renew() override;
    void read(); ///< the links as they are in the job's text
    void renew_tree();
    void renew_step();
    void renew_clearance();
    void show_surface();
    void follow(); ///< the selection has moved
    void choose(Chosen chosen);
    void go_to_chosen();
    void play();
    void change(const QString& label, LinkList list, const LinkItems& items, int then);
    void change_step(const LinkStep& step);
    void nudge_chosen(bool up);
    void remove_chosen();
    void split_chosen();
    void add_after_chosen();
    void move(LinkList list, int from, int to);
    /// Whether it was taken; otherwise the reason is shown.
    bool edit(const QString& label, const std::function<Result<std::string>(const json::Document&)>& change, bool typing = false);
    void show_message(const QString& error);
    [[nodiscard]] const Assembly* assembly() const;
    [[nodiscard]] const std::vector<LinkStep>* list(LinkList which) const;
    /// What is chosen, where it is there.
    [[nodiscard]] const LinkStep* step() const;

    Workspace& workspace_;
    Selection& selection_;
    QComboBox* operations_ = nullptr;
    LinkTree* tree_ = nullptr;
    LinkStepForm* step_ = nullptr;
    QComboBox* shape_ = nullptr;
    FieldForm* surface_ = nullptr;
    QLabel* wrong_ = nullptr;
    QPushButton* safe_ = nullptr;
    std::size_t operation_ = 0;
    LinkBlocks blocks_;                      ///< of the operation
    std::optional<json::Document> document_; ///< the job's text when it was last read; nothing where that can't be
    std::optional<OperationLinks> links_;    ///< as the job's text states them now
    std::optional<Error> problem_;           ///< that they are none
    Chosen chosen_;
    QString refused_;
    bool filling_ = false;
    bool going_ = false;
    bool edited_ = false; ///< what is chosen stays so until the run that shows the edit
};

} // namespace wexilum::app
