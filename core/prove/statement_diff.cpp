#include "core/prove/statement_diff.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <span>

namespace wexilum {
namespace {

bool is_letter(char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); }

/// A line as its words: the number of the block left out, a comment as one word.
std::vector<std::string_view> words_of(std::string_view line, const BlockGrammar& grammar)
{
    std::vector<std::string_view> out;
    for (std::size_t at = 0; at < line.size();) {
        const std::size_t begin = at;
        if (line[at] == grammar.comment_open) {
            at = std::min(line.find(grammar.comment_close, at), line.size() - 1) + 1;
        } else if (line[at] == ' ') {
            ++at;
            continue;
        } else {
            ++at;
            while (at < line.size() && line[at] != ' ' && line[at] != grammar.comment_open && !is_letter(line[at])) {
                ++at;
            }
        }
        const std::string_view word = line.substr(begin, at - begin);
        if (!out.empty() || word[0] != grammar.sequence_letter || begin != 0) {
            out.push_back(word);
        }
    }
    return out;
}

/// The text behind the block's number: equal rests are equal statements.
std::string_view without_number(std::string_view line, const BlockGrammar& grammar)
{
    if (line.empty() || line[0] != grammar.sequence_letter) {
        return line;
    }
    std::size_t at = 1;
    while (at < line.size() && ((line[at] >= '0' && line[at] <= '9') || line[at] == ' ')) {
        ++at;
    }
    return line.substr(at);
}

/// What a word is called in a group of changes: G and M words by themselves, others by their letter.
std::string called(std::string_view word, const BlockGrammar& grammar)
{
    if (word[0] == grammar.comment_open) {
        return "a comment";
    }
    return word[0] == 'G' || word[0] == 'M' || !is_letter(word[0]) ? std::string(word) : std::string(word.substr(0, 1));
}

std::string all_called(std::span<const std::string_view> words, const BlockGrammar& grammar)
{
    std::string out;
    for (const std::string_view word : words) {
        out += (out.empty() ? "" : " ") + called(word, grammar);
    }
    return out.empty() ? "an empty line" : out;
}

/// Lines [begin, end) of the earlier and of the later program that belong to one record.
struct Stretch {
    std::uint32_t before = 0;
    std::uint32_t before_end = 0;
    std::uint32_t after = 0;
    std::uint32_t after_end = 0;
};

class Differ {
public:
    Differ(const CodeStore& before, const CodeStore& after, const BlockGrammar& grammar) : before_(before), after_(after), grammar_(grammar)
    {}

    ProgramDiff run()
    {
        const std::uint32_t lines_before = before_.lines().size();
        const std::uint32_t lines_after = after_.lines().size();
        Stretch s;
        while (s.before < lines_before || s.after < lines_after) {
            const std::uint64_t address = std::min(address_of(before_, s.before), address_of(after_, s.after));
            s.before_end = s.before;
            s.after_end = s.after;
            while (address_of(before_, s.before_end) == address) {
                ++s.before_end;
            }
            while (address_of(after_, s.after_end) == address) {
                ++s.after_end;
            }
            stretch(s);
            s.before = s.before_end;
            s.after = s.after_end;
        }
        for (auto& [what, group] : groups_) {
            out_.groups.push_back(std::move(group));
        }
        std::stable_sort(out_.groups.begin(), out_.groups.end(), [](const ChangeGroup& a, const ChangeGroup& b) {
            const auto place = [](const ChangeGroup& group) { return std::pair(group.places[0].near, group.places[0].before); };
            return a.count != b.count ? a.count > b.count : place(a) < place(b);
        });
        return std::move(out_);
    }

private:
    static constexpr std::uint64_t behind_all = UINT64_MAX;
    static constexpr std::uint64_t called = std::uint64_t{1} << 33; ///< lines that are called stand behind those of all records
    /// 0 for the head, then the records, then the end, then what is called.
    [[nodiscard]] static std::uint64_t address_of(const CodeStore& code, std::uint32_t line)
    {
        if (line >= code.lines().size()) {
            return behind_all;
        }
        const std::uint32_t record = code.record_of(line);
        if (record != CodeStore::no_record) {
            return std::uint64_t(record) + 1 + (code.is_called(line) ? called : 0);
        }
        return line < code.line_of(0) ? 0 : called - 1;
    }
    [[nodiscard]] std::string_view before(std::uint32_t line) const { return without_number(before_.lines().line(line), grammar_); }
    [[nodiscard]] std::string_view after(std::uint32_t line) const { return without_number(after_.lines().line(line), grammar_); }

    void stretch(Stretch s)
    {
        while (s.before < s.before_end && s.after < s.after_end && before(s.before) == after(s.after)) {
            ++s.before;
            ++s.after;
            ++out_.same;
        }
        while (s.before < s.before_end && s.after < s.after_end && before(s.before_end - 1) == after(s.after_end - 1)) {
            --s.before_end;
            --s.after_end;
            ++out_.same;
        }
        if (s.before < s.before_end || s.after < s.after_end) {
            align(s);
        }
    }

    /// Pairs what is equal in order (longest common sequence), then what is left between such pairs one by one by likeness.
    void align(const Stretch& s)
    {
        const std::size_t n = s.before_end - s.before;
        const std::size_t m = s.after_end - s.after;
        if (n * m > 1'000'000) { // one long record written in quite another way
            between(s.before, s.before_end, s.after, s.after_end);
            return;
        }
        std::vector<std::uint32_t> longest((n + 1) * (m + 1), 0);
        const auto at = [&](std::size_t i, std::size_t j) -> std::uint32_t& { return longest[i * (m + 1) + j]; };
        for (std::size_t i = n; i-- > 0;) {
            for (std::size_t j = m; j-- > 0;) {
                at(i, j) = before(s.before + std::uint32_t(i)) == after(s.after + std::uint32_t(j)) ? at(i + 1, j + 1) + 1
                                                                                                    : std::max(at(i + 1, j), at(i, j + 1));
            }
        }
        std::size_t i = 0;
        std::size_t j = 0;
        std::size_t from_i = 0;
        std::size_t from_j = 0;
        const auto close = [&] {
            between(s.before + std::uint32_t(from_i), s.before + std::uint32_t(i), s.after + std::uint32_t(from_j),
                    s.after + std::uint32_t(j));
        };
        while (i < n && j < m) {
            if (before(s.before + std::uint32_t(i)) == after(s.after + std::uint32_t(j))) {
                close();
                ++out_.same;
                from_i = ++i;
                from_j = ++j;
            } else if (at(i + 1, j) >= at(i, j + 1)) {
                ++i;
            } else {
                ++j;
            }
        }
        i = n;
        j = m;
        close();
    }

    /// Lines without equals: pairs those that share most of their words' letters, in order.
    void between(std::uint32_t b, std::uint32_t b_end, std::uint32_t a, std::uint32_t a_end)
    {
        while (b < b_end || a < a_end) {
            if (b == b_end) {
                added(a++);
                continue;
            }
            if (a == a_end) {
                removed(b++, a);
                continue;
            }
            const auto words = words_of(before_.lines().line(b), grammar_);
            std::uint32_t best = a;
            std::size_t most = likeness(words, a);
            for (std::uint32_t k = a + 1; k < std::min(a_end, a + 8); ++k) {
                if (const std::size_t like = likeness(words, k); like > most) {
                    most = like;
                    best = k;
                }
            }
            if (most == 0) {
                removed(b++, a);
                continue;
            }
            changed(b, a, best, words);
            ++b;
            a = std::max(best + 1, a);
        }
    }

    [[nodiscard]] std::size_t likeness(std::span<const std::string_view> words, std::uint32_t line) const
    {
        std::size_t out = 0;
        for (const std::string_view word : words_of(after_.lines().line(line), grammar_)) {
            out += std::any_of(words.begin(), words.end(), [&](std::string_view w) { return w == word; }) ? 2 : 0;
            out += std::any_of(words.begin(), words.end(), [&](std::string_view w) { return w[0] == word[0]; }) ? 1 : 0;
        }
        return out;
    }

    /// Line b has become line `best`; lines [a, best) are new before it.
    void changed(std::uint32_t b, std::uint32_t a, std::uint32_t best, std::span<const std::string_view> was)
    {
        const auto is = words_of(after_.lines().line(best), grammar_);
        std::vector<std::string_view> gone;
        std::vector<std::string_view> come;
        std::vector<std::string_view> other;
        for (const std::string_view word : was) {
            if (std::find(is.begin(), is.end(), word) != is.end()) {
                continue;
            }
            const bool again = std::any_of(is.begin(), is.end(), [&](std::string_view w) {
                return w[0] == word[0] && std::find(was.begin(), was.end(), w) == was.end();
            });
            (again ? other : gone).push_back(word);
        }
        for (const std::string_view word : is) {
            const bool known = std::find(was.begin(), was.end(), word) != was.end();
            const bool again = std::any_of(other.begin(), other.end(), [&](std::string_view w) { return w[0] == word[0]; });
            if (!known && !again) {
                come.push_back(word);
            }
        }
        // What has gone from here into a block of its own is one change, not two.
        for (; a < best; ++a) {
            const auto alone = words_of(after_.lines().line(a), grammar_);
            const bool moved = !gone.empty() && std::all_of(alone.begin(), alone.end(), [&](std::string_view w) {
                return std::find(gone.begin(), gone.end(), w) != gone.end();
            });
            if (!moved) {
                added(a);
                continue;
            }
            note(fmt::format("{} now in a block of its own", all_called(alone, grammar_)), {b, a, a});
            ++out_.changed;
            std::erase_if(gone, [&](std::string_view w) { return std::find(alone.begin(), alone.end(), w) != alone.end(); });
        }
        std::string what;
        for (const auto& [words, verb] : {std::pair(&other, "changed"), std::pair(&come, "added"), std::pair(&gone, "removed")}) {
            if (!words->empty()) {
                what += (what.empty() ? "" : ", ") + all_called(*words, grammar_) + " " + verb;
            }
        }
        if (what.empty()) {
            const bool order = is.size() == was.size() && !std::equal(is.begin(), is.end(), was.begin());
            if (!order) {
                return; // all changes have been listed
            }
            what = "words in another order";
        }
        note(what, {b, best, best});
        ++out_.changed;
    }

    void added(std::uint32_t line)
    {
        note("block added: " + all_called(words_of(after_.lines().line(line), grammar_), grammar_), {StatementChange::none, line, line});
        ++out_.added;
    }
    void removed(std::uint32_t line, std::uint32_t near)
    {
        const std::uint32_t last = after_.lines().size() == 0 ? 0 : after_.lines().size() - 1;
        note("block removed: " + all_called(words_of(before_.lines().line(line), grammar_), grammar_),
             {line, StatementChange::none, std::min(near, last)});
        ++out_.removed;
    }
    void note(const std::string& what, const StatementChange& change)
    {
        ChangeGroup& group = groups_[what];
        group.what = what;
        ++group.count;
        if (group.places.size() < ChangeGroup::most_places) {
            group.places.push_back(change);
        }
    }

    const CodeStore& before_;
    const CodeStore& after_;
    const BlockGrammar& grammar_;
    std::map<std::string, ChangeGroup> groups_;
    ProgramDiff out_;
};

} // namespace

ProgramDiff diff_programs(const CodeStore& before, const CodeStore& after, const BlockGrammar& grammar)
{
    return Differ(before, after, grammar).run();
}

} // namespace wexilum
