// An operation's links as a person edits them: lists of partial moves in words, and edits of the job's text.
#pragma once

#include "core/job/assembly.hpp"
#include "core/machine/machine_form.hpp"
#include "core/path/outline.hpp"

#include <optional>
#include <string>
#include <vector>

namespace wexilum {

/// What a partial move does, in a few words: "A and C to the place", "out along the tool".
[[nodiscard]] std::string description_of(const LinkStep& step, const Machine& machine);

/// One of an operation's lists as it is in force.
[[nodiscard]] const std::vector<LinkStep>& list_of(const OperationLinks& links, LinkList list);

/// An operation's links as a job's text states them now, whatever the assembly was made of. An Error names what keeps them from being any.
/// Copies have the links of the operation that they are copies of.
Result<OperationLinks> links_in(const json::Document& job, const Assembly& assembly, std::size_t operation);

/// A list after an edit: each item is one of the list before, by its place there, or a new partial move.
struct LinkItem {
    std::optional<std::size_t> kept;
    LinkStep step; ///< where nothing is kept
};
using LinkItems = std::vector<LinkItem>;

/// All of a list of so many.
[[nodiscard]] LinkItems items_of(std::size_t count);
/// A list with the item at `from` standing at `to`. Precondition: both are places of the list.
[[nodiscard]] LinkItems with_moved(LinkItems items, std::size_t from, std::size_t to);
/// With a partial move of several joints done one joint after the other; unchanged where it is of one joint, or of the whole tool. A move
/// of all joints becomes the rotary ones, then the others: last of all those that retract or work along the tool.
[[nodiscard]] LinkItems with_split(const LinkItems& items, std::size_t at, const std::vector<LinkStep>& list, const Assembly& assembly,
                                   std::size_t operation);

/// The job's text with a list of an operation's links as edited. An operation that has its links from the job, or those that nobody
/// states, has them of its own from then on; of a list that is stated already the kept items stay as they are written. An Error where the
/// job's file does not have the operation, or the list would be none (it does not end at its place).
Result<std::string> with_list(const json::Document& job, const Assembly& assembly, std::size_t operation, LinkList list,
                              const LinkItems& items);
/// With an operation's list as it is where the job states none.
Result<std::string> without_list(const json::Document& job, const Assembly& assembly, std::size_t operation, LinkList list);
/// Whether the job's file states the list, at the operation or for all of them.
[[nodiscard]] bool states_list(const json::Document& job, const Assembly& assembly, std::size_t operation, LinkList list);

/// The shape of an operation's clearance surface as its links state it: "plane", "cylinder", "sphere" or "box"; empty: none.
[[nodiscard]] std::string clearance_shape(const json::Document& job, const Assembly& assembly, std::size_t operation);
/// The fields of that surface, and the path in the job's file that they belong to.
struct ClearanceForm {
    json::Path path;
    std::vector<FormField> fields;
};
[[nodiscard]] ClearanceForm clearance_form(const json::Document& job, const Assembly& assembly, std::size_t operation);
/// The job's text with a field of that surface as typed (with_value()).
Result<std::string> with_clearance_value(const json::Document& job, const Assembly& assembly, std::size_t operation, const FormField& field,
                                         const std::string& typed);
/// The job's text with a surface of that shape round all that the operation reaches, 10 mm beside it; of no shape: without one.
Result<std::string> with_clearance(const json::Document& job, const Assembly& assembly, std::size_t operation, const std::string& shape,
                                   const OperationOutline& outline);

} // namespace wexilum
