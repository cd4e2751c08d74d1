#include "recipe/recipe_json.h"

#include "recipe/json_values_p.h"

#include <cmath>

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-recipe";

/// Takes keys out of an object as they are read, so that what stays is unknown.
class Section {
public:
    Section(json &parent, std::string key) : path_(std::move(key)), parent_(parent)
    {
        if (const auto it = parent_.find(path_); it != parent_.end()) {
            if (!it->is_object())
                throw ArgumentError(path_ + ": must be an object");
            values_ = std::move(*it);
            parent_.erase(it);
        }
    }
    ~Section()
    {
        if (!values_.empty())
            parent_[path_] = std::move(values_);
    }
    Section(const Section &) = delete;
    Section &operator=(const Section &) = delete;

    std::optional<json> take(std::string_view key)
    {
        const auto it = values_.find(std::string(key));
        if (it == values_.end())
            return std::nullopt;
        json value = std::move(*it);
        values_.erase(it);
        return value;
    }
    std::string path(std::string_view key) const { return path_ + "." + std::string(key); }

private:
    std::string path_;
    json &parent_;
    json values_ = json::object();
};

void readFrames(json &root, FrameChoice &out)
{
    Section section(root, "frames");
    if (const auto reference = section.take("reference"))
        out.reference = textOfValue(*reference, section.path("reference"));
    if (const auto keeper = section.take("keeper"))
        out.keeper = textOfValue(*keeper, section.path("keeper"));
    const auto readIds = [&](const char *key, std::set<std::string> &ids) {
        const auto list = section.take(key);
        if (list && !list->is_array())
            throw ArgumentError(section.path(key) + ": must be a list of frame ids");
        for (const json &id : list.value_or(json::array()))
            ids.insert(textOfValue(id, section.path(key)));
    };
    readIds("excluded", out.excluded);
    readIds("removed", out.removed);
    readIds("unaligned", out.unaligned);
    if (const auto influence = section.take("influence")) {
        if (!influence->is_object())
            throw ArgumentError(section.path("influence") + ": must be an object of frame ids and numbers");
        for (const auto &[id, value] : influence->items()) {
            const double factor = numberOfValue(value, section.path("influence"));
            if (!(factor >= 0.0 && factor <= 2.0))
                throw ArgumentError(section.path("influence") + " = " + shortestText(factor) + ": must lie in 0 to 2");
            out.influence[id] = factor;
        }
    }
    if (const auto exposure = section.take("exposure")) {
        if (!exposure->is_object())
            throw ArgumentError(section.path("exposure") + ": must be an object of frame ids and numbers");
        for (const auto &[id, value] : exposure->items()) {
            const double relative = numberOfValue(value, section.path("exposure"));
            if (!(relative >= 1e-9 && relative <= 1e9))
                throw ArgumentError(section.path("exposure") + " = " + shortestText(relative) +
                                    ": must lie in 1e-9 to 1e9");
            out.exposure[id] = relative;
        }
    }
}

double placeOfValue(const json &value, const std::string &path)
{
    constexpr double kFarthest = 1e6; // pixels
    const double out = numberOfValue(value, path);
    if (!(std::abs(out) <= kFarthest))
        throw ArgumentError(path + " = " + shortestText(out) + ": must lie in -1000000 to 1000000");
    return out;
}

void readRegions(json &root, MovementSettings &out)
{
    Section section(root, "movement");
    const auto list = section.take("regions");
    if (!list)
        return;
    const std::string path = section.path("regions");
    if (!list->is_array() || list->size() > kMostRegions)
        throw ArgumentError(path + ": must be a list of at most " + std::to_string(kMostRegions) + " areas");
    for (const json &value : *list) {
        if (!value.is_object() || !value.contains("points") || !value["points"].is_array() || value["points"].empty() ||
            value["points"].size() > kMostPoints)
            throw ArgumentError(path + ": an area must have 1 to " + std::to_string(kMostPoints) + " points");
        HandRegion region;
        forEachField(kHandRegionFields, [&](const auto &field) {
            const std::string key(field.key);
            if (value.contains(key))
                readField(region, field, value[key], path + "." + key);
        });
        region.frame = textOfValue(value.value("frame", json("")), path + ".frame");
        region.drawnOn = textOfValue(value.value("drawn_on", json("")), path + ".drawn_on");
        for (const json &point : value["points"]) {
            if (!point.is_array() || point.size() != 2)
                throw ArgumentError(path + ".points: must be pairs of numbers");
            region.points.push_back(
                {placeOfValue(point[0], path + ".points"), placeOfValue(point[1], path + ".points")});
        }
        out.regions.push_back(std::move(region));
    }
}

json regionsOf(const MovementSettings &movement)
{
    json out = json::array();
    for (const HandRegion &region : movement.regions) {
        json points = json::array();
        for (const Point &p : region.points)
            points.push_back({p.x, p.y});
        json value = {{"drawn_on", region.drawnOn}, {"points", points}};
        if (region.task == HandTask::TakeFrom)
            value["frame"] = region.frame;
        forEachField(kHandRegionFields,
                     [&](const auto &field) { value[std::string(field.key)] = valueOf(region, field); });
        out.push_back(std::move(value));
    }
    return out;
}

void readPreset(json &root, PresetUse &out)
{
    Section section(root, "preset");
    if (const auto name = section.take("name"))
        out.name = textOfValue(*name, section.path("name"));
    if (const auto amount = section.take("amount"))
        out.amount = numberOfValue(*amount, section.path("amount"));
    if (!(out.amount >= 0.0 && out.amount <= kMostPresetAmount))
        throw ArgumentError(section.path("amount") + " = " + shortestText(out.amount) + ": must lie in 0 to " +
                            shortestText(kMostPresetAmount));
}

void collectPaths(const json &object, const std::string &prefix, std::vector<std::string> &out)
{
    for (const auto &[key, value] : object.items()) {
        if (value.is_object() && !value.empty())
            collectPaths(value, prefix + key + ".", out);
        else
            out.push_back(prefix + key);
    }
}

} // namespace

ReadRecipe parseRecipe(const std::string &text)
{
    json root = json::parse(text, nullptr, false);
    if (!root.is_object() || root.value("format", json()) != json(kFormat))
        throw ArgumentError("is not a Yolk settings file");
    const json version = root.value("version", json());
    if (!version.is_number_integer() || version.get<long long>() < 1)
        throw ArgumentError("version: must be a whole number from 1");
    if (version.get<long long>() > kRecipeVersion)
        throw ArgumentError("was written by a newer Yolk (settings version " +
                            std::to_string(version.get<long long>()) + ", this one reads up to " +
                            std::to_string(kRecipeVersion) + ")");
    root.erase("format");
    root.erase("version");

    ReadRecipe out;
    readFrames(root, out.recipe.frames);
    readRegions(root, out.recipe.movement);
    readPreset(root, out.recipe.preset);
    forEachSection(out.recipe, [&](std::string_view key, auto &settings, const auto &table) {
        Section section(root, std::string(key));
        forEachField(table, [&](const auto &field) {
            const auto value = section.take(field.key);
            if (!value)
                return;
            readField(settings, field, *value, section.path(field.key));
        });
    });
    if (!root.empty()) {
        collectPaths(root, "", out.unknownPaths);
        out.unknown = root.dump();
    }
    return out;
}

std::string recipeText(const Recipe &recipe, const std::string &unknown)
{
    json root = {{"format", kFormat}, {"version", kRecipeVersion}};
    json &frames = root["frames"] = json::object();
    if (!recipe.frames.reference.empty())
        frames["reference"] = recipe.frames.reference;
    if (!recipe.frames.keeper.empty())
        frames["keeper"] = recipe.frames.keeper;
    if (!recipe.frames.excluded.empty())
        frames["excluded"] = recipe.frames.excluded;
    if (!recipe.frames.removed.empty())
        frames["removed"] = recipe.frames.removed;
    if (!recipe.frames.unaligned.empty())
        frames["unaligned"] = recipe.frames.unaligned;
    if (!recipe.frames.influence.empty())
        frames["influence"] = recipe.frames.influence;
    if (!recipe.frames.exposure.empty())
        frames["exposure"] = recipe.frames.exposure;
    forEachSection(recipe, [&](std::string_view key, const auto &settings, const auto &table) {
        json &section = root[std::string(key)];
        forEachField(table, [&](const auto &field) { section[std::string(field.key)] = valueOf(settings, field); });
    });
    if (!recipe.preset.name.empty())
        root["preset"] = {{"name", recipe.preset.name}, {"amount", recipe.preset.amount}};
    if (!recipe.movement.regions.empty())
        root["movement"]["regions"] = regionsOf(recipe.movement);
    if (!unknown.empty()) {
        json merged = json::parse(unknown);
        merged.merge_patch(root); // what this release knows wins
        root = std::move(merged);
    }
    return root.dump(2) + "\n";
}

} // namespace yolk
