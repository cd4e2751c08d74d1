// Everything the photographer decided, as one value: undo, versions, presets, batch and the command line all work on
// it. The window calls it settings.
#pragma once

#include "adjust/adjustment_list.h"
#include "align/align_settings.h"
#include "areas/area.h"
#include "frames/bracket.h"
#include "frames/light_mixture.h"
#include "frames/prepare_settings.h"
#include "frames/white_balance.h"
#include "geometry/geometry_settings.h"
#include "lens/lens_settings.h"
#include "mend/mend_settings.h"
#include "movement/movement_settings.h"
#include "recipe/export_settings.h"
#include "recipe/radiance_settings.h"
#include "recipe/returned_picture.h"
#include "tone/tone_settings.h"

#include <string>
#include <string_view>

namespace yolk {

inline constexpr double kMostPresetAmount = 150.0; // percent

/// Which preset the settings came from: for the window, pixels do not depend on it.
struct PresetUse {
    std::string name; ///< empty: none
    double amount = 100.0;
    bool operator==(const PresetUse &) const = default;
};

constexpr bool isPresetUsed(const PresetUse &use)
{
    return !use.name.empty();
}

inline constexpr auto kPresetUseFields = std::tuple{
    TextField<PresetUse>{"name", &PresetUse::name},
    RealField<PresetUse>{"amount", &PresetUse::amount, 0, kMostPresetAmount, 0, 1, 0, "", "Presets", "Amount",
                         "How much of the preset is taken, in percent; 0 is the automatic start", isPresetUsed},
};

/// What is said of groups of settings as wholes, by their SettingGroup::key. The settings themselves stay what they are.
struct GroupSettings {
    std::set<std::string> off;                ///< switched off: they act as they were at the start
    std::map<std::string, double> strength;   ///< percent of the way from the start, where it is not all
    std::map<std::string, std::string> names; ///< what somebody calls them
    bool operator==(const GroupSettings &) const = default;
};

inline constexpr auto kGroupFields = std::tuple{
    TextSetField<GroupSettings>{"off", &GroupSettings::off},
    NumberMapField<GroupSettings>{"strength", &GroupSettings::strength, 0.0, 100.0},
};
inline constexpr auto kGroupNameFields = std::tuple{TextMapField<GroupSettings>{"names", &GroupSettings::names}};

struct Recipe {
    FrameChoice frames;
    PrepareSettings prepare;
    AlignSettings align;
    MovementSettings movement;
    MendSettings mend;
    WhiteSettings white;
    LampSettings lamp;
    ToneSettings tone;
    AdjustmentSettings adjustments;
    AreasSettings areas;
    GroupSettings groups;
    PresetUse preset;
    LensSettings lens;
    GeometrySettings geometry;
    ReturnedPicture returned, returnedLight;
    ExportSettings output;
    RadianceSettings radiance;
    bool operator==(const Recipe &) const = default;
};

/// Sets one value by its path, as in "tone.range" = "60" or "tone.method" = "plain".
/// Throws ArgumentError naming the path and what is allowed.
void setByPath(Recipe &recipe, std::string_view path, std::string_view value);

} // namespace yolk
