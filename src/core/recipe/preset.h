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
    std::set<std::string> parts;          ///< which settings it decides: keys of kPresetParts
    /// By path, as "tone.range": a number is added to the automatic start, text is a choice. Other settings of its
    /// parts are those of the start.
    std::map<std::string, std::variant<double, std::string>> values;
    bool operator==(const Preset &) const = default;
};

/// A group of settings that a preset may hold.
struct PresetPart {
    std::string_view key, name;      ///< in files, in the window
    std::string_view section, group; ///< of the field tables; an empty group is all of the section
};
inline constexpr std::array kPresetParts{
    PresetPart{"method", "Method", "tone", "Method"},
    PresetPart{"brightness", "Brightness", "tone", "Brightness"},
    PresetPart{"zones", "Zones", "tone", "Zones"},
    PresetPart{"colour", "Colour", "colour", ""},
};

/// `recipe` with the preset at `amount` percent of its distances; a choice is taken whatever the amount, but at 0. What
/// was set by hand on top of a preset of the same name in the recipe stays on top. `start` holds the automatic values.
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
