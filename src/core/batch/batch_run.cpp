#include "batch/batch_run.h"

#include "base/errors.h"
#include "base/memory.h"
#include "base/text.h"
#include "frames/measure.h"
#include "io/atomic_file.h"
#include "io/jpeg.h"
#include "project/opened_set.h"
#include "project/work_files.h"
#include "recipe/preset.h"
#include "render/files/display_codes.h"
#include "render/files/output.h"
#include "render/stages/align_stage.h"
#include "render/views/frame_scene.h"

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <mutex>
#include <sys/file.h>
#include <thread>
#include <unistd.h>
#include <utility>

namespace yolk {
namespace {

namespace fs = std::filesystem;
constexpr size_t kCacheBytes = size_t(1) << 30; // a full merge, so that several files need one
constexpr int kSmall = 360;                     // pixels of the report's pictures

/// Says what is odd about the set.
void addNotices(const OpenedSet &set, std::vector<std::string> &notices)
{
    for (const InputError &problem : set.problems)
        notices.push_back(fs::path(problem.file()).filename().string() +
                          std::string(problem.what()).substr(problem.file().size()) + "; left out");
    const Bracket bracket = bracketOf(set.sources, set.measured, set.recipe);
    for (const BracketFrame &f : bracket.frames)
        if (!f.usable && !f.notices.empty())
            notices.push_back(f.frame->name + ": " + f.notices.front() + "; left out");
    for (const std::string &notice : bracket.notices)
        notices.push_back(notice);
}

/// The reference frame as its file shows it, as a small JPEG.
void writeBefore(const OpenedSet &set, const std::string &path, ExecContext &ctx)
{
    const Bracket bracket = bracketOf(set.sources, set.measured, set.recipe);
    const BracketFrame &reference = bracket.frames[bracket.reference];
    const Shape shape = fittedSize(reference.frame->width, reference.frame->height, kSmall, kSmall);
    const Image<float> picture =
        lookAtFrame(set.sources, size_t(reference.given - 1), set.recipe, set.measured,
                    {measuringReduction(*reference.frame), {}, shape.width, shape.height}, ctx);
    constexpr int kQuality = 90;
    writeAtomically(path, [&](const std::string &temporary) {
        writeJpeg(temporary, picture.width(), picture.height(), kQuality, {},
                  [&](int y, std::span<uint8_t> row) { encodeRow8(picture.view(), y, row); });
    });
}

std::string inSmallLetters(std::string text)
{
    std::ranges::transform(text, text.begin(), [](unsigned char c) { return c == ' ' ? '-' : char(std::tolower(c)); });
    return text;
}

} // namespace

JobResult runJob(const BatchJob &job, const std::string &thumbnail, ExecContext &ctx)
{
    const auto began = std::chrono::steady_clock::now();
    JobResult out{job.number, job.frames, {}, {}, {}, {}, {}, 0.0};
    try {
        ExecContext opening = ctx.part(0.0, 0.3), writing = ctx.part(0.3, 1.0);
        FindWork findWork;
        if (!job.project.empty())
            findWork = [&](std::span<const FramePtr>) { return loadProject(job.project); };
        const OpenedSet set = openSet(job.frames, findWork, kCacheBytes, opening);
        const int rating = set.work ? set.work->rating : 0;
        addNotices(set, out.notices);
        const std::vector<std::string> presets = job.presets.empty() ? std::vector<std::string>{""} : job.presets;
        const double count = double(presets.size() * job.exports.size());
        double at = 0.0;
        for (const std::string &preset : presets)
            for (const ExportPreset &way : job.exports) {
                Recipe recipe =
                    preset.empty() ? set.recipe : withPreset(set.recipe, presetNamed(preset), 100.0, set.start);
                recipe.output = way.settings;
                for (const std::string &entry : job.settings) {
                    const size_t equals = entry.find('=');
                    setByPath(recipe, entry.substr(0, equals),
                              equals == std::string::npos ? "" : entry.substr(equals + 1));
                }
                const RenderPlan plan(set.sources, set.measured, recipe);
                const Rect area = pictureArea(plan);
                fs::path name = outputNameOf(recipe.output, {job.frames.front(), plan.reference().metadata, rating,
                                                             job.number, area.width(), area.height()});
                if (presets.size() > 1)
                    name = name.stem().string() + "-" + inSmallLetters(preset) + name.extension().string();
                const fs::path folder = way.folder.empty() ? fs::path(job.out) : fs::path(way.folder);
                fs::create_directories(folder);
                const std::string path = (folder / name).string();
                ExecContext own = writing.part(at / count, (at + 1.0) / count);
                exportPicture(set.sources, recipe, set.measured, {path, 0, 0, rating}, own);
                out.files.push_back(path);
                if (at == 0.0 && !thumbnail.empty()) {
                    Recipe small = recipe;
                    small.output = {};
                    ExecContext quick = ctx.child({});
                    exportPicture(set.sources, small, set.measured, {thumbnail, kSmall, kSmall}, quick);
                    out.thumbnail = thumbnail;
                    const fs::path shown(thumbnail);
                    out.before = (shown.parent_path() / (shown.stem().string() + "-before.jpg")).string();
                    writeBefore(set, out.before, quick);
                }
                at += 1.0;
            }
    } catch (const Cancelled &) {
        throw;
    } catch (const std::bad_alloc &) {
        out.error = "not enough memory for this set";
    } catch (const std::exception &e) {
        out.error = e.what();
    }
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    return out;
}

BatchMarks::BatchMarks(const std::string &out) : folder_((fs::path(out) / ".yolk-batch").string())
{
    std::error_code error;
    fs::create_directories(folder_, error);
    if (error)
        throw OutputError(folder_, error.message());
}

BatchMarks::Claim::Claim(Claim &&other) noexcept : fd_(std::exchange(other.fd_, -1))
{
}

BatchMarks::Claim::~Claim()
{
    if (fd_ >= 0)
        close(fd_); // and with it the lock goes
}

std::optional<BatchMarks::Claim> BatchMarks::claim(const std::string &key) const
{
    const std::string path = folder_ + "/" + key + ".claim";
    const int fd = open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (fd < 0)
        throw OutputError(path, std::strerror(errno));
    Claim out(fd);
    if (flock(fd, LOCK_EX | LOCK_NB) != 0)
        return std::nullopt;
    return out;
}

std::string BatchMarks::thumbnailOf(const BatchJob &job) const
{
    return folder_ + "/" + textOf("%04d-", job.number) + keyOf(job).substr(0, 8) + ".jpg";
}

namespace {

using Clock = std::chrono::steady_clock;

/// What the workers of a run share.
struct Shared {
    std::mutex mutex;
    size_t next = 0;
    std::vector<std::optional<JobResult>> results;
    std::vector<double> underWay; ///< fractions of the jobs that run here
    std::vector<int> numbers;     ///< of those; 0: none
    size_t doneHere = 0;
    Clock::time_point began = Clock::now(), said{};
};

} // namespace

std::vector<JobResult> runBatch(const std::vector<BatchJob> &jobs, const BatchMarks &marks, const BatchOptions &options,
                                const std::function<void(const JobResult &)> &finished,
                                const std::function<void(const BatchProgress &)> &progress, ExecContext &ctx)
{
    std::vector<std::string> keys;
    for (const BatchJob &job : jobs)
        keys.push_back(keyOf(job));
    if (!options.resume)
        for (const std::string &key : keys)
            marks.forget(key);
    Shared shared;
    shared.results.resize(jobs.size());
    const size_t workers = size_t(std::clamp(options.atOnce, 1, 64));
    shared.underWay.assign(workers, 0.0);
    shared.numbers.assign(workers, 0);
    const auto say = [&](bool now) { // under the lock
        constexpr auto kEvery = std::chrono::milliseconds(200);
        if (!progress || (!now && Clock::now() - shared.said < kEvery))
            return;
        shared.said = Clock::now();
        BatchProgress out;
        out.all = jobs.size();
        double running = 0.0;
        for (size_t worker = 0; worker < workers; ++worker)
            if (const int number = shared.numbers[worker]) {
                running += shared.underWay[worker];
                out.underWay.emplace_back(number, shared.underWay[worker]);
            }
        for (const auto &result : shared.results)
            out.done += result.has_value();
        out.fraction = jobs.empty() ? 1.0 : std::min(1.0, (double(out.done) + running) / double(jobs.size()));
        const double here = double(shared.doneHere) + running;
        if (here > 0.5)
            out.secondsLeft = std::chrono::duration<double>(Clock::now() - shared.began).count() / here *
                              (double(jobs.size() - out.done) - running);
        progress(out);
    };
    const auto work = [&](size_t worker, Runner &alone) {
        for (;;) {
            constexpr auto kLook = std::chrono::milliseconds(50);
            while (options.isPaused && options.isPaused() && !ctx.stopToken().stop_requested())
                std::this_thread::sleep_for(kLook);
            size_t i = 0;
            {
                const std::scoped_lock lock(shared.mutex);
                if (shared.next == jobs.size())
                    return;
                i = shared.next++;
            }
            ctx.throwIfStopped();
            if (auto before = marks.done(keys[i])) {
                const std::scoped_lock lock(shared.mutex);
                shared.results[i] = std::move(before);
                say(true);
                continue;
            }
            const auto claim = marks.claim(keys[i]);
            if (!claim)
                continue;                            // somebody else is at it
            if (auto before = marks.done(keys[i])) { // and was done between the two looks
                const std::scoped_lock lock(shared.mutex);
                shared.results[i] = std::move(before);
                continue;
            }
            {
                const std::scoped_lock lock(shared.mutex);
                shared.numbers[worker] = jobs[i].number;
                say(true);
            }
            // The last ones share all cores: else those would idle whose worker finds nothing more to do.
            const bool isLast = jobs.size() - i < workers;
            ExecContext own(isLast ? ctx.runner() : alone, ctx.stopToken(), [&](double fraction) {
                const std::scoped_lock lock(shared.mutex);
                shared.underWay[worker] = std::min(fraction, 0.999);
                say(false);
            });
            JobResult result = runJob(jobs[i], marks.thumbnailOf(jobs[i]), own);
            giveBackFreedMemory();
            try {
                if (result.error.empty())
                    marks.setDone(keys[i], result);
            } catch (const OutputError &e) {
                result.error = e.what();
            }
            const std::scoped_lock lock(shared.mutex);
            shared.underWay[worker] = 0.0;
            shared.numbers[worker] = 0;
            ++shared.doneHere;
            if (finished)
                finished(result);
            shared.results[i] = std::move(result);
            say(true);
        }
    };
    if (workers == 1) {
        work(0, ctx.runner());
    } else {
        std::vector<std::exception_ptr> failures(workers);
        std::vector<std::thread> threads;
        for (size_t worker = 0; worker < workers; ++worker)
            threads.emplace_back([&, worker] {
                try {
                    SerialRunner serial;
                    work(worker, serial);
                } catch (...) {
                    failures[worker] = std::current_exception();
                }
            });
        for (std::thread &thread : threads)
            thread.join();
        for (const std::exception_ptr &failure : failures)
            if (failure)
                std::rethrow_exception(failure);
    }
    std::vector<JobResult> out;
    for (size_t i = 0; i < jobs.size(); ++i) {
        if (!shared.results[i])
            shared.results[i] = marks.done(keys[i]); // by somebody else, meanwhile
        if (shared.results[i])
            out.push_back(std::move(*shared.results[i]));
    }
    return out;
}

} // namespace yolk
