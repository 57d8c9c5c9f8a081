// What an editor of rules can offer at a place in the text, from the one description of events, fields and functions.
#pragma once

#include <QString>
#include <QStringList>

#include <string>
#include <vector>

namespace wexilum::app {

struct RuleOffer {
    int typed = 0;     ///< bytes before the place that the offers begin with
    QStringList words; ///< sorted
};

/// What can stand at byte `at` of a rulebook's text; `options` are the post's.
[[nodiscard]] RuleOffer rule_offer(const std::string& text, std::size_t at, const QStringList& options);

/// The signature and help of the function whose call byte `at` is inside of; empty where there is none.
[[nodiscard]] QString rule_signature(const std::string& text, std::size_t at);

} // namespace wexilum::app
