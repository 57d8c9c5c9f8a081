// The program of the tests without a window.
#include "tests/support/test_program.hpp"

std::unique_ptr<QCoreApplication> wexilum::test::make_application(int& argc, char** argv)
{
    return std::make_unique<QCoreApplication>(argc, argv);
}

int main(int argc, char** argv) { return wexilum::test::run_named_test(argc, argv); }
