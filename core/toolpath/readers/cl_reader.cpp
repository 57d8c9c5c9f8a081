#include "core/toolpath/readers/cl_reader.hpp"

#include "core/toolpath/readers/cl_reader_state.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace wexilum {

using cl::bad;
using cl::Statement;

const std::vector<ClReader::State::Word>& ClReader::State::words()
{
    static const std::vector<Word> all = [] {
        std::vector<Word> table{
            {"CIRCLE", &State::circle_next}, {"COOLNT", &State::coolnt}, {"CYCLE", &State::cycle},       {"DELAY", &State::delay},
            {"FEDRAT", &State::fedrat},      {"FROM", &State::from},     {"GODLTA", &State::go_delta},   {"GOTO", &State::goto_point},
            {"LOADTL", &State::loadtl},      {"MULTAX", &State::multax}, {"ORIGIN", &State::set_origin}, {"RAPID", &State::rapid_next},
            {"REMARK", &State::remark},      {"SPINDL", &State::spindl}, {"UNITS", &State::units},
        };
        std::apply([&]<typename... T>(const cl::Word<T>&... one) { (table.push_back({one.word, &State::bare<T>}), ...); }, cl::bare_words);
        std::apply([&]<typename... T>(const cl::Word<T>&... one) { (table.push_back({one.word, &State::text<T>}), ...); }, cl::text_words);
        std::sort(table.begin(), table.end(), [](const Word& a, const Word& b) { return std::string_view(a.name) < b.name; });
        return table;
    }();
    return all;
}

ClReader::ClReader(ByteSource& source, std::string file_name, std::uint32_t file_index)
    : state_(std::make_unique<State>(source, std::move(file_name), file_index))
{}

ClReader::~ClReader() = default;

Result<bool> ClReader::next(Record& out)
{
    State& st = *state_;
    if (st.ready.empty() && st.plain_record(out)) {
        return true;
    }
    const auto with_file = [&](Error error) {
        error.place.file = st.file_name;
        return error;
    };
    while (st.ready.empty()) {
        auto statement = st.statements.next();
        if (!statement) {
            return with_file(statement.error());
        }
        if (!*statement) {
            if (st.circle) {
                return with_file(bad(st.circle_place, "the file ends after CIRCLE without its end point", "add the GOTO"));
            }
            return false;
        }
        const Statement& s = **statement;
        st.line = LineNumber(s.place.line);
        const bool moves = s.word == "GOTO" || s.word == "GODLTA";
        if (st.circle && !moves) {
            return with_file(bad(s.place, fmt::format("CIRCLE must be followed by its end point, found {}", s.word),
                                 fmt::format("put a GOTO right after the CIRCLE in line {}", st.circle_place.line)));
        }
        const auto& table = State::words();
        const auto found = std::find_if(table.begin(), table.end(), [&](const auto& w) { return s.word == w.name; });
        if (found == table.end()) {
            st.emit(record::Unknown{s.word, s.text});
            break;
        }
        if (auto status = (st.*found->handle)(s); !status) {
            return with_file(status.error());
        }
    }
    out = std::move(st.ready.front());
    st.ready.pop_front();
    return true;
}

bool ClReader::next_run(LinearRun& out)
{
    out.clear();
    if (state_->ready.empty()) {
        state_->plain_run(out);
    }
    return out.count > 0;
}

std::vector<std::string> ClReader::words()
{
    std::vector<std::string> out;
    for (const auto& word : State::words()) {
        out.emplace_back(word.name);
    }
    return out;
}

Status read_cl(ByteSource& source, const std::string& file_name, Toolpath& into)
{
    const std::size_t before = into.records.size();
    ClReader reader(source, file_name, static_cast<std::uint32_t>(into.files.size()));
    for (;;) {
        Record record;
        const auto more = reader.next(record);
        if (!more) {
            into.records.resize(before);
            return more.error();
        }
        if (!*more) {
            into.files.push_back(file_name);
            return {};
        }
        into.records.push_back(std::move(record));
    }
}

} // namespace wexilum
