// Reads one file of a project's formats.
#pragma once

#include "core/base/json_document.hpp"
#include "core/base/world.hpp"
#include "core/machine/surface_file.hpp"
#include "core/setup/setup.hpp"

#include <string>
#include <utility>

namespace wexilum {

/// The file under its path in a folder; an Error names the path without the folder. `folder` may be empty.
inline Result<json::Document> load_document(const FileSystem& files, const std::string& folder, const std::string& path)
{
    auto text = files.read_all(folder.empty() ? path : folder + "/" + path, json::max_bytes);
    if (!text) {
        Error error = text.error();
        error.place = {path, 0, 0};
        return error;
    }
    return json::Document::parse(std::move(*text), path);
}

/// Loads and reads one part into `out`.
template <typename T, typename Read>
Status load(const FileSystem& files, const std::string& folder, const std::string& path, const Read& read, T& out)
{
    auto document = load_document(files, folder, path);
    if (!document) {
        return document.error();
    }
    auto value = read(*document);
    if (!value) {
        return value.error();
    }
    out = std::move(*value);
    return {};
}

/// The surfaces of all that a setup holds.
inline Status load_surfaces(const FileSystem& files, const std::string& folder, Setup& setup)
{
    Status status;
    for (Work& work : setup.works) {
        status = status ? load_surfaces(files, folder, work.stock) : status;
        status = status ? load_surfaces(files, folder, work.kept) : status;
    }
    return status;
}

/// The project's folder for a file of one of its subfolders.
inline std::string project_of(const std::string& path)
{
    const std::size_t name = path.rfind('/');
    const std::size_t folder = name == std::string::npos || name == 0 ? std::string::npos : path.rfind('/', name - 1);
    return name == std::string::npos ? ".." : folder == std::string::npos ? "." : path.substr(0, folder);
}

} // namespace wexilum
