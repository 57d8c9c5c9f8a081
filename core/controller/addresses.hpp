// The letters of a program's words besides axes; a control has them, a dialect writes them.
#pragma once

#include "core/base/json_names.hpp"
#include "core/base/result.hpp"

#include <array>

namespace wexilum {

struct Addresses {
    char feed = 'F';
    char speed = 'S';
    char tool = 'T';
    char length_register = 'H';
    std::array<char, 3> centre{'I', 'J', 'K'};
    char radius = 'R';
    char dwell = 'P';
    bool dwell_in_milliseconds = false;
    char cycle_clearance = 'R';
    char cycle_step = 'Q';
    char cycle_dwell = 'P';
    char loop_count = 'L'; ///< also how many times a subprogram is called
    char subprogram = 'P';
    char rotation = 'R'; ///< the angle of a rotation of coordinates
};

/// One capital letter under `key`; a missing key leaves `out` as it is.
void read_letter(json::Fields& fields, const char* key, char& out);
/// Two characters, open and close, under "comment".
void read_comment(json::Fields& fields, char& open, char& close);
/// All keys of Addresses out of an object whose other keys the caller reads.
void read_addresses(json::Fields& fields, Addresses& out);

} // namespace wexilum
