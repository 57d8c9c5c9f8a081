// A machine's file while it is being defined: its text, what of it can be drawn, and edits by its parts.
#pragma once

#include "core/base/finding.hpp"
#include "core/machine/explain.hpp"
#include "core/machine/machine_form.hpp"

#include <QObject>

#include <functional>
#include <optional>

class QUndoStack;

namespace wexilum::app {

class Workspace;

class MachineEditor final : public QObject {
    Q_OBJECT
public:
    explicit MachineEditor(Workspace& workspace, QObject* parent = nullptr);

    /// The file that is edited: the job's machine where nobody has chosen another.
    [[nodiscard]] const QString& path() const { return path_; }
    void choose(const QString& path);
    [[nodiscard]] bool is_of_job() const { return path_ == job_machine(); }
    /// Begins a machine file of this name (without folder and ending) by one of machine_starts(), and chooses it. An error where a file of
    /// that name is there, or can't be written.
    Status begin(const QString& name, std::size_t start);
    /// Lets the job's post work with the machine that is edited.
    Status use_in_post();

    /// Nothing where the text can't be read at all; the last that could be stays.
    [[nodiscard]] const std::optional<json::Document>& document() const { return document_; }
    /// The last machine that could be drawn.
    [[nodiscard]] const std::optional<Machine>& machine() const { return machine_; }
    /// What keeps the text from being a machine.
    [[nodiscard]] const std::optional<Error>& problem() const { return problem_; }
    [[nodiscard]] QUndoStack* stack() const;
    [[nodiscard]] Workspace& workspace() { return workspace_; }

    /// Makes the text what `change` makes of it, as one step that can be undone; `typing` at one value is one step. Returns why it
    /// is not taken.
    std::optional<Error> edit(const QString& label, const std::function<Result<std::string>(const json::Document&)>& change,
                              bool typing = false);

    /// What the job needs of a joint beyond what it has, by its id: where it has to go, at which record, and the cure.
    struct Need {
        double low = 0; ///< readings the job's code brings it to, mm or rad
        double high = 0;
        std::optional<Finding> beyond; ///< the worst finding that it can't go there
    };
    [[nodiscard]] std::optional<Need> need_of(const std::string& joint) const;
    /// What is wrong with a field's value: what keeps the text from being a machine where that stands in it, or what the job can't do with
    /// it, where, and the cure. Empty where nothing is.
    [[nodiscard]] QString trouble_of(const PartPath& part, const FormField& field) const;
    /// Where the machine, as it is drawn now, has a witness's tip and axis; nothing where that can't be computed.
    [[nodiscard]] std::optional<Pose> computed(std::size_t witness) const;
    /// What would explain that it is missed, the nearest first.
    [[nodiscard]] std::vector<Explanation> explanations(std::size_t witness) const;

Q_SIGNALS:
    void changed();

private:
    [[nodiscard]] QString job_machine() const;
    void read();

    Workspace& workspace_;
    QString folder_; ///< of the project that the path is in
    QString path_;
    bool chosen_ = false;
    std::optional<json::Document> document_;
    std::optional<Machine> machine_;
    std::optional<Error> problem_;
};

} // namespace wexilum::app
