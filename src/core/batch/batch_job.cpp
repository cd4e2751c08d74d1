#include "batch/batch_job.h"

#include "base/errors.h"
#include "base/hash.h"
#include "base/text.h"
#include "frames/sorting.h"
#include "io/picture_formats.h"
#include "project/work_files.h"
#include "recipe/json_values_p.h"
#include "recipe/preset.h"

#include <algorithm>
#include <filesystem>
#include <set>

namespace yolk {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

std::vector<std::string> textsOf(const json &value, const char *name)
{
    if (!value.is_array())
        throw ArgumentError(std::string(name) + ": must be a list of texts");
    std::vector<std::string> out;
    for (const json &text : value)
        out.push_back(textOfValue(text, name));
    return out;
}

/// The frames among paths and in folders, in the order of their names; nothing twice.
std::vector<std::string> framesIn(const std::vector<std::string> &paths)
{
    std::set<std::string> out;
    for (const std::string &path : paths) {
        std::error_code error;
        if (!fs::exists(path, error))
            throw InputError(path, "there is no such file");
        if (!fs::is_directory(path)) {
            out.insert(path);
            continue;
        }
        for (const fs::directory_entry &entry : fs::directory_iterator(path, error)) {
            const std::string name = entry.path().string(), ext = extensionOf(name);
            if (entry.is_regular_file(error) && entry.path().filename().string().front() != '.' &&
                std::ranges::find(frameSuffixes(), ext) != frameSuffixes().end())
                out.insert(name);
        }
        if (error)
            throw InputError(path, error.message());
    }
    return {out.begin(), out.end()};
}

} // namespace

std::string lineOf(const BatchJob &job)
{
    json exports = json::array();
    for (const ExportPreset &preset : job.exports)
        exports.push_back(json::parse(exportPresetText(preset)));
    json out{{"job", job.number},      {"frames", job.frames}, {"out", job.out},
             {"presets", job.presets}, {"exports", exports},   {"settings", job.settings}};
    if (!job.project.empty())
        out["project"] = job.project;
    return out.dump(-1, ' ', false, json::error_handler_t::replace);
}

BatchJob parseJob(const std::string &line)
{
    const json root = json::parse(line, nullptr, false);
    if (!root.is_object() || !root.contains("frames") || !root.contains("exports") || !root["exports"].is_array() ||
        root["exports"].empty())
        throw ArgumentError("is no job of a batch");
    BatchJob out;
    const json number = root.value("job", json(1));
    if (!number.is_number_integer() || number.get<long long>() < 1 || number.get<long long>() > 1000000)
        throw ArgumentError("job: must be a whole number from 1");
    out.number = number.get<int>();
    out.frames = textsOf(root["frames"], "frames");
    out.out = textOfValue(root.value("out", json(".")), "out");
    out.presets = textsOf(root.value("presets", json::array()), "presets");
    out.settings = textsOf(root.value("settings", json::array()), "settings");
    out.project = textOfValue(root.value("project", json("")), "project");
    for (const json &preset : root["exports"])
        out.exports.push_back(parseExportPreset(preset.dump()));
    return out;
}

std::string keyOf(const BatchJob &job)
{
    Hasher hasher;
    BatchJob counted = job;
    counted.number = 1; // where it stands in the list does not matter
    hasher.text(lineOf(counted));
    std::vector<std::string> files = job.frames;
    if (!job.project.empty())
        files.push_back(job.project);
    for (const std::string &path : files) {
        std::error_code error;
        hasher.value(fs::file_size(path, error)).value(fs::last_write_time(path, error).time_since_epoch().count());
    }
    return hasher.finish().hex();
}

BatchList jobsOf(const std::vector<std::string> &paths, const BatchPlan &plan, ExecContext &ctx)
{
    for (const std::string &preset : plan.presets)
        static_cast<void>(presetNamed(preset));
    const std::vector<std::string> files = framesIn(paths);
    const SortedFrames sorted = sortIntoSets(files, plan.group, ctx);
    BatchList out;
    for (const InputError &problem : sorted.problems)
        out.problems.emplace_back(problem.what());
    if (sorted.paths.empty())
        throw ArgumentError("batch: there are no frames to work on");
    for (const std::vector<size_t> &group : sorted.sets) {
        BatchJob job{int(out.jobs.size()) + 1, {}, plan.out, plan.presets, plan.exports, plan.settings, {}};
        for (const size_t i : group)
            job.frames.push_back(sorted.paths[i]);
        if (plan.takesWork)
            job.project = workBeside(job.frames);
        out.jobs.push_back(std::move(job));
    }
    return out;
}

} // namespace yolk
