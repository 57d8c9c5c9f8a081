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

std::unique_ptr<NewFiles> OverlayFiles::begin_files()
{
    class InMemory final : public NewFiles {
    public:
        explicit InMemory(std::map<std::string, std::string>& written) : written_(written) {}
        Result<ByteSink*> add(const std::string& path) override
        {
            sinks_.push_back(std::make_unique<Text>());
            sinks_.back()->path = path;
            return static_cast<ByteSink*>(sinks_.back().get());
        }
        Status commit() override
        {
            for (const auto& sink : sinks_) {
                written_[sink->path] = sink->text;
            }
            return {};
        }

    private:
        struct Text final : ByteSink {
            std::string path;
            std::string text;
            Status write(std::string_view bytes) override
            {
                text += bytes;
                return {};
            }
        };
        std::map<std::string, std::string>& written_;
        std::vector<std::unique_ptr<Text>> sinks_;
    };
    return std::make_unique<InMemory>(written);
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
