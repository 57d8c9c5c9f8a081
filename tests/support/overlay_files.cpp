#include "tests/support/overlay_files.hpp"

#include <algorithm>

namespace wexilum::test {

Result<std::string> OverlayFiles::read_all(const std::string& path, std::size_t limit) const
{
    const auto found = replaced.find(path);
    return found != replaced.end() ? Result<std::string>(found->second) : real_.read_all(path, limit);
}

Result<std::unique_ptr<ByteSource>> OverlayFiles::open(const std::string& path) const
{
    const auto found = replaced.find(path);
    return found != replaced.end() ? Result<std::unique_ptr<ByteSource>>(std::make_unique<TextSource>(found->second)) : real_.open(path);
}

Status OverlayFiles::replace(const std::vector<NewFile>& files)
{
    for (const NewFile& file : files) {
        written[file.path] = file.text;
    }
    return {};
}

Status OverlayFiles::remove(const std::vector<std::string>& paths)
{
    for (const std::string& path : paths) {
        written.erase(path);
    }
    return {};
}

std::vector<std::string> OverlayFiles::list(const std::string& folder, const std::string& suffix) const
{
    std::vector<std::string> names = real_.list(folder, suffix);
    for (const auto& [path, text] : replaced) {
        const std::string prefix = folder + "/";
        if (path.starts_with(prefix) && path.ends_with(suffix) &&
            std::find(names.begin(), names.end(), path.substr(prefix.size())) == names.end()) {
            names.push_back(path.substr(prefix.size()));
        }
    }
    std::sort(names.begin(), names.end());
    return names;
}

} // namespace wexilum::test
