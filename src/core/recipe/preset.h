// Presets: some settings, as distances from the automatic start, so that each suits itself to the picture.
#pragma once

#include "recipe/recipe.h"

#include <map>
#include <set>
#include <span>
#include <string>
#include <variant>
#include <vector>

namespace yolk {

struct Preset {
    std::string name, group, description; ///< in words; the name is what a recipe and the command line call it by
    std::set<std::string> parts;          ///< which settings it decides: keys of presetParts()
    /// By path, as "tone.range": a number is added to the automatic start; text is a choice or a switch, or JSON of the
    /// points of a curve or of a list of marks. Other settings of its parts are those of the start.
    std::map<std::string, std::variant<double, std::string>> values;
    bool operator==(const Preset &) const = default;
};

/// A group of settings that a preset may hold: the rows of one group in the sections that are for presets.
struct PresetPart {
    std::string key;       ///< in files: the group in lower case
    std::string_view name; ///< the group
};
std::span<const PresetPart> presetParts(); ///< in the order of the sections

/// `recipe` with the preset at `amount` percent of its distances; a choice is taken whatever the amount, but at 0. Points of
/// a curve move away from the straight one by the amount, and of marks the numbers that go either way from 0. What was set
/// by hand on top of a preset of the same name in the recipe stays on top; a curve that was drawn on stays as it was drawn.
/// `start` holds the automatic values.
/// Throws ArgumentError (amount).
Recipe withPreset(const Recipe &recipe, const Preset &preset, double amount, const Recipe &start);

/// What `parts` of a recipe are against the start. Name, group and description are the caller's.
Preset presetOf(const Recipe &recipe, const Recipe &start, const std::set<std::string> &parts);

/// JSON text and back. Throws ArgumentError: no preset, a newer version, or the path of a bad value.
Preset parsePreset(const std::string &text);
std::string presetText(const Preset &preset);

/// Ours, in the order of their groups.
std::span<const Preset> builtInPresets();
/// Throws ArgumentError that names those there are.
const Preset &presetNamed(std::string_view name);

} // namespace yolk
