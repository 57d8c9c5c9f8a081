// Feeds bytes to one JSON reader; which one is set by the build (WEXILUM_READER). An error must have a place and a cure.
#include "core/base/json_document.hpp"
#include "core/controller/controller.hpp"
#include "core/dialect/dialect.hpp"
#include "core/job/assembly.hpp"
#include "core/machine/machine.hpp"
#include "core/project/project.hpp"
#include "core/replay/replay_run.hpp"
#include "core/setup/setup.hpp"
#include "core/solve/inverse.hpp"

#include <cstdint>
#include <cstdlib>
#include <type_traits>

using namespace wexilum;

namespace {

void check(const Error& error)
{
    if (error.message.empty() || error.cure.empty()) {
        std::abort();
    }
}

template <typename T>
void use(const T& value)
{
    if constexpr (std::is_same_v<T, Machine>) {
        const auto kinematics = Kinematics::make(value);
        const auto solver = kinematics ? InverseSolver::make(*kinematics) : Result<InverseSolver>(kinematics.error());
        if (solver) {
            (void)solver.value().within_travel({Vec3(10, 20, 30), Vec3(0, 0.6, 0.8)}, 100, value.home());
        } else {
            check(solver.error());
        }
    } else if constexpr (std::is_same_v<T, Controller>) {
        if (const Status status = check_witnesses(value, "x.json"); !status) {
            check(status.error());
        }
    }
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    const auto document = json::Document::parse(std::string(reinterpret_cast<const char*>(data), size), "x.json");
    if (!document) {
        check(document.error());
        return 0;
    }
    const auto value = WEXILUM_READER(document.value());
    if (value) {
        use(value.value());
    } else {
        check(value.error());
    }
    return 0;
}
