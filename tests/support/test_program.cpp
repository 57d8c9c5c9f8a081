#include "tests/support/test_program.hpp"

#include <cstdio>
#include <map>
#include <string>

namespace wexilum::test {
namespace {

std::map<std::string, TestRun>& entries()
{
    static std::map<std::string, TestRun> all;
    return all;
}

} // namespace

TestEntry::TestEntry(const char* file, TestRun run)
{
    const std::string path = file;
    const std::string name = path.substr(path.rfind('/') + 1);
    entries().emplace(name.substr(0, name.rfind('.')), run);
}

int run_named_test(int argc, char** argv)
{
    const std::string name = argc > 1 ? argv[1] : "--list";
    if (name == "--list") {
        for (const auto& [known, run] : entries()) {
            std::printf("%s\n", known.c_str());
        }
        return argc > 1 ? 0 : 2;
    }
    const auto found = entries().find(name);
    if (found == entries().end()) {
        std::fprintf(stderr, "there is no test \"%s\"; --list tells which there are\n", name.c_str());
        return 2;
    }
    argv[1] = argv[0];
    return found->second(argc - 1, argv + 1);
}

} // namespace wexilum::test
