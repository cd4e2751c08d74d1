#include "recipe/recipe_json.h"

#include "recipe/json_values_p.h"
#include "recipe/sections.h"

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-recipe";

/// Takes keys out of an object as they are read, so that what stays is unknown.
class ReadSection {
public:
    ReadSection(json &parent, std::string key) : path_(std::move(key)), parent_(parent)
    {
        if (const auto it = parent_.find(path_); it != parent_.end()) {
            if (!it->is_object())
                throw ArgumentError(path_ + ": must be an object");
            values_ = std::move(*it);
            parent_.erase(it);
        }
    }
    ~ReadSection()
    {
        if (!values_.empty())
            parent_[path_] = std::move(values_);
    }
    ReadSection(const ReadSection &) = delete;
    ReadSection &operator=(const ReadSection &) = delete;

    std::optional<json> take(std::string_view key)
    {
        const auto it = values_.find(std::string(key));
        if (it == values_.end())
            return std::nullopt;
        json value = std::move(*it);
        values_.erase(it);
        return value;
    }

private:
    std::string path_;
    json &parent_;
    json values_ = json::object();
};

void collectPaths(const json &object, const std::string &prefix, std::vector<std::string> &out)
{
    for (const auto &[key, value] : object.items()) {
        if (value.is_object() && !value.empty())
            collectPaths(value, prefix + key + ".", out);
        else
            out.push_back(prefix + key);
    }
}

/// Tints were measured from the Planckian locus.
WhiteSettings whiteOfVersion1(WhiteSettings white)
{
    if (white.mode != WhiteMode::Own)
        return {white.mode};
    const WhitePoint now = fromPlanckian({white.temperature, white.tint});
    return {white.mode, now.temperature, now.tint};
}

} // namespace

ReadRecipe parseRecipe(const std::string &text)
{
    json root = openedText(text, {kFormat, "settings file", "version", kRecipeVersion});
    const int version = root["version"].get<int>();
    root.erase("format");
    root.erase("version");

    ReadRecipe out;
    forEachSection([&](const auto &section) {
        ReadSection values(root, std::string(section.key));
        forEachField(*section.fields, [&](const auto &field) {
            if (const auto value = values.take(field.key))
                readField(section.of(out.recipe), field, *value, pathOf(section, field));
        });
    });
    if (version < 2)
        out.recipe.white = whiteOfVersion1(out.recipe.white);
    if (!root.empty()) {
        collectPaths(root, "", out.unknownPaths);
        out.unknown = root.dump();
    }
    return out;
}

std::string recipeText(const Recipe &recipe, const std::string &unknown)
{
    json root = {{"format", kFormat}, {"version", kRecipeVersion}};
    forEachSection([&](const auto &section) {
        json &values = root[std::string(section.key)];
        if (values.is_null())
            values = json::object();
        forEachField(*section.fields, [&](const auto &field) {
            if (json value = valueOf(section.of(recipe), field); !value.is_null())
                values[std::string(field.key)] = std::move(value);
        });
    });
    if (!unknown.empty()) {
        json merged = json::parse(unknown);
        merged.merge_patch(root); // what this release knows wins
        root = std::move(merged);
    }
    return root.dump(2) + "\n";
}

} // namespace yolk
