#include "jobs/lane.h"

namespace yolk::app {

int Lane::threads_ = 0;

Lane::Lane(Policy policy, QObject *parent) : QObject(parent), policy_(policy)
{
    pool_.setMaxThreadCount(1);
    ticker_.setInterval(100);
    connect(&ticker_, &QTimer::timeout, this, &Lane::changed);
}

Lane::~Lane()
{
    waiting_.clear();
    if (running_)
        running_->stop.request_stop();
    pool_.waitForDone();
}

void Lane::enqueue(std::shared_ptr<Job> job)
{
    if (!running_)
        return launch(std::move(job));
    if (policy_ != Policy::Queue)
        waiting_.clear();
    waiting_.push_back(std::move(job));
    if (policy_ == Policy::CancelRunning) {
        running_->superseded = true;
        running_->stop.request_stop();
    }
}

void Lane::launch(std::shared_ptr<Job> job)
{
    if (runnerThreads_ != threads_) { // nothing runs on it now
        runnerThreads_ = threads_;
        runner_ = std::make_unique<ThreadRunner>(threads_);
    }
    running_ = job;
    job->since.start();
    ticker_.start();
    Q_EMIT changed();
    pool_.start([this, job] {
        ExecContext ctx(*runner_, job->stop.get_token(), [&job](double p) { job->progress = p; });
        job->run(ctx);
        QMetaObject::invokeMethod(this, &Lane::finished, Qt::QueuedConnection);
    });
}

std::optional<double> Lane::secondsLeft() const
{
    constexpr double kSettled = 1.0, kSome = 0.05; // seconds and share of the work
    const double seconds = running_ ? double(running_->since.elapsed()) * 1e-3 : 0.0, done = progress();
    if (seconds < kSettled || done < kSome)
        return std::nullopt;
    return seconds * (1.0 - done) / done;
}

void Lane::finished()
{
    const std::shared_ptr<Job> job = std::move(running_);
    running_.reset();
    if (!waiting_.empty()) {
        const std::shared_ptr<Job> next = std::move(waiting_.front());
        waiting_.pop_front();
        launch(next);
    } else {
        ticker_.stop();
    }
    Q_EMIT changed();
    if (!job->superseded)
        job->deliver();
}

void Lane::cancel()
{
    waiting_.clear();
    if (running_)
        running_->stop.request_stop();
}

void Lane::discard()
{
    cancel();
    if (running_)
        running_->superseded = true;
}

} // namespace yolk::app
