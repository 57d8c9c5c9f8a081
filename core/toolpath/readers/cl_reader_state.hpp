// The state of a CL reader and one method for each word; private to the reader.
#pragma once

#include "core/toolpath/readers/cl_reader.hpp"
#include "core/toolpath/readers/cl_statement.hpp"

#include <deque>
#include <tuple>

namespace wexilum {
namespace cl {

inline Error bad(const Place& place, std::string message, std::string cure, ErrorKind kind = ErrorKind::value)
{
    return {kind, std::move(message), place, std::move(cure)};
}

// Words that stand for a record by themselves, and those with a text behind them; the first of two for one record is the one that is
// written.
template <typename T>
struct Word {
    const char* word;
};
inline constexpr std::tuple bare_words{Word<record::Stop>{"STOP"}, Word<record::OptionalStop>{"OPSTOP"}, Word<record::ProgramEnd>{"FINI"},
                                       Word<record::ProgramEnd>{"END"}};
inline constexpr std::tuple text_words{Word<record::ProgramName>{"PARTNO"}, Word<record::Comment>{"PPRINT"},
                                       Word<record::InsertedText>{"INSERT"}};

// The statements of a record in mm, as text; empty where the words can't hold it.
[[nodiscard]] std::string written(const record::From& r);
[[nodiscard]] std::string written(const record::Rapid& r);
[[nodiscard]] std::string written(const record::Linear& r);
[[nodiscard]] std::string written(const record::Circular& r);
[[nodiscard]] std::string written(const record::CyclePoint& r);
[[nodiscard]] std::string written(const record::CycleStart& r);
[[nodiscard]] std::string written(const record::CycleEnd& r);
[[nodiscard]] std::string written(const record::ToolChange& r);
[[nodiscard]] std::string written(const record::Feed& r);
[[nodiscard]] std::string written(const record::Spindle& r);
[[nodiscard]] std::string written(const record::Coolant& r);
[[nodiscard]] std::string written(const record::Dwell& r);
[[nodiscard]] std::string written(const record::Unknown& r);

} // namespace cl

/// Reader state and one method for each word.
struct ClReader::State {
    using Handler = Status (State::*)(const cl::Statement&);
    struct Word {
        const char* name;
        Handler handle;
    };
    static const std::vector<Word>& words();

    State(ByteSource& source, std::string name, std::uint32_t index)
        : statements(source, {"PARTNO", "PPRINT", "INSERT", "REMARK"}), file_name(std::move(name)), file_index(index)
    {}

    cl::StatementReader statements;
    cl::StatementReader::Lines lines; ///< room for those of a run
    std::string file_name;
    std::uint32_t file_index;
    std::deque<Record> ready;
    LineNumber line;

    double scale = 1; // file lengths to mm
    bool multi_axis = false;
    bool rapid = false;
    bool in_cycle = false;
    bool known_position = false;
    Pose position;
    Vec3 origin = Vec3::Zero();
    std::optional<record::Circular> circle;
    Place circle_place;
    record::Spindle spindle;
    std::optional<record::CycleStart> last_cycle;
    record::CoolantState last_coolant = record::CoolantState::flood;

    void emit(RecordData data) { ready.push_back({std::move(data), {file_index, line}}); }

    /// Reads a plain GOTO in one go, which nearly every line of a large file is; its line is passed by skip_peeked(). False where the
    /// line is anything else or where its numbers need a closer look; then nothing has been read.
    bool plain_goto(Pose& to);
    /// The record of such a line; false where it is none.
    bool plain_record(Record& out);
    /// The records of several such lines that are cuts; none where the next line is something else.
    void plain_run(LinearRun& out);
    Status goto_point(const cl::Statement& s);
    Status go_delta(const cl::Statement& s);
    Status from(const cl::Statement& s);
    Status rapid_next(const cl::Statement& s);
    Status circle_next(const cl::Statement& s);
    Status multax(const cl::Statement& s);
    Status fedrat(const cl::Statement& s);
    Status spindl(const cl::Statement& s);
    Status coolnt(const cl::Statement& s);
    Status loadtl(const cl::Statement& s);
    Status cycle(const cl::Statement& s);
    Status units(const cl::Statement& s);
    Status set_origin(const cl::Statement& s);
    Status delay(const cl::Statement& s);
    Status remark(const cl::Statement& s);

    template <typename T>
    Status text(const cl::Statement& s)
    {
        emit(T{s.text});
        return {};
    }
    template <typename T>
    Status bare(const cl::Statement& s)
    {
        if (!s.parameters.empty()) {
            return cl::bad(s.parameters.front().place, s.word + " takes no parameters", "remove the parameters");
        }
        emit(T{});
        return {};
    }

    Result<std::vector<double>> numbers(const cl::Statement& s, std::size_t begin = 0) const;
    Result<Pose> read_pose(const cl::Statement& s);
    Status move_to(const cl::Statement& s, const Pose& to);
    Status finish_circle(const cl::Statement& s, const Pose& to);
    Status cycle_parameters(const cl::Statement& s, record::CycleStart& out) const;
};

} // namespace wexilum
