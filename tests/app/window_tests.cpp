// The program of the tests that need the window's libraries, most of them a display.
#include "tests/support/test_program.hpp"

#include <QApplication>

std::unique_ptr<QCoreApplication> wexilum::test::make_application(int& argc, char** argv)
{
    return std::make_unique<QApplication>(argc, argv);
}

int main(int argc, char** argv) { return wexilum::test::run_named_test(argc, argv); }
