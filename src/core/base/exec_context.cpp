#include "base/exec_context.h"

#include "base/errors.h"

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>
#include <oneapi/tbb/task_scheduler_observer.h>

#include <algorithm>
#ifdef YOLK_PLAIN_THREADS
#include <atomic>
#include <exception>
#include <thread>
#endif
#include <mutex>
#include <numeric>
#include <sys/resource.h>
#include <unistd.h>
#include <vector>

namespace yolk {

void SerialRunner::run(int count, const std::function<void(int)> &task)
{
    for (int i = 0; i < count; ++i)
        task(i);
}

namespace {

/// Lowers the priority of oneTBB's workers when they first help in an arena; the caller's own thread stays as it is.
class PoliteWorkers : public tbb::task_scheduler_observer {
public:
    explicit PoliteWorkers(tbb::task_arena &arena) : tbb::task_scheduler_observer(arena) { observe(true); }
    ~PoliteWorkers() override { observe(false); }
    void on_scheduler_entry(bool isWorker) override
    {
        constexpr int kNice = 5;
        if (isWorker)
            setpriority(PRIO_PROCESS, id_t(gettid()), kNice); // on Linux of this thread alone; failure does no harm
    }
};

} // namespace

struct ThreadRunner::Arena {
    explicit Arena(int threads) : arena(threads), workers(arena) {}
    tbb::task_arena arena;
    PoliteWorkers workers;
};

ThreadRunner::ThreadRunner(int threads)
    : arena_(std::make_unique<Arena>(threads > 0 ? threads : int(tbb::task_arena::automatic)))
{
}

ThreadRunner::~ThreadRunner() = default;

#ifdef YOLK_PLAIN_THREADS // ThreadSanitizer does not see how TBB hands work over, and takes all of it for races
void ThreadRunner::run(int count, const std::function<void(int)> &task)
{
    std::atomic<int> next = 0;
    std::exception_ptr error;
    std::mutex mutex;
    const auto work = [&] {
        for (int i = next++; i < count; i = next++)
            try {
                task(i);
            } catch (...) {
                const std::lock_guard lock(mutex);
                error = error ? error : std::current_exception();
                next = count;
            }
    };
    {
        std::vector<std::jthread> others;
        for (int t = 1; t < std::min(count, std::max(2, arena_->arena.max_concurrency())); ++t)
            others.emplace_back(work);
        work();
    }
    if (error)
        std::rethrow_exception(error);
}
#else
void ThreadRunner::run(int count, const std::function<void(int)> &task)
{
    arena_->arena.execute([&] {
        // Isolated, so that a thread waiting here never picks up an outer task and holds its locks twice.
        tbb::this_task_arena::isolate([&] { tbb::parallel_for(0, count, task, tbb::simple_partitioner()); });
    });
}
#endif

struct ExecContext::Meter {
    std::mutex mutex;
    Progress onProgress;
    double last = 0.0;
};

ExecContext::ExecContext(Runner &runner, std::stop_token stop, Progress onProgress)
    : runner_(&runner), stop_(std::move(stop)), meter_(std::make_shared<Meter>())
{
    meter_->onProgress = std::move(onProgress);
}

void ExecContext::throwIfStopped() const
{
    if (stop_.stop_requested())
        throw Cancelled();
}

void ExecContext::report(double fraction)
{
    if (!meter_->onProgress)
        return;
    const std::scoped_lock lock(meter_->mutex);
    meter_->last = std::max(meter_->last, std::min(fraction, 1.0));
    meter_->onProgress(meter_->last);
}

ExecContext ExecContext::part(double from, double to)
{
    return child([this, from, to](double p) { report(from + (to - from) * p); });
}

ExecContext ExecContext::child(Progress onProgress) const
{
    return ExecContext(*runner_, stop_, std::move(onProgress));
}

void forEachBand(ExecContext &ctx, int height, const std::function<void(int, int)> &body)
{
    const int bands = (height + kBandRows - 1) / kBandRows;
    std::mutex mutex;
    int done = 0;
    ctx.runner().run(bands, [&](int band) {
        ctx.throwIfStopped();
        body(band * kBandRows, std::min(height, (band + 1) * kBandRows));
        const std::scoped_lock lock(mutex);
        ctx.report(double(++done) / bands);
    });
    ctx.throwIfStopped();
}

void forEachPart(ExecContext &ctx, int count, const std::function<void(int, ExecContext &)> &body)
{
    std::mutex mutex;
    std::vector<double> done(size_t(count), 0.0);
    ctx.runner().run(count, [&](int i) {
        ctx.throwIfStopped();
        ExecContext own = ctx.child([&, i](double fraction) {
            const std::scoped_lock lock(mutex);
            done[size_t(i)] = fraction;
            ctx.report(std::accumulate(done.begin(), done.end(), 0.0) / count);
        });
        body(i, own);
        own.report(1.0);
    });
    ctx.throwIfStopped();
}

} // namespace yolk
