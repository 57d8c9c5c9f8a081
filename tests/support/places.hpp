#pragma once

// Where the sources and the programs under test lie on this machine. Told by functions of one file and not by definitions on every
// command line, so that a compiler's cache serves a checkout anywhere.

#include <QString>

namespace wexilum::test {

QString source_folder(); ///< No slash at the end.
QString cli_program();
QString window_program(); ///< Empty where the window is not built.
QString python_program();

} // namespace wexilum::test
