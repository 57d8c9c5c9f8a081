// A program read by itself, in the shape in which a posted job is looked at.
#pragma once

#include "core/project/code_parts.hpp"
#include "core/project/job_run.hpp"

#include <memory>
#include <string>

namespace wexilum {

struct ReadProgram {
    std::shared_ptr<const PostedJob> posted;      ///< each block that moves is one of its records; an operation is what one tool does
    std::shared_ptr<const ReplayedCode> replayed; ///< compared with nothing
    std::shared_ptr<const CodeReading> reading;
    std::vector<std::string> remarks; ///< of its parts
};

/// Reads a program's file with its parts. An Error where a file can't be read, the parts do not fit together, or the watch stops it.
Result<ReadProgram> read_program(const FileSystem& files, const CodePartFiles& parts, const std::string& code, bool from_unknown,
                                 const Clock& clock, RunWatch* watch = nullptr);

} // namespace wexilum
