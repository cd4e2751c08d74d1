#include "recipe/sections.h"

#include "base/field_hash.h"
#include "base/field_text.h"
#include "recipe/scaled_settings_p.h"

#include <algorithm>
#include <cctype>

namespace yolk {
namespace {

/// Copies the fields of a section.
template <class Section> void copySection(const Section &section, const Recipe &from, Recipe &to)
{
    forEachField(*section.fields,
                 [&](const auto &field) { section.of(to).*field.member = section.of(from).*field.member; });
}

/// Calls visit(section, field) for the settings that stand in a group.
template <class Visit> void forEachGrouped(Visit &&visit)
{
    forEachSection([&](const auto &section) {
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; })
                if (!field.group.empty() && section.stage != Stage::None)
                    visit(section, field);
        });
    });
}

/// The same of one group.
template <class Visit> void forEachOf(Step step, std::string_view group, Visit &&visit)
{
    forEachGrouped([&](const auto &section, const auto &field) {
        if (section.step == step && groupKey(field.group) == group)
            visit(section, field);
    });
}

/// Whether half of a value is half of what it does; a colour or a direction has no half.
template <class Section, class Field> bool isAmount(const Section &section, const Field &field)
{
    const bool held = section.inPresets == InPresets::Yes;
    if constexpr (IsReal<Field>)
        return (held || field.local) && field.unit != "K" && field.unit != "\u00b0";
    else
        return held && IsDrawn<Field>;
}

void forgetGroup(GroupSettings &groups, const std::string &key)
{
    groups.off.erase(key);
    groups.strength.erase(key);
    groups.names.erase(key);
}

Hash128 hashOf(Stage first, Stage last, const Recipe &recipe)
{
    Hasher hasher;
    forEachSection([&](const auto &section) {
        if (section.stage >= first && section.stage <= last)
            hashFields(hasher, section.of(recipe), *section.fields);
    });
    return hasher.finish();
}

} // namespace

std::string groupKey(std::string_view group)
{
    std::string out(group);
    std::ranges::transform(out, out.begin(), [](unsigned char c) { return c == ' ' ? '_' : char(std::tolower(c)); });
    return out;
}

std::span<const SettingGroup> settingGroups()
{
    static const std::vector<SettingGroup> groups = [] {
        std::vector<SettingGroup> out;
        forEachGrouped([&](const auto &section, const auto &field) {
            const std::string key = groupKey(field.group);
            auto at = std::ranges::find(out, key, &SettingGroup::key);
            if (at == out.end())
                at = out.insert(out.end(), {key, field.group, section.step, section.stage});
            at->canBeWeakened = at->canBeWeakened || isAmount(section, field);
        });
        std::ranges::stable_sort(out, {}, &SettingGroup::stage);
        return out;
    }();
    return groups;
}

namespace {

/// Where movement is not treated, nothing but that is.
void takeFromFrames(Recipe &recipe)
{
    const auto takes = [](const MendSpot &spot) { return isFromFrame(spot) && acts(spot); };
    if (std::none_of(recipe.mend.spots.begin(), recipe.mend.spots.end(), takes))
        return;
    MovementSettings &movement = recipe.movement;
    if (!isTreated(movement))
        movement = {.mode = MovementMode::On, .sensitivity = 0.0, .regions = {}};
    std::vector<MendSpot> spots = recipe.mend.spots.all();
    for (MendSpot &spot : spots)
        if (takes(spot)) {
            movement.regions.push_back({HandTask::TakeFrom, spot.frame, spot.drawnOn, spot.radius, spot.points});
            spot.frame.clear(); // it is said once
        }
    recipe.mend.spots = std::move(spots);
}

} // namespace

Recipe inForce(const Recipe &recipe, const Recipe &start)
{
    Recipe out = recipe;
    out.groups = {};
    if (recipe.groups.off.empty() && recipe.groups.strength.empty()) {
        takeFromFrames(out);
        return out;
    }
    forEachGrouped([&](const auto &section, const auto &field) {
        using Field = std::remove_cvref_t<decltype(field)>;
        const std::string key = groupKey(field.group);
        const auto strength = recipe.groups.strength.find(key);
        auto &value = section.of(out).*field.member;
        const auto &from = section.of(start).*field.member;
        if (recipe.groups.off.contains(key)) {
            value = from;
        } else if (strength != recipe.groups.strength.end() && isAmount(section, field)) {
            if constexpr (IsReal<Field>)
                value = from + (value - from) * strength->second / 100.0;
            else if constexpr (IsDrawn<Field>)
                value = scaled(field, value, strength->second);
        }
    });
    takeFromFrames(out);
    return out;
}

void turnTouchedGroupsOn(Recipe &recipe, const Recipe &before)
{
    if (recipe.groups.off.empty())
        return;
    forEachGrouped([&](const auto &section, const auto &field) {
        if (!(section.of(recipe).*field.member == section.of(before).*field.member))
            recipe.groups.off.erase(groupKey(field.group));
    });
}

Recipe withoutStep(const Recipe &recipe, Step step, const Recipe &start)
{
    Recipe out = recipe;
    forEachSection([&](const auto &section) {
        if (section.step == step)
            copySection(section, start, out);
    });
    out.groups = recipe.groups; // of all steps
    for (const SettingGroup &group : settingGroups())
        if (group.step == step)
            forgetGroup(out.groups, group.key);
    return out;
}

Recipe withoutGroup(const Recipe &recipe, Step step, std::string_view group, const Recipe &start)
{
    Recipe out = recipe;
    forEachOf(step, groupKey(group), [&](const auto &section, const auto &field) {
        section.of(out).*field.member = section.of(start).*field.member;
    });
    forgetGroup(out.groups, groupKey(group));
    return out;
}

bool isGroupChanged(Step step, std::string_view group, const Recipe &recipe, const Recipe &start)
{
    bool out = false;
    forEachOf(step, groupKey(group), [&](const auto &section, const auto &field) {
        out = out || !(section.of(recipe).*field.member == section.of(start).*field.member);
    });
    return out;
}

Hash128 hashUpTo(Stage last, const Recipe &recipe)
{
    return hashOf(Stage::Prepare, last, recipe);
}

bool areSameAt(Stage stage, const Recipe &a, const Recipe &b)
{
    return hashOf(stage, stage, a) == hashOf(stage, stage, b);
}

bool areSameUpTo(Stage last, const Recipe &a, const Recipe &b)
{
    return hashUpTo(last, a) == hashUpTo(last, b);
}

Recipe onlyUpTo(Stage last, const Recipe &recipe)
{
    Recipe out;
    forEachSection([&](const auto &section) {
        if (section.stage <= last)
            copySection(section, recipe, out);
    });
    return out;
}

bool isChanged(Step step, const Recipe &recipe, const Recipe &start)
{
    bool out = false;
    forEachSection([&](const auto &section) {
        if (section.step != step || section.stage == Stage::None)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            const auto &now = section.of(recipe), &then = section.of(start);
            const bool counts = isVisible(now, field) || isVisible(then, field);
            out = out || (counts && !(now.*field.member == then.*field.member));
        });
    });
    return out;
}

Recipe withoutPresets(const Recipe &recipe, const Recipe &start)
{
    Recipe out = recipe;
    forEachSection([&](const auto &section) {
        if (section.inPresets == InPresets::Yes)
            copySection(section, start, out);
    });
    out.preset = {};
    return out;
}

void setByPath(Recipe &recipe, std::string_view path, std::string_view value)
{
    bool found = false;
    forEachSection([&](const auto &section) {
        forEachField(*section.fields, [&](const auto &field) {
            if (found || pathOf(section, field) != path)
                return;
            found = true;
            assignText(section.of(recipe), field, value, std::string(path));
        });
    });
    if (!found)
        throw ArgumentError(std::string(path) + ": there is no such setting");
}

} // namespace yolk
