// One way to compare two numbers within a limit.
#pragma once

#include <QTest>

#include <cmath>

namespace yolk::test {

/// Fails the running test unless |got - want| <= limit; NaN fails.
inline void compareNear(double got, double want, double limit)
{
    QVERIFY2(std::abs(got - want) <= limit, qPrintable(QStringLiteral("%1, not %2").arg(got, 0, 'g', 9).arg(want)));
}

} // namespace yolk::test
