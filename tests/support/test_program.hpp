// One program of many tests: each test file registers its class and is run by its name, which is the file's. So the libraries are linked
// once, and not once a test.
#pragma once

#include <QCoreApplication>
#include <QTest>

#include <memory>

namespace wexilum::test {

/// Of the program at hand: without a display, or with one.
std::unique_ptr<QCoreApplication> make_application(int& argc, char** argv);

using TestRun = int (*)(int argc, char** argv);
/// Registers a test under the name of its file.
struct TestEntry {
    TestEntry(const char* file, TestRun run);
};

/// Runs the test that the first argument names, with the arguments behind it as Qt Test takes them. "--list" prints the names.
int run_named_test(int argc, char** argv);

template <class Test>
int run_test(int argc, char** argv)
{
    const auto application = make_application(argc, argv);
    Test test;
    return QTest::qExec(&test, argc, argv);
}

} // namespace wexilum::test

#define WEXILUM_TEST(Test) WEXILUM_TEST_RUN(wexilum::test::run_test<Test>)
#define WEXILUM_TEST_RUN(run)                                                                                                              \
    namespace {                                                                                                                            \
    const wexilum::test::TestEntry test_entry(__FILE__, run);                                                                              \
    }
