#include "core/toolpath/record_source.hpp"

#include "core/toolpath/linear_run.hpp"

namespace wexilum {

bool RecordReader::next_run(LinearRun& out)
{
    out.clear();
    return false;
}

} // namespace wexilum
