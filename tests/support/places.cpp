#include "tests/support/places.hpp"

namespace wexilum::test {

QString source_folder() { return QStringLiteral(WEXILUM_SOURCE_DIR); }
QString cli_program() { return QStringLiteral(WEXILUM_CLI); }
QString window_program() { return QStringLiteral(WEXILUM_WINDOW); }
QString python_program() { return QStringLiteral(WEXILUM_PYTHON); }

} // namespace wexilum::test
