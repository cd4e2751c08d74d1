// What is freed makes room for the next picture.
#include "base/memory.h"
#include "image/image.h"

#include <QTest>

#include <sys/resource.h>

using namespace yolk;

class TestMemory : public QObject {
    Q_OBJECT
    /// Pages that had to be found while a picture of 64 MiB was written and freed.
    static long pagesOfAPicture()
    {
        const auto faults = [] {
            rusage used{};
            getrusage(RUSAGE_SELF, &used);
            return used.ru_minflt;
        };
        const long before = faults();
        Image<uint8_t> picture({8192, 8192, 1}, Fill::Anything);
        for (int y = 0; y < picture.height(); ++y)
            std::fill_n(picture.row(0, y), picture.width(), uint8_t(y));
        return faults() - before;
    }

private Q_SLOTS:
    void aFreedPictureIsUsedAgain()
    {
#ifdef YOLK_SANITIZE
        QSKIP("sanitizers bring an allocator of their own");
#endif
        const long first = pagesOfAPicture(), second = pagesOfAPicture();
        QVERIFY2(2 * second > first, "the system keeps freed memory by itself: this test says nothing");
        keepFreedMemory();
        pagesOfAPicture();
        const long kept = pagesOfAPicture();
        QVERIFY2(10 * kept < first, qPrintable(QStringLiteral("%1 of %2 pages").arg(kept).arg(first)));
    }
};

QTEST_GUILESS_MAIN(TestMemory)
#include "tst_memory.moc"
