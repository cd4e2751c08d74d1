// Running the jobs of a batch: each once, by whoever comes first, whatever happens to the others.
#pragma once

#include "base/exec_context.h"
#include "batch/batch_job.h"

#include <functional>
#include <optional>

namespace yolk {

/// What became of a job.
struct JobResult {
    int number = 0;
    std::vector<std::string> frames, files; ///< taken, and written; paths
    std::vector<std::string> notices;       ///< frames left out, range missing
    std::string error;                      ///< why it was not done; empty: it was
    std::string thumbnail;                  ///< a small JPEG of the first file; may be empty
    std::string before;                     ///< the same of the reference frame as it was taken
    double seconds = 0.0;
    bool operator==(const JobResult &) const = default;
};

/// Opens the set, develops it with each preset and writes each in every way. Frames that cannot be used are left out with a
/// notice. Files are named by the patterns, {name} being the first frame's and {number} the job's; with several presets
/// their names stand behind. Small pictures go to `thumbnail` and, as taken, to the same name with "-before"; empty: none.
/// Never throws but Cancelled: what goes wrong is the result's error.
JobResult runJob(const BatchJob &job, const std::string &thumbnail, ExecContext &ctx);

/// The marks of a run, in a folder of its own below the output: a job is claimed by a lock on a file, which ends with the
/// process that holds it, and done when its result stands there. Any number of processes may share it.
class BatchMarks {
public:
    /// Throws OutputError: the folder cannot be made.
    explicit BatchMarks(const std::string &out);

    /// While it lives nobody else gets the job.
    class Claim {
    public:
        Claim(Claim &&other) noexcept;
        Claim &operator=(Claim &&) = delete;
        ~Claim();

    private:
        friend class BatchMarks;
        explicit Claim(int fd) : fd_(fd) {}
        int fd_;
    };
    /// Empty when somebody has it.
    std::optional<Claim> claim(const std::string &key) const;
    /// Its result, once it is done and its files are there.
    std::optional<JobResult> done(const std::string &key) const;
    void setDone(const std::string &key, const JobResult &result) const; ///< Throws OutputError.
    void forget(const std::string &key) const;                           ///< that it was done
    std::string thumbnailOf(const BatchJob &job) const;

private:
    std::string folder_;
};

struct BatchOptions {
    int atOnce = 1;                   ///< jobs that run at a time
    bool resume = false;              ///< what was done before stays done; else all is done anew
    std::function<bool()> isPaused{}; ///< jobs that have not begun wait while it says so; asked on any thread
};
struct BatchProgress {
    size_t done = 0, all = 0;                       ///< jobs that are finished, here or elsewhere
    double fraction = 0.0;                          ///< of all, with those under way
    std::vector<std::pair<int, double>> underWay{}; ///< numbers of the jobs that run here, and how far they are
    std::optional<double> secondsLeft{};
};

/// Runs all jobs that nobody else has. `finished` is called for each job that this process did, `progress` now and then; both
/// one at a time. Results in the order of the jobs; those that another process has under way at the end are missing. Threads:
/// with one job at a time all of the runner's; with more, one each. Memory: that of the jobs under way. Throws Cancelled.
std::vector<JobResult> runBatch(const std::vector<BatchJob> &jobs, const BatchMarks &marks, const BatchOptions &options,
                                const std::function<void(const JobResult &)> &finished,
                                const std::function<void(const BatchProgress &)> &progress, ExecContext &ctx);

/// Of a run: what was done, what was not and why, as JSON and as a page with small pictures; a second page shows each set
/// before and after. Throws OutputError.
void writeReport(const std::string &out, const std::vector<JobResult> &results,
                 const std::vector<std::string> &problems);

} // namespace yolk
