// Begins projects and files, from small complete ones, and takes toolpaths into a project.
#pragma once

#include "core/project/first_files.hpp"

#include <QString>

namespace wexilum::app {

class Workspace;

class Beginnings final {
public:
    /// The workspace must outlive the object.
    explicit Beginnings(Workspace& workspace) : workspace_(workspace) {}

    /// Writes a new project into a folder that is empty or not there yet. An Error otherwise; nothing is written then.
    static Status project_in(const QString& folder);
    /// Makes an empty folder a project without files.
    static Status empty_project_in(const QString& folder);
    /// Whether a folder is there and holds nothing.
    [[nodiscard]] static bool is_empty(const QString& folder);
    /// Copies the demo project into a folder that is not there yet. An Error where there is no demo beside the program.
    static Status demo_in(const QString& folder);
    /// Where the demo lies, beside the program or in a folder above it; empty where it is not there.
    [[nodiscard]] static QString demo_folder();

    /// A new file of a kind in the open project: what it names are the files of the job at hand, or the first of their kind. Its path from
    /// the project's folder; an Error where the name is taken or none.
    Result<QString> file(FirstKind kind, const QString& name);
    /// Copies a toolpath file into the project; its path there.
    Result<QString> toolpath(const QString& path);

private:
    [[nodiscard]] FirstParts parts() const;

    Workspace& workspace_;
};

} // namespace wexilum::app
