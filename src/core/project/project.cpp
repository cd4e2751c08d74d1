#include "project/project.h"

#include "recipe/json_values_p.h"
#include "recipe/recipe_json.h"
#include "render/set/measured_json.h"

#include <algorithm>

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

json recipeValue(const Recipe &recipe)
{
    return json::parse(recipeText(recipe));
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

std::vector<ProjectFrame> framesOf(const json &values)
{
    if (values.empty() || values.size() > kMostFrames)
        throw ArgumentError("frames: must be 1 to " + std::to_string(kMostFrames));
    std::vector<ProjectFrame> out;
    for (const json &value : values) {
        if (!value.is_object())
            throw ArgumentError("frames: must hold objects");
        ProjectFrame frame{textOfValue(value.value("name", json()), "frames.name"),
                           textOfValue(value.value("id", json()), "frames.id")};
        if (frame.name.empty() || frame.name == "." || frame.name == ".." ||
            frame.name.find('/') != std::string::npos || frame.name.find('\0') != std::string::npos)
            throw ArgumentError("frames.name: must be the name of a file without folders");
        out.push_back(std::move(frame));
    }
    return out;
}

} // namespace

std::string projectText(const Project &project)
{
    json root = project.unknown.empty() ? json::object() : json::parse(project.unknown);
    root["format"] = kFormat;
    root["version"] = kProjectVersion;
    if (!project.folder.empty())
        root["folder"] = project.folder;
    json &frames = root["frames"] = json::array();
    for (const ProjectFrame &frame : project.frames)
        frames.push_back({{"name", frame.name}, {"id", frame.id}});
    json &history = root["history"] = json::array();
    const std::span<const HistoryState> states = project.history.statesSoFar();
    for (const HistoryState &state : states.last(std::min(states.size(), kStatesKept + 1)))
        history.push_back({{"what", state.what}, {"settings", recipeValue(state.recipe)}});
    json &versions = root["versions"] = json::array();
    for (const ProjectVersion &version : project.versions)
        versions.push_back({{"name", version.name}, {"settings", recipeValue(version.recipe)}});
    if (project.measured)
        root["measured"] = json::parse(measuredText(*project.measured));
    // Names of files may be any bytes; frames are known by their content.
    return root.dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
}

Project parseProject(const std::string &text)
{
    checkDepth(text);
    json root = openedText(text, {kFormat, "project", "version", kProjectVersion});
    root.erase("format");
    root.erase("version");
    Project out;
    out.folder = taken(root, "folder", "").get<std::string>();
    out.frames = framesOf(taken(root, "frames", json::array()));
    const auto settingsIn = [](const json &value) {
        if (!value.is_object())
            throw ArgumentError("must be an object");
        return parseRecipe(value.value("settings", json()).dump()).recipe;
    };
    std::vector<HistoryState> states;
    for (const json &value : taken(root, "history", json::array()))
        states.push_back(within("history", [&] {
            return HistoryState{settingsIn(value), textOfValue(value.value("what", json("")), "what"), {}};
        }));
    if (states.empty())
        throw ArgumentError("history: holds no settings");
    out.history = History(std::move(states));
    for (const json &value : taken(root, "versions", json::array()))
        out.versions.push_back(within("versions", [&] {
            const Recipe recipe = settingsIn(value);
            return ProjectVersion{textOfValue(value.value("name", json("")), "name"), recipe};
        }));
    if (const json measured = taken(root, "measured", json::object()); !measured.empty())
        out.measured = within("measured", [&] { return parseMeasured(measured.dump()); });
    if (out.measured && out.measured->frames.size() != out.frames.size())
        throw ArgumentError("measured: is of " + std::to_string(out.measured->frames.size()) + " frames, not of " +
                            std::to_string(out.frames.size()));
    if (!root.empty())
        out.unknown = root.dump();
    return out;
}

bool isOf(const Project &project, std::span<const FramePtr> frames)
{
    std::vector<std::string> theirs, ours;
    for (const ProjectFrame &frame : project.frames)
        theirs.push_back(frame.id);
    for (const FramePtr &frame : frames)
        ours.push_back(frame->id);
    std::ranges::sort(theirs);
    std::ranges::sort(ours);
    return theirs == ours;
}

} // namespace yolk
