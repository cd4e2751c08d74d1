#include "recipe/sections.h"

#include "base/field_text.h"

#include <algorithm>
#include <cctype>

namespace yolk {
namespace {

void hashValue(Hasher &hasher, const std::string &text)
{
    hasher.text(text);
}

void hashValue(Hasher &hasher, const PointList &points)
{
    hasher.value(points.hash().high).value(points.hash().low);
}

template <class T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T>
void hashValue(Hasher &hasher, const T &value)
{
    hasher.value(value);
}

void hashValue(Hasher &hasher, const std::pair<const std::string, double> &named)
{
    hasher.text(named.first).value(named.second);
}

template <class T>
    requires requires(const T &values)
    {
        values.size();
    }
void hashValue(Hasher &hasher, const T &values)
{
    hasher.value(values.size());
    for (const auto &value : values)
        hashValue(hasher, value);
}

template <class S, class Table> void hashFields(Hasher &hasher, const S &settings, const Table &table)
{
    forEachField(table, [&](const auto &field) {
        const bool counts = isVisible(settings, field);
        hasher.value(counts);
        if (!counts)
            return;
        if constexpr (requires { field.items; }) {
            hasher.value((settings.*field.member).size());
            for (const auto &item : settings.*field.member)
                hashFields(hasher, item, *field.items);
        } else {
            hashValue(hasher, settings.*field.member);
        }
    });
}

/// Copies the fields of a section.
template <class Section> void copySection(const Section &section, const Recipe &from, Recipe &to)
{
    forEachField(*section.fields,
                 [&](const auto &field) { section.of(to).*field.member = section.of(from).*field.member; });
}

/// Calls visit(section, field) for the settings of a group.
template <class Visit> void forEachOf(Step step, std::string_view group, Visit &&visit)
{
    forEachSection([&](const auto &section) {
        if (section.step != step)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; }) {
                if (groupKey(field.group) == group)
                    visit(section, field);
            }
        });
    });
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

Recipe inForce(const Recipe &recipe)
{
    Recipe out = recipe;
    const Recipe neutral;
    for (const std::string &group : recipe.groups.off)
        forEachOf(Step::Colour, group, [&](const auto &section, const auto &field) {
            section.of(out).*field.member = section.of(neutral).*field.member;
        });
    return out;
}

Recipe withoutStep(const Recipe &recipe, Step step, const Recipe &start)
{
    Recipe out = recipe;
    forEachSection([&](const auto &section) {
        if (section.step == step)
            copySection(section, start, out);
    });
    return out;
}

Recipe withoutGroup(const Recipe &recipe, Step step, std::string_view group, const Recipe &start)
{
    Recipe out = recipe;
    forEachOf(step, groupKey(group), [&](const auto &section, const auto &field) {
        section.of(out).*field.member = section.of(start).*field.member;
    });
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
