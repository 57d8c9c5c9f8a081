// Records in memory as a stream.
#pragma once

#include "core/toolpath/linear_run.hpp"
#include "core/toolpath/record_source.hpp"

#include <cstddef>
#include <string>
#include <variant>
#include <vector>

namespace wexilum {

/// Records of a toolpath in memory, which must outlive the source.
class MemoryRecords final : public RecordSource {
public:
    explicit MemoryRecords(const Toolpath& toolpath) : toolpath_(toolpath) {}
    Result<bool> next(Record& out) override
    {
        if (at_ == toolpath_.records.size()) {
            return false;
        }
        out = toolpath_.records[at_++];
        return true;
    }
    bool next_run(LinearRun& out) override
    {
        out.clear();
        for (; at_ < toolpath_.records.size() && out.count < longest_run; ++at_) {
            const Record& record = toolpath_.records[at_];
            const auto* linear = std::get_if<record::Linear>(&record.data);
            if (linear == nullptr || (out.count > 0 && record.source.file != out.file) || !out.goes_on(linear->surface)) {
                break;
            }
            out.add(linear->to, record.source, linear->surface);
        }
        return out.count > 0;
    }
    [[nodiscard]] const std::vector<std::string>& files() const override { return toolpath_.files; }

private:
    const Toolpath& toolpath_;
    std::size_t at_ = 0;
};

} // namespace wexilum
