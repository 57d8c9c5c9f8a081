// The setup of the job as tables that can be edited: each edit changes the file's text, can be undone, and runs the job anew.
#pragma once

#include "core/machine/machine.hpp"
#include "core/setup/setup_edit.hpp"

#include <QAbstractTableModel>

#include <functional>
#include <map>
#include <optional>

class QUndoStack;

namespace wexilum::app {

class Workspace;

/// X, Y and Z of a part on its holder (mm), then how it is turned about X, then Y, then Z of the holder (rad).
[[nodiscard]] double part_value(const Frame& part, int field);

/// The setup file's text, read, and its edits.
class SetupEditor final : public QObject {
    Q_OBJECT
public:
    explicit SetupEditor(Workspace& workspace, QObject* parent = nullptr);

    /// Nothing where no setup can be read; the last that could be stays.
    [[nodiscard]] const std::optional<Setup>& setup() const { return setup_; }
    [[nodiscard]] const QString& path() const { return path_; }
    [[nodiscard]] QUndoStack* stack() const;
    [[nodiscard]] const Machine* machine() const;
    [[nodiscard]] Workspace& workspace() { return workspace_; }
    /// Makes one edit that `patch` works out from the text as it stands. Tells what is wrong by refused().
    bool edit(const QString& label, const std::function<Result<json::Patch>(const json::Document&)>& patch);

    /// Sets a part_value() of a work, by its place in the setup; false where the text is none, or the setup could not be read with it.
    bool set_part(std::size_t work, int field, const QString& text);
    /// What a register is the zero of in the job: the works by their ids, or "in use" where they have none; empty: of nothing.
    [[nodiscard]] QString use_of(const std::string& register_name) const;

Q_SIGNALS:
    void changed();
    void refused(const QString& why);

private:
    void read();

    Workspace& workspace_;
    QString path_;
    std::optional<Setup> setup_;
};

/// A table of the setup. It follows the file's text; while its rows and columns stay as they are, so does what is being typed into it.
class SetupTable : public QAbstractTableModel {
    Q_OBJECT
protected:
    SetupTable(SetupEditor& editor, QObject* parent);
    /// Rows and columns that take() comes to.
    [[nodiscard]] virtual std::pair<int, int> size_to_come() const = 0;
    /// Shows what the editor has.
    virtual void take() = 0;

    SetupEditor& editor_;

private:
    void renew();
};

/// The works that a setup lists, with what holds each and where.
class WorksModel final : public SetupTable {
    Q_OBJECT
public:
    enum Column { id, holder, work_offset, first_place };
    explicit WorksModel(SetupEditor& editor, QObject* parent = nullptr);
    /// 0 where the setup holds one part and lists no works.
    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;

private:
    [[nodiscard]] std::pair<int, int> size_to_come() const override;
    void take() override;
    std::vector<Work> works_; ///< as the table shows them
};

/// Registers by joints.
class OffsetsModel final : public SetupTable {
    Q_OBJECT
public:
    explicit OffsetsModel(SetupEditor& editor, QObject* parent = nullptr);
    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;

private:
    [[nodiscard]] std::pair<int, int> size_to_come() const override;
    void take() override;
    // As the table shows them, whatever the editor has meanwhile:
    std::vector<std::pair<std::string, std::map<std::string, double>>> registers_;
    std::vector<Joint> joints_;
};

/// The tool table.
class ToolsModel final : public SetupTable {
    Q_OBJECT
public:
    explicit ToolsModel(SetupEditor& editor, QObject* parent = nullptr);
    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    bool add();
    bool remove(int row);
    /// Merges tools of a CSV text into the table.
    bool import(const QString& name, const std::string& text);

private:
    [[nodiscard]] std::pair<int, int> size_to_come() const override;
    void take() override;
    [[nodiscard]] bool is_used(std::uint32_t tool) const;
    std::vector<Tool> tools_; ///< as the table shows them
};

} // namespace wexilum::app
