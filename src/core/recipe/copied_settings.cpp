#include "recipe/copied_settings.h"

#include "recipe/json_values_p.h"
#include "recipe/preset.h"
#include "recipe/recipe_json.h"
#include "recipe/sections.h"

#include <algorithm>

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-copied-settings";
constexpr int kVersion = 1;

template <class Value>
void copyKey(std::map<std::string, Value> &to, const std::map<std::string, Value> &from, const std::string &key)
{
    to.erase(key);
    if (const auto it = from.find(key); it != from.end())
        to.insert(*it);
}

} // namespace

Recipe withCopied(const Recipe &to, const Recipe &start, const CopiedSettings &copied,
                  const std::set<std::string> &groups)
{
    Recipe out = to;
    forEachSection([&](const auto &section) {
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; }) {
                if (section.stage == Stage::None || !groups.contains(groupKey(field.group)))
                    return;
                auto &value = section.of(out).*field.member;
                value = section.of(copied.settings).*field.member;
                if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>)
                    if (section.inPresets == InPresets::Yes) {
                        const double distance = value - section.of(copied.start).*field.member;
                        value = std::clamp(section.of(start).*field.member + distance, field.minimum, field.maximum);
                    }
            }
        });
    });
    for (const std::string &key : groups) {
        out.groups.off.erase(key);
        if (copied.settings.groups.off.contains(key))
            out.groups.off.insert(key);
        copyKey(out.groups.strength, copied.settings.groups.strength, key);
        copyKey(out.groups.names, copied.settings.groups.names, key);
    }
    const auto comes = [&](const PresetPart &part) { return groups.contains(part.key); };
    if (std::ranges::all_of(presetParts(), comes))
        out.preset = copied.settings.preset;
    else if (std::ranges::any_of(presetParts(), comes))
        out.preset = {};
    return out;
}

std::set<std::string> changedGroups(const CopiedSettings &copied)
{
    std::set<std::string> out;
    for (const SettingGroup &group : settingGroups())
        if (withCopied(copied.start, copied.start, copied, {group.key}) != copied.start)
            out.insert(group.key);
    return out;
}

std::set<std::string> changedLooks(const CopiedSettings &copied)
{
    std::set<std::string> out = changedGroups(copied);
    for (const SettingGroup &group : settingGroups())
        if (group.step != Step::Tone && group.step != Step::Colour && group.step != Step::Finish)
            out.erase(group.key);
    return out;
}

std::string copiedText(const CopiedSettings &copied)
{
    const json root = {{"format", kFormat},
                       {"version", kVersion},
                       {"settings", json::parse(recipeText(copied.settings))},
                       {"start", json::parse(recipeText(copied.start))}};
    return root.dump() + "\n";
}

CopiedSettings parseCopied(const std::string &text)
{
    const json root = openedText(text, {kFormat, "copy of settings", "version", kVersion});
    return {parseRecipe(root.value("settings", json()).dump()).recipe,
            parseRecipe(root.value("start", json()).dump()).recipe};
}

} // namespace yolk
