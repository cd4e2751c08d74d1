#include "base/errors.h"
#include "base/exec_context.h"
#include "base/leave.h"
#include "support/runners.h"

#include <QTest>

#include <atomic>
#include <memory>
#include <mutex>
#include <semaphore>
#include <thread>
#include <vector>

using namespace yolk;

class TestExecContext : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void bandsCoverEveryRowOnce_data()
    {
        QTest::addColumn<int>("height");
        for (int h : {0, 1, kBandRows - 1, kBandRows, kBandRows + 1, 1000})
            QTest::addRow("%d", h) << h;
    }
    void bandsCoverEveryRowOnce()
    {
        QFETCH(int, height);
        SerialRunner serial;
        test::ShuffledRunner shuffled(3);
        ThreadRunner threads(2);
        for (Runner *runner : std::initializer_list<Runner *>{&serial, &shuffled, &threads}) {
            std::vector<std::atomic<int>> seen(size_t(height) + 1);
            ExecContext ctx(*runner);
            forEachBand(ctx, height, [&](int y0, int y1) {
                QVERIFY(y1 - y0 <= kBandRows && y0 % kBandRows == 0);
                for (int y = y0; y < y1; ++y)
                    ++seen[size_t(y)];
            });
            for (int y = 0; y < height; ++y)
                QCOMPARE(seen[size_t(y)].load(), 1);
        }
    }
    void progressRisesToOne()
    {
        ThreadRunner threads(2);
        std::vector<double> seen;
        ExecContext ctx(threads, {}, [&](double p) { seen.push_back(p); }); // serialised: no lock needed here
        forEachBand(ctx, 20 * kBandRows, [](int, int) {});
        QCOMPARE(seen.size(), size_t(20));
        QVERIFY(std::ranges::is_sorted(seen));
        QCOMPARE(seen.back(), 1.0);
    }
    void partsShareTheRange()
    {
        SerialRunner serial;
        std::vector<double> seen;
        ExecContext ctx(serial, {}, [&](double p) { seen.push_back(p); });
        ExecContext second = ctx.part(0.5, 1.0);
        second.report(0.5);
        second.report(0.2); // falls: shown as what was reached
        QCOMPARE(seen, (std::vector<double>{0.75, 0.75}));
    }
    void meansOfPartsReachOne()
    {
        ThreadRunner threads(2);
        double last = 0.0;
        ExecContext ctx(threads, {}, [&](double p) { last = p; });
        forEachPart(ctx, 3, [](int, ExecContext &own) { own.report(0.5); });
        QCOMPARE(last, 1.0);
    }
    void stopEndsAtTheNextBand()
    {
        SerialRunner serial;
        std::stop_source stop;
        int bands = 0;
        ExecContext ctx(serial, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, forEachBand(ctx, 10 * kBandRows, [&](int, int) {
                                     if (++bands == 3)
                                         stop.request_stop();
                                 }));
        QCOMPARE(bands, 3);
    }
    void whatCannotBeStoppedIsLeft()
    {
        SerialRunner serial;
        std::stop_source stop;
        ExecContext ctx(serial, stop.get_token());
        int done = 0;
        waitOrLeave(ctx, [&] { ++done; });
        QCOMPARE(done, 1);
        QVERIFY_THROWS_EXCEPTION(InputError, waitOrLeave(ctx, [] { throw InputError("a.tif", "broken"); }));
        // This work ends only after it was left: who waited for it would wait for ever.
        struct Doors {
            std::binary_semaphore begun{0}, left{0}, ended{0};
        };
        const auto doors = std::make_shared<Doors>();
        std::jthread stopper([&] {
            doors->begun.acquire();
            stop.request_stop();
        });
        QVERIFY_THROWS_EXCEPTION(Cancelled, waitOrLeave(ctx, [doors] {
                                     doors->begun.release();
                                     doors->left.acquire();
                                     doors->ended.release();
                                 }));
        doors->left.release();
        doors->ended.acquire();
        QVERIFY_THROWS_EXCEPTION(Cancelled, waitOrLeave(ctx, [&] { ++done; })); // it is stopped already
        QCOMPARE(done, 1);
    }
    void exceptionsKeepTheirType()
    {
        ThreadRunner threads(2);
        ExecContext ctx(threads);
        QVERIFY_THROWS_EXCEPTION(InputError, forEachBand(ctx, 500, [](int y0, int) {
                                     if (y0 == 64)
                                         throw InputError("a.jpg", "broken");
                                 }));
    }
};

QTEST_GUILESS_MAIN(TestExecContext)
#include "tst_exec_context.moc"
