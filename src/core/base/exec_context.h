// How an operation runs: on which threads, until when, and whom it tells how far it is.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>

namespace yolk {

/// Runs numbered tasks, in any order and on any threads, and returns when all are done.
/// An exception of a task is rethrown to the caller with its type.
class Runner {
public:
    virtual ~Runner() = default;
    virtual void run(int count, const std::function<void(int)> &task) = 0;
};

/// All tasks in order on the calling thread.
class SerialRunner : public Runner {
public:
    void run(int count, const std::function<void(int)> &task) override;
};

/// oneTBB behind the interface; `threads` 0 means one per core. oneTBB's own threads run at a lower priority, so that
/// the thread of a window gets its turn at once.
class ThreadRunner : public Runner {
public:
    explicit ThreadRunner(int threads = 0);
    ~ThreadRunner() override;
    void run(int count, const std::function<void(int)> &task) override;

private:
    struct Arena;
    std::unique_ptr<Arena> arena_;
};

using Progress = std::function<void(double fraction)>;

/// Runner, stop token and progress of one piece of work. Progress runs from 0 to 1, is serialised and never falls.
class ExecContext {
public:
    explicit ExecContext(Runner &runner, std::stop_token stop = {}, Progress onProgress = {});

    Runner &runner() const { return *runner_; }
    const std::stop_token &stopToken() const { return stop_; }
    bool stopRequested() const { return stop_.stop_requested(); }
    /// Throws Cancelled once a stop was requested.
    void throwIfStopped() const;
    void report(double fraction);
    /// A context whose 0..1 is from..to of this one: for one step of several. It must not outlive this one.
    ExecContext part(double from, double to);
    /// A context with this one's runner and stop token, and a progress of its own.
    ExecContext child(Progress onProgress) const;

private:
    struct Meter;
    Runner *runner_;
    std::stop_token stop_;
    std::shared_ptr<Meter> meter_;
};

inline constexpr int kBandRows = 64;

/// Calls body(y0, y1) for bands of kBandRows rows that cover [0, height): fixed bands, never "one per thread", so
/// that results do not depend on the number of threads. Looks at the stop token before each band, reports after each.
void forEachBand(ExecContext &ctx, int height, const std::function<void(int y0, int y1)> &body);

/// Calls body(i, own) for i in [0, count), all at once where the runner allows. Each has a context of its own whose
/// progress runs 0..1; this one's is their mean.
void forEachPart(ExecContext &ctx, int count, const std::function<void(int i, ExecContext &own)> &body);

} // namespace yolk
