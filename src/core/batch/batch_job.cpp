#include "batch/batch_job.h"

#include "base/errors.h"
#include "base/hash.h"
#include "base/text.h"
#include "frames/grouping.h"
#include "io/picture_formats.h"
#include "recipe/json_values_p.h"
#include "recipe/preset.h"

#include <algorithm>
#include <array>
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

/// So many frames a set, in the order of taking.
std::vector<std::vector<size_t>> inGroupsOf(size_t count, std::span<const FrameFacts> frames)
{
    std::vector<size_t> order(frames.size());
    for (size_t i = 0; i < order.size(); ++i)
        order[i] = i;
    std::ranges::stable_sort(
        order, [&](size_t a, size_t b) { return frames[a].time.value_or(0.0) < frames[b].time.value_or(0.0); });
    std::vector<std::vector<size_t>> out;
    for (size_t i = 0; i < order.size(); ++i) {
        if (i % count == 0)
            out.emplace_back();
        out.back().push_back(order[i]);
    }
    return out;
}

} // namespace

std::span<const std::string_view> frameSuffixes()
{
    static constexpr std::array<std::string_view, 38> kSuffixes{
        ".jpg", ".jpeg", ".tif", ".tiff", ".png", ".heic", ".heif", ".hif", ".avif", ".jxl", ".exr", ".hdr", ".pic",
        ".dng", ".3fr",  ".arw", ".cr2",  ".cr3", ".dcr",  ".erf",  ".iiq", ".kdc",  ".mos", ".mrw", ".nef", ".nrw",
        ".orf", ".pef",  ".raf", ".raw",  ".rw2", ".rwl",  ".sr2",  ".srf", ".srw",  ".x3f", ".mef", ".fff"};
    return kSuffixes;
}

std::string lineOf(const BatchJob &job)
{
    json exports = json::array();
    for (const ExportPreset &preset : job.exports)
        exports.push_back(json::parse(exportPresetText(preset)));
    return json{{"job", job.number},      {"frames", job.frames}, {"out", job.out},
                {"presets", job.presets}, {"exports", exports},   {"settings", job.settings}}
        .dump(-1, ' ', false, json::error_handler_t::replace);
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
    for (const std::string &path : job.frames) {
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
    std::vector<std::optional<FrameFacts>> facts(files.size());
    std::vector<std::string> errors(files.size());
    forEachPart(ctx, int(files.size()), [&](int i, ExecContext &) {
        try {
            facts[size_t(i)] = factsOf(files[size_t(i)]);
        } catch (const InputError &e) {
            errors[size_t(i)] = e.what();
        }
    });
    BatchList out;
    std::vector<FrameFacts> readable;
    std::vector<std::string> readablePaths;
    for (size_t i = 0; i < files.size(); ++i) {
        if (!facts[i]) {
            out.problems.push_back(errors[i]);
            continue;
        }
        readable.push_back(*facts[i]);
        readablePaths.push_back(files[i]);
    }
    if (readable.empty())
        throw ArgumentError("batch: there are no frames to work on");
    const auto groups = plan.group > 0 ? inGroupsOf(size_t(plan.group), readable) : groupFrames(readable);
    for (const std::vector<size_t> &group : groups) {
        BatchJob job{int(out.jobs.size()) + 1, {}, plan.out, plan.presets, plan.exports, plan.settings};
        for (const size_t i : group)
            job.frames.push_back(readablePaths[i]);
        out.jobs.push_back(std::move(job));
    }
    return out;
}

} // namespace yolk
