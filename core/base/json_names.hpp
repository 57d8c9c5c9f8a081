// The names of what reads JSON, for headers that only pass it on.
#pragma once

namespace wexilum::json {

class Document;
class Fields;
struct Node;
class Problems;

} // namespace wexilum::json
