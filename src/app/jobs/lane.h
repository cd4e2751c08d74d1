// A lane runs one job at a time on a worker thread and hands its result to the window's thread. What a new request does
// to those before it is the lane's policy.
#pragma once

#include "base/errors.h"
#include "base/exec_context.h"

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <QTimer>

#include <atomic>
#include <deque>
#include <functional>
#include <memory>
#include <new>
#include <optional>

namespace yolk::app {

template <class R> struct Outcome {
    std::optional<R> result;
    bool cancelled = false;
    QString error; ///< in words for people; empty unless the work failed
};

class Lane : public QObject {
    Q_OBJECT
public:
    enum class Policy {
        CancelRunning, ///< a new job ends the one under way
        FinishRunning, ///< it waits for it: for short jobs, so that a stream of requests still shows results
        Queue,         ///< all run, in order: for what must not be lost
    };
    Lane(Policy policy, QObject *parent);
    /// Asks the running job to stop and waits for it.
    ~Lane() override;
    /// How many threads jobs that start from now on take, in every lane; 0: one per core.
    static void setThreads(int threads) { threads_ = threads; }

    /// Runs work(ctx) on the lane's thread, then done(outcome) on this object's. `work` must hold values, never
    /// widgets. `done` is not called for a job that a newer one replaced.
    template <class R>
    void start(const QString &title, std::function<R(ExecContext &)> work, std::function<void(Outcome<R>)> done)
    {
        auto outcome = std::make_shared<Outcome<R>>();
        auto job = std::make_shared<Job>();
        job->title = title;
        job->run = [outcome, work = std::move(work)](ExecContext &ctx) {
            try { // one of the two edges where exceptions become words; the other is the command line's main()
                outcome->result = work(ctx);
            } catch (const Cancelled &) {
                outcome->cancelled = true;
            } catch (const std::bad_alloc &) {
                outcome->error = tr("There is not enough memory for this picture.");
            } catch (const std::exception &e) {
                outcome->error = QString::fromUtf8(e.what());
            }
        };
        job->deliver = [outcome, done = std::move(done)] { done(std::move(*outcome)); };
        enqueue(std::move(job));
    }

    /// Drops what waits and asks what runs to stop; its `done` is called with cancelled.
    void cancel();
    /// The same, but nobody is told: the results are no longer wanted.
    void discard();

    bool busy() const { return running_ != nullptr; }
    QString title() const { return running_ ? running_->title : QString(); }
    double progress() const { return running_ ? running_->progress.load() : 0.0; }
    /// Seconds until the running job is likely done, by its pace so far; empty while that says nothing yet.
    std::optional<double> secondsLeft() const;

Q_SIGNALS:
    void changed(); ///< busy, title or progress; at most ten times a second

private:
    struct Job {
        QString title;
        std::stop_source stop;
        std::atomic<double> progress{0.0};
        QElapsedTimer since;
        bool superseded = false;
        std::function<void(ExecContext &)> run;
        std::function<void()> deliver;
    };
    void enqueue(std::shared_ptr<Job> job);
    void launch(std::shared_ptr<Job> job);
    void finished();

    Policy policy_;
    static int threads_; // of jobs that start from now on; 0: one per core
    int runnerThreads_ = 0;
    std::unique_ptr<ThreadRunner> runner_ = std::make_unique<ThreadRunner>();
    std::shared_ptr<Job> running_;
    std::deque<std::shared_ptr<Job>> waiting_;
    QTimer ticker_;
    QThreadPool pool_; // last: destroyed first, while the runner still lives
};

} // namespace yolk::app
