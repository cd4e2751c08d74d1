// Results are kept, made once however many ask, and given up only when nobody waits any more.
#include "base/errors.h"
#include "render/set/stage_cache.h"

#include <QTest>

#include <chrono>
#include <thread>

using namespace yolk;
using namespace std::chrono_literals;

class TestStageCache : public QObject {
    Q_OBJECT

    static size_t one(const int &) { return 1; }
    /// Waits in small steps until it is stopped or let go.
    static int waitFor(const std::atomic<bool> &go, ExecContext &ctx)
    {
        while (!go) {
            ctx.throwIfStopped();
            std::this_thread::sleep_for(1ms);
        }
        return 5;
    }

private Q_SLOTS:
    void forgetsTheOldestFirst()
    {
        StageCache cache(100);
        SerialRunner runner;
        ExecContext ctx(runner);
        int made = 0;
        const auto get = [&](uint64_t key) {
            return *cache.get<int>(
                {0, key}, ctx, [&](ExecContext &) { return ++made; }, [](const int &) { return size_t(40); });
        };
        QCOMPARE(get(1), 1);
        QCOMPARE(get(2), 2);
        QCOMPARE(get(1), 1);
        QCOMPARE(get(3), 3); // 2 goes
        QCOMPARE(get(1), 1);
        QCOMPARE(get(2), 4);
        QVERIFY(cache.bytes() <= 100);
        QVERIFY_THROWS_EXCEPTION(Cancelled, (cache.get<int>(
                                                {9, 9}, ctx, [](ExecContext &) -> int { throw Cancelled(); }, one)));
        QCOMPARE(*cache.get<int>(
                     {9, 9}, ctx, [](ExecContext &) { return 7; }, [](const int &) { return size_t(1000); }),
                 7); // too large to keep
        QVERIFY(cache.bytes() <= 100);
    }
    void whoComesSecondWaits()
    {
        StageCache cache(100);
        std::atomic<int> made = 0, waiting = 0;
        std::atomic<bool> go = false;
        std::array<std::shared_ptr<const int>, 4> got;
        std::atomic<double> seen = 0.0;
        {
            std::vector<std::jthread> threads;
            for (auto &out : got)
                threads.emplace_back([&] {
                    SerialRunner runner;
                    ExecContext ctx(runner, {}, [&](double p) { seen = p; });
                    ++waiting;
                    out = cache.get<int>(
                        {1, 1}, ctx,
                        [&](ExecContext &own) {
                            ++made;
                            own.report(0.5);
                            return waitFor(go, own);
                        },
                        one);
                });
            QTRY_COMPARE(waiting.load(), 4);
            QTRY_COMPARE(seen.load(), 0.5);
            QTest::qWait(50);
            go = true;
        }
        QCOMPARE(made.load(), 1);
        QCOMPARE(cache.madeCount(), 1);
        for (const auto &value : got)
            QCOMPARE(value, got[0]);
    }
    void stopsOnlyWhenNobodyWaits()
    {
        StageCache cache(100);
        std::atomic<bool> go = false, begun = false, stopped = false;
        std::stop_source first, second;
        std::shared_ptr<const int> kept;
        bool leaderCancelled = false, followerCancelled = false;
        const auto make = [&](ExecContext &own) {
            begun = true;
            try {
                return waitFor(go, own);
            } catch (const Cancelled &) {
                stopped = true;
                throw;
            }
        };
        {
            SerialRunner runner;
            std::jthread leader([&] {
                ExecContext ctx(runner, first.get_token());
                try {
                    kept = cache.get<int>({1, 1}, ctx, make, one);
                } catch (const Cancelled &) {
                    leaderCancelled = true;
                }
            });
            QTRY_VERIFY(begun.load());
            std::jthread follower([&] {
                ExecContext ctx(runner, second.get_token());
                try {
                    cache.get<int>({1, 1}, ctx, make, one);
                } catch (const Cancelled &) {
                    followerCancelled = true;
                }
            });
            QTest::qWait(50); // it waits by now
            first.request_stop();
            QTest::qWait(50);
            QVERIFY(!stopped); // the follower still wants it
            second.request_stop();
        }
        QVERIFY(stopped && leaderCancelled && followerCancelled && !kept);
        // Nothing is left behind: the next who asks makes it.
        go = true;
        SerialRunner runner;
        ExecContext ctx(runner);
        QCOMPARE(*cache.get<int>({1, 1}, ctx, make, one), 5);
    }
    void errorsReachAllWhoWait()
    {
        StageCache cache(100);
        std::atomic<bool> go = false;
        std::atomic<int> failed = 0, waiting = 0;
        {
            std::vector<std::jthread> threads;
            for (int i = 0; i < 3; ++i)
                threads.emplace_back([&] {
                    SerialRunner runner;
                    ExecContext ctx(runner);
                    ++waiting;
                    try {
                        cache.get<int>(
                            {1, 1}, ctx,
                            [&](ExecContext &own) -> int {
                                waitFor(go, own);
                                throw InputError("a.jpg", "is damaged");
                            },
                            one);
                    } catch (const InputError &) {
                        ++failed;
                    }
                });
            QTRY_COMPARE(waiting.load(), 3);
            QTest::qWait(50);
            go = true;
        }
        QCOMPARE(failed.load(), 3);
    }
};

QTEST_GUILESS_MAIN(TestStageCache)
#include "tst_stage_cache.moc"
