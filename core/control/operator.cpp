#include "core/control/operator.hpp"

#include "core/base/units.hpp"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <map>

namespace wexilum {
namespace {

std::string upper(std::string_view text)
{
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return char(std::toupper(c)); });
    return out;
}

std::string trimmed(const std::string& text)
{
    const auto begin = text.find_first_not_of(' ');
    return begin == std::string::npos ? std::string() : text.substr(begin, text.find_last_not_of(' ') + 1 - begin);
}

/// The values that a text has at the places of a message's "{name}"s; nothing where it is not that message. Capitals don't matter.
std::optional<std::map<std::string, std::string>> matched(const std::string& message, const std::string& heard)
{
    std::map<std::string, std::string> out;
    std::size_t at = 0;
    std::size_t from = 0;
    while (from < message.size()) {
        const std::size_t open = message.find('{', from);
        const std::string before = upper(message.substr(from, open - from));
        if (heard.compare(at, before.size(), before) != 0) {
            return std::nullopt;
        }
        at += before.size();
        if (open == std::string::npos) {
            return at == heard.size() ? std::optional(out) : std::nullopt;
        }
        const std::size_t close = message.find('}', open);
        if (close == std::string::npos) {
            return std::nullopt;
        }
        from = close + 1;
        const std::size_t next = message.find('{', from);
        const std::string behind = upper(message.substr(from, next == std::string::npos ? std::string::npos : next - from));
        const std::size_t end = behind.empty() ? heard.size() : heard.find(behind, at);
        if (end == std::string::npos) {
            return std::nullopt;
        }
        out[message.substr(open + 1, close - open - 1)] = trimmed(heard.substr(at, end - at));
        at = end;
    }
    return at == heard.size() ? std::optional(out) : std::nullopt;
}

std::optional<double> number(const std::string& text)
{
    double out = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), out);
    return problem == std::errc() && end == text.data() + text.size() ? std::optional(out) : std::nullopt;
}

} // namespace

Operator::Operator(const Machine& machine) : machine_(machine)
{
    needed_ = std::any_of(machine.mounts.begin(), machine.mounts.end(), [](const Mount& m) { return m.attachment; });
}

void Operator::hear(std::string_view comment)
{
    const std::string heard = upper(trimmed(std::string(comment)));
    for (std::uint32_t i = 0; i < machine_.mounts.size(); ++i) {
        const Mount& mount = machine_.mounts[i];
        const auto speaks_of = [&](const std::string& message) {
            const auto values = message.empty() ? std::nullopt : matched(message, heard);
            const auto name = values ? values->find("name") : std::map<std::string, std::string>::const_iterator();
            return values && (name == values->end() || name->second == upper(mount.name)) ? values : std::nullopt;
        };
        if (!mount.attachment) {
            continue;
        }
        if (speaks_of(mount.fit_message)) {
            tasks_.push_back({i, Task::Kind::fit, {}, 0, {}, true});
            return;
        }
        if (speaks_of(mount.remove_message)) {
            tasks_.push_back({i, Task::Kind::remove, {}, 0, {}, true});
            return;
        }
        const auto values = speaks_of(mount.set_message);
        if (!values) {
            continue;
        }
        Task task{i, Task::Kind::set, {}, 0, {}, false};
        const auto reading = number(values->at("reading"));
        for (int j = mount.parent; j >= 0; j = machine_.joints[std::size_t(j)].parent) {
            const Joint& joint = machine_.joints[std::size_t(j)];
            if (!joint.by_hand || upper(joint.id) != values->at("joint") || !reading) {
                continue;
            }
            task.joint = JointIndex(std::uint32_t(j));
            task.reading = to_rad(*reading);
            task.readable = true;
            const auto amount = values->find("amount");
            const auto sense = values->find("sense");
            const auto stated = amount != values->end() ? number(amount->second) : std::nullopt;
            if (stated && sense != values->end()) {
                const bool rises = (sense->second == "CLOCKWISE") == joint.scale.clockwise;
                task.amount = to_rad(*stated) * (rises ? 1 : -1);
            }
        }
        tasks_.push_back(task);
        return;
    }
}

} // namespace wexilum
