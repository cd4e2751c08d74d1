// A run over many sets from the window: it goes on while one works, can wait, be stopped and gone on with.
#pragma once

#include "batch/batch_run.h"
#include "jobs/lane.h"

#include <QObject>
#include <QStringList>

#include <atomic>
#include <memory>

namespace yolk::app {

class SetRun : public QObject {
    Q_OBJECT
public:
    explicit SetRun(QObject *parent = nullptr);
    ~SetRun() override;

    /// Jobs whose files go to `out`. What was done before and is still there stays, unless it is to be done anew. Does
    /// nothing while a run is under way. Throws OutputError: the folder cannot be written.
    void start(const std::vector<BatchJob> &jobs, const QString &out, bool anew);
    /// The list of a run that was cut off, by a crash or by closing; empty: there is none. Going on begins with it.
    static QString cutOff();
    void goOn(const QString &list); ///< Throws InputError, OutputError.
    static void forgetCutOff();

    bool isRunning() const { return lane_.busy(); }
    bool isPaused() const { return *paused_; }
    void setPaused(bool on); ///< sets that have begun are finished
    void stop();

    const std::vector<BatchJob> &jobs() const { return jobs_; }
    const BatchProgress &progress() const { return progress_; }
    /// Of jobs that ended in this run or before, by the order in which they did.
    const std::vector<JobResult> &results() const { return results_; }
    QString out() const { return out_; }
    bool wasStopped() const { return wasStopped_; }
    QString reportPath() const;
    /// Before and after of the sets of this run as a PDF, in the background.
    void writeSheet(const QString &path);

Q_SIGNALS:
    void changed();
    void ended();
    void sheetWritten(const QString &path);
    void failed(const QString &message);

private:
    void take(Outcome<std::vector<JobResult>> outcome);
    Lane lane_, sheetLane_;
    std::shared_ptr<std::atomic<bool>> paused_ = std::make_shared<std::atomic<bool>>(false);
    std::vector<BatchJob> jobs_;
    std::vector<JobResult> results_;
    BatchProgress progress_;
    QString out_;
    bool wasStopped_ = false;
};

} // namespace yolk::app
