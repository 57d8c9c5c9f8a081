// Comparing numbers and points within a bound; a failure says what they are.
#pragma once

#include <QTest>

#include <cmath>

#define COMPARE_NEAR(actual, expected, within)                                                                                             \
    QVERIFY2(std::abs((actual) - (expected)) <= (within), qPrintable(QStringLiteral("%1 instead of %2").arg(actual).arg(expected)))
#define COMPARE_POINT(actual, expected, within)                                                                                            \
    QVERIFY2(((actual) - (expected)).norm() <= (within),                                                                                   \
             qPrintable(QStringLiteral("%1 %2 %3").arg((actual).x()).arg((actual).y()).arg((actual).z())))
