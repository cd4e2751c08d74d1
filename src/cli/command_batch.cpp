#include "commands.h"

#include "base/errors.h"
#include "batch/batch_run.h"
#include "io/picture_formats.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <iterator>
#include <set>
#include <thread>
#include <unistd.h>

namespace yolk::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
    std::vector<std::string> paths, presets, exportPresets, settings;
    std::string out, group = "auto", suffix = ".tif", line;
    int jobs = 0, job = 0;
    double settled = 10.0;
    bool work = false, resume = false, list = false, watch = false, json = false;
};

constexpr const char *kExamples =
    "Examples:\n"
    "  yolk-cli batch card/ --out finished --preset Poached --suffix jpg\n"
    "  yolk-cli batch card/ --out finished --resume          goes on after a stop, or helps another process\n"
    "  yolk-cli batch card/ --out finished --list | parallel -j 2 yolk-cli batch --line {}\n"
    "  sbatch --array=1-60 --wrap 'yolk-cli batch card/ --out finished --job $SLURM_ARRAY_TASK_ID'\n"
    "  yolk-cli batch tethered/ --out finished --watch       works on sets as they come in, until it is stopped";

BatchPlan planOf(const Options &options)
{
    BatchPlan out{options.out, 0, options.presets, {}, options.settings, options.work};
    if (options.group != "auto") {
        char *end = nullptr;
        const long count = std::strtol(options.group.c_str(), &end, 10);
        if (*end != '\0' || count < 1 || count > 15)
            throw ArgumentError("--group " + options.group + ": must be auto or a number from 1 to 15");
        out.group = int(count);
    }
    for (const std::string &file : options.exportPresets) {
        std::ifstream in(file, std::ios::binary);
        if (!in)
            throw InputError(file, std::strerror(errno));
        try {
            out.exports.push_back(parseExportPreset({std::istreambuf_iterator<char>(in), {}}));
        } catch (const ArgumentError &e) {
            throw InputError(file, e.what());
        }
    }
    if (out.exports.empty()) {
        ExportPreset plain;
        plain.settings.format =
            pictureFormatOf(options.suffix.starts_with('.') ? "x" + options.suffix : "x." + options.suffix);
        out.exports.push_back(plain);
    }
    Recipe trial; // a wrong setting is said before any work
    for (const std::string &entry : options.settings) {
        const size_t equals = entry.find('=');
        if (equals == std::string::npos)
            throw ArgumentError("--set " + entry + ": must read path=value");
        setByPath(trial, entry.substr(0, equals), entry.substr(equals + 1));
    }
    return out;
}

/// Says of a job what is to be said: its files on standard output, the rest on standard error.
void say(const JobResult &result, bool asJson)
{
    if (asJson) {
        nlohmann::json line{{"job", result.number}, {"files", result.files}, {"seconds", result.seconds}};
        if (!result.error.empty())
            line["error"] = result.error;
        std::cout << line.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) << std::endl;
    } else {
        for (const std::string &file : result.files)
            std::cout << file << std::endl;
    }
    for (const std::string &notice : result.notices)
        std::cerr << "yolk-cli: warning: set " << result.number << ": " << notice << "\n";
    if (!result.error.empty())
        std::cerr << "yolk-cli: set " << result.number << ": " << result.error << "\n";
}

void showLine(const BatchProgress &progress)
{
    std::fprintf(stderr, "\r%zu of %zu sets, %3d %%", progress.done, progress.all, int(progress.fraction * 100.0));
    if (progress.secondsLeft)
        std::fprintf(stderr, ", %.0f min left", std::ceil(*progress.secondsLeft / 60.0));
    std::fprintf(stderr, "   %s", progress.done == progress.all ? "\r                                        \r" : "");
}

/// Whether all files of a job have lain there unchanged for so many seconds.
bool isSettled(const BatchJob &job, double seconds)
{
    return std::ranges::all_of(job.frames, [&](const std::string &path) {
        std::error_code error;
        const auto age = fs::file_time_type::clock::now() - fs::last_write_time(path, error);
        return !error && std::chrono::duration<double>(age).count() >= seconds;
    });
}

} // namespace

Work addBatch(CLI::App &app)
{
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("batch", "sort frames into sets, and develop and write each of them");
    command->add_option("PATH", options->paths, "folders and frames")->type_name("DIR|FRAME...");
    command->add_option("--out", options->out, "the folder of the files, the report and the marks of what is done")
        ->type_name("DIR");
    command->add_option("--group", options->group, "so many frames a set, or by time and exposure (silent: auto)")
        ->type_name("N|auto");
    command->add_option("--preset", options->presets, "one of ours; with several each set is developed with each")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll)
        ->type_name("NAME");
    command
        ->add_option("--export-preset", options->exportPresets, "a way of writing; with several each set is written so")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll)
        ->type_name("FILE");
    command->add_option("--suffix", options->suffix, "the format where there is no export preset (silent: .tif)")
        ->type_name("SUFFIX");
    command->add_option("--set", options->settings, "one setting for all, as in tone.range=60")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll)
        ->type_name("path=value");
    command->add_flag("--work", options->work,
                      "takes the settings of the work that lies beside the frames of a set, where there is some");
    command->add_option("--jobs", options->jobs, "sets at a time (silent: one, with all cores)")->type_name("N");
    command->add_flag("--resume", options->resume,
                      "what was done before stays done; several processes may share a run");
    command->add_flag("--list", options->list, "prints the jobs, one a line, and does nothing");
    command->add_option("--job", options->job, "does job N of the list alone")->type_name("N");
    command->add_option("--line", options->line, "does one job as --list printed it")->type_name("JSON");
    command->add_flag("--watch", options->watch, "goes on looking for new frames until it is stopped");
    command->add_option("--settled", options->settled, "with --watch: seconds without a new frame that end a set (10)")
        ->type_name("SECONDS");
    command->add_flag("--json", options->json, "says what was done as JSON, a line a set");
    command->footer(kExamples);
    return [options](ExecContext &ctx) {
        const auto progress = isatty(STDERR_FILENO) ? showLine : std::function<void(const BatchProgress &)>();
        const auto finished = [&](const JobResult &result) { say(result, options->json); };
        const BatchOptions running{std::max(1, options->jobs), options->resume || options->watch};
        const auto failed = [](const std::vector<JobResult> &results) {
            return size_t(std::ranges::count_if(results, [](const JobResult &r) { return !r.error.empty(); }));
        };
        const auto end = [&](const std::vector<JobResult> &results) {
            if (const size_t bad = failed(results))
                throw Error(std::to_string(bad) + " of " + std::to_string(results.size()) + " sets could not be done");
        };
        if (!options->line.empty()) {
            const BatchJob job = parseJob(options->line);
            return end(runBatch({job}, BatchMarks(job.out), {1, true}, finished, progress, ctx));
        }
        if (options->paths.empty() || options->out.empty())
            throw ArgumentError("batch: folders or frames and --out DIR must be given");
        const BatchPlan plan = planOf(*options);
        ExecContext sorting = ctx.child({});
        if (options->watch) {
            std::set<std::string> givenUp; // not tried again as long as its frames stay what they are
            BatchList list;
            const auto remembered = [&](const JobResult &result) {
                finished(result);
                if (!result.error.empty())
                    givenUp.insert(keyOf(*std::ranges::find(list.jobs, result.number, &BatchJob::number)));
            };
            for (;;) {
                list = {};
                try {
                    list = jobsOf(options->paths, plan, sorting);
                } catch (const ArgumentError &) {
                    // no frames yet
                }
                std::erase_if(list.jobs, [&](const BatchJob &job) {
                    return !isSettled(job, options->settled) || givenUp.contains(keyOf(job));
                });
                const auto results = runBatch(list.jobs, BatchMarks(plan.out), running, remembered, progress, ctx);
                if (!list.jobs.empty())
                    writeReport(plan.out, results, list.problems);
                for (int i = 0; i < 10; ++i) {
                    ctx.throwIfStopped();
                    std::this_thread::sleep_for(std::chrono::milliseconds(100));
                }
            }
        }
        BatchList list = jobsOf(options->paths, plan, sorting);
        for (const std::string &problem : list.problems)
            std::cerr << "yolk-cli: warning: " << problem << "; left out\n";
        if (options->list) {
            for (const BatchJob &job : list.jobs)
                std::cout << lineOf(job) << "\n";
            return;
        }
        if (options->job != 0) {
            if (options->job < 1 || size_t(options->job) > list.jobs.size())
                throw ArgumentError("--job " + std::to_string(options->job) + ": there are " +
                                    std::to_string(list.jobs.size()));
            const BatchJob job = list.jobs[size_t(options->job - 1)];
            return end(runBatch({job}, BatchMarks(plan.out), {1, true}, finished, progress, ctx));
        }
        const auto results = runBatch(list.jobs, BatchMarks(plan.out), running, finished, progress, ctx);
        writeReport(plan.out, results, list.problems);
        end(results);
    };
}

} // namespace yolk::cli
