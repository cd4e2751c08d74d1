#include "recipe/preset.h"

#include "base/field_text.h"
#include "recipe/builtin_presets_p.h"
#include "recipe/json_values_p.h"
#include "recipe/scaled_settings_p.h"
#include "recipe/sections.h"

#include <algorithm>
#include <iterator>
#include <optional>

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-preset";
constexpr int kVersion = 3;

/// Calls visit(section, field) for each setting that presets may hold.
template <class Visit> void forEachForPresets(Visit &&visit)
{
    forEachSection([&](const auto &section) {
        if (section.inPresets == InPresets::Yes)
            forEachField(*section.fields, [&](const auto &field) {
                using Field = std::remove_cvref_t<decltype(field)>;
                if constexpr (IsReal<Field> || IsChoice<Field> || IsSwitch<Field> || IsDrawn<Field>)
                    visit(section, field);
            });
    });
}

/// Calls visit(path, settings of the recipe, of the start, field) for each setting of a preset's parts.
template <class AnyRecipe, class Visit>
void forEachHeld(const std::set<std::string> &parts, AnyRecipe &recipe, const Recipe &start, Visit &&visit)
{
    forEachForPresets([&](const auto &section, const auto &field) {
        if (parts.contains(groupKey(field.group)))
            visit(pathOf(section, field), section.of(recipe), section.of(start), field);
    });
}

/// Brings a drawn member from what a preset made of it at `before` percent (empty: it is not the one in use) to what it is
/// at `now`, `start` at 0. A curve that was drawn on since stays; so do marks that are not the preset's.
template <class S, class Field, class Drawn>
void draw(S &settings, const Field &field, const Drawn &start, const Drawn &drawn, std::optional<double> before,
          double now)
{
    Drawn &member = settings.*field.member;
    const auto at = [&](double percent) { return percent > 0.0 ? scaled(field, drawn, percent) : start; };
    const Drawn of = before ? at(*before) : start;
    if constexpr (kIsPoints<std::remove_cvref_t<Field>>) {
        if (!before || member == of)
            member = at(now);
    } else {
        Drawn own;
        if (before)
            std::ranges::copy_if(member, std::back_inserter(own),
                                 [&](const auto &item) { return std::ranges::find(of, item) == of.end(); });
        member = at(now);
        for (const auto &item : own)
            if (member.size() < field.most)
                member.push_back(item);
    }
}

double distanceOf(const Preset &preset, const std::string &path)
{
    const auto it = preset.values.find(path);
    const double *number = it == preset.values.end() ? nullptr : std::get_if<double>(&it->second);
    return number ? *number : 0.0;
}

/// A name goes into recipes, file names and lists.
void checkWords(const std::string &text, const char *what, size_t longest, bool mayBeEmpty)
{
    const bool control = std::ranges::any_of(text, [](unsigned char c) { return c < 0x20 || c == 0x7f; });
    if ((text.empty() && !mayBeEmpty) || text.size() > longest || control)
        throw ArgumentError(std::string(what) + ": must be text of " + (mayBeEmpty ? "up to " : "1 to ") +
                            std::to_string(longest) + " characters in one line");
}

} // namespace

std::span<const PresetPart> presetParts()
{
    static const std::vector<PresetPart> parts = [] {
        std::vector<PresetPart> out;
        forEachForPresets([&](const auto &, const auto &field) {
            const std::string key = groupKey(field.group);
            if (std::ranges::find(out, key, &PresetPart::key) == out.end())
                out.push_back({key, field.group});
        });
        return out;
    }();
    return parts;
}

Recipe withPreset(const Recipe &recipe, const Preset &preset, double amount, const Recipe &start)
{
    if (!(amount >= 0.0 && amount <= kMostPresetAmount))
        throw ArgumentError("preset.amount = " + shortestText(amount) + ": must lie in 0 to " +
                            shortestText(kMostPresetAmount));
    Recipe out = recipe;
    const bool again = !preset.name.empty() && recipe.preset.name == preset.name;
    forEachHeld(
        preset.parts, out, start,
        [&](const std::string &path, auto &settings, const auto &automatic, const auto &field) {
            if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>) {
                const double distance = distanceOf(preset, path), neutral = automatic.*field.member;
                const auto at = [&](double percent) {
                    return std::clamp(neutral + distance * percent / 100.0, field.minimum, field.maximum);
                };
                const double byHand = again ? settings.*field.member - at(recipe.preset.amount) : 0.0;
                settings.*field.member = std::clamp(at(amount) + byHand, field.minimum, field.maximum);
            } else if constexpr (IsDrawn<std::remove_cvref_t<decltype(field)>>) {
                auto drawn = automatic;
                const auto it = preset.values.find(path);
                if (const auto *text = it == preset.values.end() ? nullptr : std::get_if<std::string>(&it->second))
                    readField(drawn, field, json::parse(*text), path);
                draw(settings, field, automatic.*field.member, drawn.*field.member,
                     again ? std::optional(recipe.preset.amount) : std::nullopt, amount);
            } else {
                const auto it = preset.values.find(path);
                const std::string *choice =
                    it == preset.values.end() || amount == 0.0 ? nullptr : std::get_if<std::string>(&it->second);
                if (choice)
                    assignText(settings, field, *choice, path);
                else
                    settings.*field.member = automatic.*field.member;
            }
        });
    out.preset = {preset.name, amount};
    return out;
}

Preset presetOf(const Recipe &recipe, const Recipe &start, const std::set<std::string> &parts)
{
    Preset out;
    out.parts = parts;
    forEachHeld(parts, recipe, start,
                [&](const std::string &path, const auto &settings, const auto &automatic, const auto &field) {
                    if (settings.*field.member == automatic.*field.member)
                        return;
                    if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>)
                        out.values[path] = settings.*field.member - automatic.*field.member;
                    else if constexpr (IsDrawn<std::remove_cvref_t<decltype(field)>>)
                        out.values[path] = valueOf(settings, field).dump();
                    else if constexpr (IsSwitch<decltype(field)>)
                        out.values[path] = std::string(settings.*field.member ? "on" : "off");
                    else
                        out.values[path] = std::string(keyOf(field, settings.*field.member));
                });
    return out;
}

Preset parsePreset(const std::string &text)
{
    const json root = openedText(text, {kFormat, "preset", "version", kVersion});
    Preset out;
    out.name = textOfValue(root.value("name", json()), "name");
    out.group = textOfValue(root.value("group", json()), "group");
    out.description = textOfValue(root.value("description", json("")), "description");
    checkWords(out.name, "name", 60, false);
    checkWords(out.group, "group", 60, false);
    checkWords(out.description, "description", 200, true);
    const json parts = root.value("parts", json());
    if (!parts.is_array() || parts.empty())
        throw ArgumentError("parts: must be a list of what the preset decides");
    for (const json &part : parts) {
        const std::string key = textOfValue(part, "parts");
        if (std::ranges::find(presetParts(), key, &PresetPart::key) == presetParts().end())
            throw ArgumentError("parts: there is no part " + key);
        out.parts.insert(key);
    }
    if (root["version"].get<int>() < 2 && out.parts.contains("method"))
        out.parts.insert("detail"); // was a part of it
    const json values = root.value("values", json::object());
    if (!values.is_object())
        throw ArgumentError("values: must be an object");
    std::set<std::string> unread;
    for (const auto &[path, value] : values.items())
        unread.insert(path);
    Recipe any;
    const Recipe neutral;
    forEachHeld(out.parts, any, neutral, [&](const std::string &path, auto &settings, const auto &, const auto &field) {
        if (!values.contains(path))
            return;
        unread.erase(path);
        if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>) {
            const double distance = numberOfValue(values[path], path), most = field.maximum - field.minimum;
            if (!(distance >= -most && distance <= most))
                throw ArgumentError(path + " = " + shortestText(distance) + ": must lie in " + shortestText(-most) +
                                    " to " + shortestText(most));
            out.values[path] = distance;
        } else if constexpr (IsDrawn<std::remove_cvref_t<decltype(field)>>) {
            readField(settings, field, values[path], path); // checks it
            out.values[path] = values[path].dump();
        } else {
            assignText(settings, field, textOfValue(values[path], path), path); // checks it
            out.values[path] = textOfValue(values[path], path);
        }
    });
    if (!unread.empty())
        throw ArgumentError(*unread.begin() + ": is no setting of the parts of this preset");
    return out;
}

std::string presetText(const Preset &preset)
{
    json values = json::object();
    for (const auto &[path, value] : preset.values)
        std::visit([&, &key = path](const auto &v) { values[key] = v; }, value);
    Recipe any;
    const Recipe neutral;
    forEachHeld(preset.parts, any, neutral, [&](const std::string &path, auto &, const auto &, const auto &field) {
        if constexpr (IsDrawn<std::remove_cvref_t<decltype(field)>>)
            if (values.contains(path))
                values[path] = json::parse(values[path].template get<std::string>());
    });
    return json{{"format", kFormat},
                {"version", kVersion},
                {"name", preset.name},
                {"group", preset.group},
                {"description", preset.description},
                {"parts", preset.parts},
                {"values", values}}
               .dump(2) +
           "\n";
}

std::span<const Preset> builtInPresets()
{
    static const std::vector<Preset> presets = [] {
        std::vector<Preset> out;
        for (const std::string_view text : kBuiltInPresets)
            out.push_back(parsePreset(std::string(text)));
        return out;
    }();
    return presets;
}

const Preset &presetNamed(std::string_view name)
{
    std::string known;
    for (const Preset &preset : builtInPresets()) {
        if (preset.name == name)
            return preset;
        known += (known.empty() ? "" : ", ") + preset.name;
    }
    throw ArgumentError("preset " + std::string(name) + ": there is none of this name; there are " + known);
}

} // namespace yolk
