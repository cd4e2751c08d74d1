#include "sets/set_run.h"

#include "io/atomic_file.h"
#include "sets/contact_sheet.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QSettings>

#include <algorithm>
#include <thread>
#include <unistd.h>

namespace yolk::app {
namespace {

const QString kList = QStringLiteral("run/list"); // of the run that is under way

std::string fileOf(const QString &path)
{
    return QFile::encodeName(path).toStdString();
}

/// So many sets at a time: one a core takes the least time, but each takes memory.
int atOnce()
{
    constexpr double kBytesOfOne = 3e9; // nine frames of 24 megapixels, their merge and the picture
    const double memory = double(sysconf(_SC_PHYS_PAGES)) * double(sysconf(_SC_PAGE_SIZE));
    return std::clamp(int(0.5 * memory / kBytesOfOne), 1, std::max(1, int(std::thread::hardware_concurrency())));
}

} // namespace

SetRun::SetRun(QObject *parent)
    : QObject(parent), lane_(Lane::Policy::Queue, this), sheetLane_(Lane::Policy::Queue, this)
{
}

SetRun::~SetRun()
{
    *paused_ = false; // else the lane's end would wait for ever
}

QString SetRun::cutOff()
{
    const QString list = QSettings().value(kList).toString();
    return !list.isEmpty() && QFileInfo::exists(list) ? list : QString();
}

void SetRun::forgetCutOff()
{
    QFile::remove(QSettings().value(kList).toString());
    QSettings().remove(kList);
}

void SetRun::goOn(const QString &list)
{
    QFile file(list);
    if (!file.open(QIODevice::ReadOnly))
        throw InputError(fileOf(list), file.errorString().toStdString());
    std::vector<BatchJob> jobs;
    try {
        while (!file.atEnd())
            if (const QByteArray line = file.readLine().trimmed(); !line.isEmpty())
                jobs.push_back(parseJob(line.toStdString()));
    } catch (const ArgumentError &e) {
        throw InputError(fileOf(list), e.what());
    }
    if (jobs.empty())
        throw InputError(fileOf(list), "holds no sets");
    start(jobs, QFile::decodeName(jobs.front().out.c_str()), false);
}

void SetRun::start(const std::vector<BatchJob> &jobs, const QString &out, bool anew)
{
    if (isRunning() || jobs.empty())
        return;
    const auto marks = std::make_shared<const BatchMarks>(fileOf(out));
    std::string lines;
    for (const BatchJob &job : jobs)
        lines += lineOf(job) + "\n";
    const QString list = QDir(out).absoluteFilePath(QStringLiteral(".yolk-batch/run.jsonl"));
    writeTextAtomically(fileOf(list), lines);
    QSettings().setValue(kList, list);
    jobs_ = jobs;
    out_ = out;
    results_.clear();
    progress_ = {};
    progress_.all = jobs.size();
    *paused_ = false;
    wasStopped_ = false;
    const auto work = [this, jobs, marks, anew, paused = paused_](ExecContext &ctx) {
        BatchOptions options;
        options.atOnce = atOnce();
        options.resume = !anew;
        options.isPaused = [paused] { return paused->load(); };
        const auto finished = [this](const JobResult &result) {
            QMetaObject::invokeMethod(this, [this, result] {
                results_.push_back(result);
                Q_EMIT changed();
            });
        };
        const auto progress = [this, &ctx](const BatchProgress &now) {
            ctx.report(now.fraction);
            QMetaObject::invokeMethod(this, [this, now] {
                progress_ = now;
                Q_EMIT changed();
            });
        };
        return runBatch(jobs, *marks, options, finished, progress, ctx);
    };
    lane_.start<std::vector<JobResult>>(tr("Run over %1 sets").arg(jobs.size()), work,
                                        [this](Outcome<std::vector<JobResult>> outcome) { take(std::move(outcome)); });
    Q_EMIT changed();
}

void SetRun::take(Outcome<std::vector<JobResult>> outcome)
{
    wasStopped_ = outcome.cancelled;
    progress_.underWay.clear();
    forgetCutOff();
    if (outcome.result)
        results_ = std::move(*outcome.result); // with those that were done before
    try {
        if (!results_.empty())
            writeReport(fileOf(out_), results_, {});
    } catch (const Error &e) {
        outcome.error = QString::fromUtf8(e.what());
    }
    if (!outcome.error.isEmpty())
        Q_EMIT failed(outcome.error);
    Q_EMIT changed();
    Q_EMIT ended();
}

void SetRun::setPaused(bool on)
{
    *paused_ = on;
    Q_EMIT changed();
}

void SetRun::stop()
{
    *paused_ = false;
    lane_.cancel();
}

void SetRun::writeSheet(const QString &path)
{
    const auto work = [path, results = results_](ExecContext &ctx) {
        writeContactSheet(path, results, ctx);
        return true;
    };
    sheetLane_.start<bool>(tr("Contact sheet"), work, [this, path](const Outcome<bool> &outcome) {
        if (outcome.result)
            Q_EMIT sheetWritten(path);
        else if (!outcome.cancelled)
            Q_EMIT failed(outcome.error);
    });
}

QString SetRun::reportPath() const
{
    return QDir(out_).absoluteFilePath(QStringLiteral("report.html"));
}

} // namespace yolk::app
