#include "project/project.h"

#include "base/hash.h"
#include "recipe/json_values_p.h"
#include "recipe/recipe_json.h"
#include "render/set/measured_json.h"

#include <algorithm>
#include <limits>

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-project";

/// A text of brackets alone would eat the stack of whoever takes it apart.
void checkDepth(const std::string &text)
{
    constexpr int kDeepest = 32;
    int depth = 0;
    bool quoted = false;
    for (size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted && c == '\\')
            ++i;
        else if (c == '"')
            quoted = !quoted;
        else if (!quoted && (c == '{' || c == '['))
            ++depth;
        else if (!quoted && (c == '}' || c == ']'))
            --depth;
        if (depth > kDeepest)
            throw ArgumentError("is nested too deeply for a project");
    }
}

json recipeValue(const Recipe &recipe, const std::string &unknown = {})
{
    return json::parse(recipeText(recipe, unknown));
}

/// Errors of a part name it: "versions: tone.range = 900: ...".
template <class Read> auto within(const std::string &part, Read &&read)
{
    try {
        return read();
    } catch (const ArgumentError &e) {
        throw ArgumentError(part + ": " + e.what());
    }
}

/// Throws ArgumentError: not of the type of `otherwise`.
json taken(json &object, const char *key, json otherwise)
{
    const auto it = object.find(key);
    if (it == object.end())
        return otherwise;
    json out = std::move(*it);
    object.erase(it);
    if (out.type() != otherwise.type())
        throw ArgumentError(std::string(key) + ": is of the wrong type");
    return out;
}

/// The name of a file that lies beside others: a path could lead anywhere. Throws ArgumentError.
std::string checkedName(std::string name, const char *path)
{
    if (name.empty() || name == "." || name == ".." || name.find('/') != std::string::npos ||
        name.find('\0') != std::string::npos)
        throw ArgumentError(std::string(path) + ": must be the name of a file without folders");
    return name;
}

std::vector<ProjectFrame> framesOf(const json &values)
{
    if (values.size() > kMostFrames)
        throw ArgumentError("frames: must be at most " + std::to_string(kMostFrames));
    std::vector<ProjectFrame> out;
    for (const json &value : values) {
        if (!value.is_object())
            throw ArgumentError("frames: must hold objects");
        const json bytes = value.value("bytes", json(0));
        out.push_back({checkedName(textOfValue(value.value("name", json()), "frames.name"), "frames.name"),
                       textOfValue(value.value("id", json()), "frames.id"),
                       bytes.is_number_unsigned() ? bytes.get<uint64_t>() : 0});
    }
    return out;
}

json valueOf(const std::vector<ProjectFrame> &frames)
{
    json out = json::array();
    for (const ProjectFrame &frame : frames)
        out.push_back({{"name", frame.name}, {"id", frame.id}, {"bytes", frame.bytes}});
    return out;
}

} // namespace

std::string projectText(const Project &project)
{
    json root = project.unknown.empty() ? json::object() : json::parse(project.unknown);
    root["format"] = kFormat;
    root["version"] = std::max(project.version, kProjectVersion);
    if (!project.folder.empty())
        root["folder"] = project.folder;
    root["frames"] = valueOf(project.frames);
    if (!project.missing.empty())
        root["missing"] = valueOf(project.missing);
    json &history = root["history"] = json::array();
    const std::span<const HistoryState> states = project.history.statesSoFar();
    for (const HistoryState &state : states.last(std::min(states.size(), kStatesKept + 1)))
        history.push_back({{"what", state.what}, {"settings", recipeValue(state.recipe)}});
    history.back()["settings"] = recipeValue(project.history.current(), project.unknownSettings);
    json &versions = root["versions"] = json::array();
    for (const ProjectVersion &version : project.versions)
        versions.push_back({{"name", version.name}, {"settings", recipeValue(version.recipe, version.unknown)}});
    if (project.measured)
        root["measured"] = json::parse(measuredText(*project.measured));
    if (project.rating > 0)
        root["rating"] = project.rating;
    if (project.chosen)
        root["chosen"] = true;
    if (!project.across.empty())
        root["across"] = project.across;
    if (!project.radiance.empty())
        root["radiance"] = project.radiance;
    // Names of files may be any bytes; frames are known by their content.
    return root.dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
}

Project parseProject(const std::string &text)
{
    checkDepth(text);
    json root = openedText(text, {kFormat, "project", "version", std::numeric_limits<int>::max()});
    Project out;
    out.version = root["version"].get<int>();
    root.erase("format");
    root.erase("version");
    out.folder = taken(root, "folder", "").get<std::string>();
    out.frames = framesOf(taken(root, "frames", json::array()));
    if (out.frames.empty())
        throw ArgumentError("frames: must be at least one");
    out.missing = framesOf(taken(root, "missing", json::array()));
    const auto settingsIn = [](const json &value) {
        if (!value.is_object())
            throw ArgumentError("must be an object");
        return parseRecipe(value.value("settings", json()).dump());
    };
    std::vector<HistoryState> states;
    for (const json &value : taken(root, "history", json::array()))
        states.push_back(within("history", [&] {
            ReadRecipe read = settingsIn(value);
            out.unknownSettings = std::move(read.unknown);
            return HistoryState{std::move(read.recipe), textOfValue(value.value("what", json("")), "what"), {}};
        }));
    if (states.empty())
        throw ArgumentError("history: holds no settings");
    out.history = History(std::move(states));
    for (const json &value : taken(root, "versions", json::array()))
        out.versions.push_back(within("versions", [&] {
            ReadRecipe read = settingsIn(value);
            return ProjectVersion{textOfValue(value.value("name", json("")), "name"), std::move(read.recipe),
                                  std::move(read.unknown)};
        }));
    const json measured = taken(root, "measured", json::object());
    const json process = measured.value("process_version", json(0));
    const bool newer = process.is_number_integer() && process.get<long long>() > kProcessVersion;
    if (!measured.empty() && !newer)
        out.measured = within("measured", [&] { return parseMeasured(measured.dump()); });
    if (out.measured && out.measured->frames.size() != out.frames.size())
        throw ArgumentError("measured: is of " + std::to_string(out.measured->frames.size()) + " frames, not of " +
                            std::to_string(out.frames.size()));
    if (root.contains("rating") && root["rating"].is_number_integer()) { // else it is something that others know
        const long long rating = root["rating"].get<long long>();
        if (rating < 0 || rating > kBestRating)
            throw ArgumentError("rating = " + std::to_string(rating) + ": must lie in 0 to " +
                                std::to_string(kBestRating));
        out.rating = int(rating);
        root.erase("rating");
    }
    out.chosen = taken(root, "chosen", false).get<bool>();
    out.across = taken(root, "across", "").get<std::string>();
    out.radiance = taken(root, "radiance", "").get<std::string>();
    if (!out.radiance.empty())
        out.radiance = checkedName(out.radiance, "radiance");
    if (!root.empty())
        out.unknown = root.dump();
    return out;
}

std::string hashOfSettings(const Recipe &recipe)
{
    Hasher hasher;
    hasher.text(recipeText(recipe));
    return hasher.finish().hex();
}

bool isWorkedOnByHand(const Project &project)
{
    const Recipe &now = project.history.current();
    return now != project.history.opening() && hashOfSettings(now) != project.across;
}

void addMissing(Project &project, const ProjectFrame &frame)
{
    const auto isIt = [&](const ProjectFrame &other) { return other.id == frame.id; };
    if (std::ranges::none_of(project.missing, isIt) && std::ranges::none_of(project.frames, isIt))
        project.missing.push_back(frame);
}

bool isOf(const Project &project, std::span<const FramePtr> frames)
{
    std::vector<std::string> theirs, ours;
    for (const ProjectFrame &frame : project.frames)
        theirs.push_back(frame.id);
    for (const FramePtr &frame : frames)
        ours.push_back(frame->id);
    std::ranges::sort(ours);
    const auto isOurs = [&] {
        std::ranges::sort(theirs);
        return theirs == ours;
    };
    if (isOurs())
        return true;
    for (const ProjectFrame &frame : project.missing)
        theirs.push_back(frame.id);
    return isOurs();
}

} // namespace yolk
