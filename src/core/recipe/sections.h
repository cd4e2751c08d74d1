// The sections of a recipe: one row each. What a stage of the pipeline reads, what marks a step, what presets hold, what
// the panels show, JSON and paths of the command line all follow from these rows.
#pragma once

#include "base/hash.h"
#include "recipe/recipe.h"
#include "recipe/step.h"

#include <algorithm>
#include <span>
#include <string>
#include <tuple>

namespace yolk {

/// The first stage of the pipeline that reads a section, in the order of the data. None: for the window alone.
enum class Stage { Prepare, Align, Merge, Mend, Scene, Adjust, Tone, Display, Geometry, Write, None };

enum class InPresets { No, Yes };

/// Some settings of the recipe under one key. A key may have several, of one struct or of more: what differs by step or
/// stage stands in a section of its own.
template <class S, class Table> struct Section {
    std::string_view key; ///< in files and paths
    S Recipe::*member;
    const Table *fields;
    Step step;
    Stage stage;
    InPresets inPresets = InPresets::No;

    const S &of(const Recipe &recipe) const { return recipe.*member; }
    S &of(Recipe &recipe) const { return recipe.*member; }
};

/// The section of an adjustment of the list.
template <class A> struct AdjustmentSection {
    std::string_view key = A::kKey;
    decltype(&A::kFields) fields = &A::kFields;
    Step step = requires { A::kFinish; }
    ? Step::Finish : Step::Colour;
    Stage stage = A::kActsOn == Light::Scene ? Stage::Adjust : Stage::Display;
    InPresets inPresets = InPresets::Yes;

    const typename A::Settings &of(const Recipe &recipe) const { return settingsOf<A>(recipe.adjustments); }
    typename A::Settings &of(Recipe &recipe) const { return settingsOf<A>(recipe.adjustments); }
};

namespace detail {
template <class... A> constexpr auto adjustmentSections(const std::tuple<A...> *)
{
    return std::tuple{AdjustmentSection<A>{}...};
}
} // namespace detail

inline constexpr auto kSections = std::tuple_cat(
    std::tuple{
        Section{"frames", &Recipe::frames, &kFramesInUseFields, Step::Frames, Stage::Prepare},
        Section{"prepare", &Recipe::prepare, &kPrepareFields, Step::Frames, Stage::Prepare},
        Section{"mend", &Recipe::mend, &kDustFields, Step::Mend, Stage::Prepare},
        Section{"frames", &Recipe::frames, &kReferenceFields, Step::Merge, Stage::Align},
        Section{"align", &Recipe::align, &kAlignFields, Step::Merge, Stage::Align},
        Section{"frames", &Recipe::frames, &kFrameWeightFields, Step::Merge, Stage::Merge},
        Section{"movement", &Recipe::movement, &kMovementFields, Step::Merge, Stage::Merge},
        Section{"mend", &Recipe::mend, &kMendFields, Step::Mend, Stage::Mend},
        Section{"white", &Recipe::white, &kWhiteFields, Step::Frames, Stage::Scene},
        Section{"lamp", &Recipe::lamp, &kLampFields, Step::Colour, Stage::Scene},
        Section{"lens", &Recipe::lens, &kLensLightFields, Step::Geometry, Stage::Scene},
        Section{"tone", &Recipe::tone, &kToneFields, Step::Tone, Stage::Tone, InPresets::Yes},
    },
    detail::adjustmentSections(static_cast<const AdjustmentList *>(nullptr)),
    std::tuple{
        Section{"areas", &Recipe::areas, &kAreasFields, Step::Areas, Stage::Tone},
        Section{"geometry", &Recipe::geometry, &kGeometryFields, Step::Merge, Stage::Geometry},
        Section{"lens", &Recipe::lens, &kLensLineFields, Step::Geometry, Stage::Geometry},
        Section{"geometry", &Recipe::geometry, &kPictureMapFields, Step::Geometry, Stage::Geometry},
        Section{"returned_light", &Recipe::returnedLight, &kReturnedFields, Step::Export, Stage::Mend},
        Section{"returned", &Recipe::returned, &kReturnedFields, Step::Export, Stage::Geometry},
        Section{"export", &Recipe::output, &kExportFields, Step::Export, Stage::Write},
        Section{"radiance", &Recipe::radiance, &kRadianceFields, Step::Export, Stage::Write},
        Section{"preset", &Recipe::preset, &kPresetUseFields, Step::Tone, Stage::None},
        Section{"groups", &Recipe::groups, &kGroupFields, Step::Colour, Stage::None},
        Section{"groups", &Recipe::groups, &kGroupNameFields, Step::Colour, Stage::None},
    });

/// Calls visit(section) for each.
template <class Visit> void forEachSection(Visit &&visit)
{
    std::apply([&](const auto &...section) { (visit(section), ...); }, kSections);
}

/// Settings that stand in areas alone.
template <class A> struct LocalSection {
    std::string_view key = A::kKey;
    decltype(&A::kFields) fields = &A::kFields;
};

namespace detail {
template <class... A> constexpr auto localSections(const std::tuple<A...> *)
{
    return std::tuple{LocalSection<A>{}...};
}
} // namespace detail
inline constexpr auto kLocalSections = detail::localSections(static_cast<const LocalAdjustmentList *>(nullptr));

/// Calls visit(section, field) for each setting that may vary inside an area: those of the recipe, then those of areas alone.
template <class Visit> void forEachLocalField(Visit &&visit)
{
    const auto visitLocal = [&](const auto &section) {
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>)
                if (field.local)
                    visit(section, field);
        });
    };
    forEachSection(visitLocal);
    std::apply([&](const auto &...section) { (visitLocal(section), ...); }, kLocalSections);
}

/// How far an area may move such a setting, to either side: light by as much as a window differs from its room.
template <class S> double localReach(const RealField<S> &field)
{
    constexpr double kMostStops = 6.0;
    const double reach = std::max(field.maximum - field.neutral, field.neutral - field.minimum);
    return field.unit == "EV" ? std::min(kMostStops, reach) : reach;
}

/// The same of the sections of one member: forSectionsOf<&Recipe::output>(visit).
template <auto kMember, class Visit> void forSectionsOf(Visit &&visit)
{
    forEachSection([&](const auto &section) {
        if constexpr (requires { section.member; })
            if constexpr (std::is_same_v<std::remove_cvref_t<decltype(section.member)>, decltype(kMember)>)
                if (section.member == kMember)
                    visit(section);
    });
}

/// "tone.range".
template <class Section, class Field> std::string pathOf(const Section &section, const Field &field)
{
    return std::string(section.key) + "." + std::string(field.key);
}

/// The key of a group of settings, in files: its name in lower case, with _ for spaces.
std::string groupKey(std::string_view group);

/// A group of settings of a step, as the panels show it.
struct SettingGroup {
    std::string key; ///< in files: groupKey() of its name; no two steps have one of the same name
    std::string_view name;
    Step step;
    Stage stage;                ///< the first that reads something of it
    bool canBeWeakened = false; ///< it holds amounts that may act in part
};
std::span<const SettingGroup> settingGroups(); ///< in the order of work: by stage

/// The settings as they act, with nothing left to be said of groups: what is switched off is as in `start`, of what is
/// weakened amounts go only part of the way from there. `start` is the automatic one of the picture. What is mended from
/// another frame stands among the places that the merge takes from one.
Recipe inForce(const Recipe &recipe, const Recipe &start);

/// Switches groups on in which a setting is another one than it was `before`: what is moved must be seen.
void turnTouchedGroupsOn(Recipe &recipe, const Recipe &before);

/// Puts back what a step holds to how it is in `start`.
Recipe withoutStep(const Recipe &recipe, Step step, const Recipe &start);
/// Puts back what a group of a step holds to how it is in `start`.
Recipe withoutGroup(const Recipe &recipe, Step step, std::string_view group, const Recipe &start);
/// Whether something in it is other than in `start`.
bool isGroupChanged(Step step, std::string_view group, const Recipe &recipe, const Recipe &start);

/// Of all settings that the stages up to `last` read and that do something.
Hash128 hashUpTo(Stage last, const Recipe &recipe);
/// Whether they ask for the same there, or of one stage alone.
bool areSameUpTo(Stage last, const Recipe &a, const Recipe &b);
bool areSameAt(Stage stage, const Recipe &a, const Recipe &b);
/// Only these settings, the others as they are in a new recipe.
Recipe onlyUpTo(Stage last, const Recipe &recipe);

/// Whether a step's settings are others than those of `start`; what is for the window alone does not count.
bool isChanged(Step step, const Recipe &recipe, const Recipe &start);
/// The recipe with all that presets may hold as in `start`, and no preset in use.
Recipe withoutPresets(const Recipe &recipe, const Recipe &start);

} // namespace yolk
