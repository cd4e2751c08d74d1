#include "render/plan/render_plan.h"

#include "adjust/adjustment_list.h"
#include "areas/area_parameter.h"
#include "base/field_hash.h"
#include "colour/white_point.h"
#include "recipe/sections.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

SharedList<Area> actingAreas(const Recipe &recipe)
{
    std::vector<Area> out;
    for (const Area &area : recipe.areas.areas)
        if (acts(area))
            out.push_back(area);
    return out;
}

/// Settings of a section, varied by what areas say of its fields.
template <class S, class Table>
Varied<S> variedBy(const SharedList<Area> &areas, std::string_view key, const S &settings, const Table &fields)
{
    Varied<S> out(settings);
    if (areas.empty())
        return out;
    forEachField(fields, [&](const auto &field) {
        if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>) {
            if (!field.local)
                return;
            const std::string path = std::string(key) + "." + std::string(field.key);
            std::vector<AreaParameter::Part> parts;
            for (size_t i = 0; i < areas.size(); ++i)
                for (const bool outside : {false, true}) {
                    const AreaAmounts &amounts = outside ? areas[i].outside : areas[i].amounts;
                    if (const auto at = amounts.find(path); at != amounts.end() && at->second != 0.0) {
                        const double amount = std::clamp(at->second, -localReach(field), localReach(field));
                        parts.push_back({i, outside, float(amount * areas[i].strength / 100.0)});
                    }
                }
            if (!parts.empty())
                out.vary(field.member, std::make_shared<AreaParameter>(std::move(parts), field.minimum, field.maximum));
        }
    });
    return out;
}

void append(AdjustmentPtr made, Adjustments &out)
{
    if (made)
        out.push_back(std::move(made));
}

template <class... A> void appendLocal(const SharedList<Area> &areas, const std::tuple<A...> *, Adjustments &out)
{
    (append(A::make(variedBy(areas, A::kKey, typename A::Settings(), A::kFields)), out), ...);
}

template <class... A>
void appendOf(Light light, const Recipe &recipe, const SharedList<Area> &areas, const std::tuple<A...> *,
              Adjustments &out)
{
    const auto appendOne = [&]<class One>(const One *) {
        if (One::kActsOn == light)
            append(One::make(variedBy(areas, One::kKey, settingsOf<One>(recipe.adjustments), One::kFields)), out);
    };
    (appendOne(static_cast<const A *>(nullptr)), ...);
}

Adjustments adjustmentsOn(Light light, const Recipe &recipe, const SharedList<Area> &areas)
{
    Adjustments out;
    if (light == Light::Display && !areas.empty())
        appendLocal(areas, static_cast<const LocalAdjustmentList *>(nullptr), out);
    appendOf(light, recipe, areas, static_cast<const AdjustmentList *>(nullptr), out);
    return out;
}

Hash128 keyOf(StageKey stage, const Hash128 &of, int reduction)
{
    Hasher hasher;
    hasher.value(stage).value(of.high).value(of.low).value(reduction);
    return hasher.finish();
}

/// What all stages from decoding on depend on beside the recipe.
Hash128 hashOfSet(const Bracket &bracket, const Measured &measured, const Hash128 &recipe)
{
    Hasher hasher;
    hasher.value(kProcessVersion).value(measured.generation.high).value(measured.generation.low);
    hasher.value(recipe.high).value(recipe.low).value(bracket.anchorExposure);
    for (const BracketFrame &f : bracket.frames)
        hasher.text(f.frame->id).value(f.given).value(f.used).value(f.decides && isDarkFrame(f));
    return hasher.finish();
}

/// Whether nothing is brought onto anything while frames are reduced: then near and far need not be looked for, and what
/// differs in that alone shares its results. (At full size motions are refined.)
bool isStill(const RenderPlan &plan, int reduction)
{
    const Frame &reference = plan.reference();
    return reduction > 1 && plan.recipe.align.model == ModelChoice::Automatic &&
           std::ranges::all_of(plan.bracket.used(), [&](const BracketFrame *f) {
               const size_t at = size_t(f->given - 1);
               const bool known = at < plan.measured.alignment.size() && plan.measured.alignment[at].found;
               return f->frame->width == reference.width && f->frame->height == reference.height &&
                      (!known || plan.measured.alignment[at].toReference.transform.isIdentity());
           });
}

Recipe withoutLocal(const Recipe &recipe)
{
    Recipe out = recipe;
    out.align.local = AlignMode::Off;
    return out;
}

double kneeOf(const Measured &measured)
{
    constexpr double kShoulder = 0.8; // bends the curve further: by trial on four sets
    const double slope = std::clamp(kShoulder * slopeOf(measured.tone), 0.1, 0.85);
    return luminanceOfEv(-measured.tone.exposure) * slope / (1.0 - slope); // where log(1 + L / knee) has that slope
}

} // namespace

Vector3 neutralUnder(const WhiteSettings &white, const CodeValues &colour, const Measured &measured)
{
    switch (white.mode) {
    case WhiteMode::Automatic:
        return neutralOf(colour, measured.automaticWhite);
    case WhiteMode::Own:
        return neutralOf(colour, {white.temperature, white.tint});
    case WhiteMode::AsShot:
        break;
    }
    return colour.neutral;
}

RadialCurve rimOf(const LensSettings &settings, const LensProfilePtr &lens)
{
    RadialCurve out;
    if (settings.evens && lens)
        out = lens->vignetting;
    out.terms[2] += settings.vignetting;
    return out;
}

LensProfilePtr lensOf(const Frame &frame, const LensSettings &settings)
{
    const Metadata &known = frame.metadata;
    return lensProfile({known.camera, known.lens, known.focalLength.value_or(0.0), frame.width, frame.height,
                        known.fNumber.value_or(0.0)},
                       settings.name);
}

Optics opticsOf(const Frame &frame, const LensSettings &settings)
{
    constexpr double kSmallFormat = 36.0; // mm, the long side
    Optics out;
    if (const std::optional<double> &known = frame.metadata.focalLength35)
        out.focal = *known / kSmallFormat;
    if (settings.straightens)
        if (const LensProfilePtr lens = lensOf(frame, settings))
            out.distortion = lens->distortion;
    return out;
}

PictureMap mapOf(const Recipe &recipe, const Frame &frame)
{
    return {recipe.geometry, frame.width, frame.height, opticsOf(frame, recipe.lens)};
}

Recipe withoutMap(const Recipe &recipe)
{
    Recipe out = recipe;
    out.geometry = {.crop = recipe.geometry.crop};
    out.lens.straightens = false;
    return out;
}

RenderPlan::RenderPlan(const Sources &s, const Measured &m, const Recipe &r)
    : sources(s), measured(m), recipe(inForce(r, m)), bracket(bracketOf(s, m, recipe)),
      lens(recipe.lens.straightens || recipe.lens.evens ? lensOf(reference(), recipe.lens) : nullptr),
      rim(rimOf(recipe.lens, lens)), map(mapOf(recipe, reference())),
      day(neutralUnder(recipe.white, reference().codeValues, m)), white(balancedMatrix(reference().codeValues, day)),
      lamp(recipe.lamp), curve(recipe.tone, m.tone), knee(kneeOf(m)), areas(actingAreas(recipe)),
      tone(variedBy(areas, "tone", recipe.tone, kToneFields)), onScene(adjustmentsOn(Light::Scene, recipe, areas)),
      onDisplay(adjustmentsOn(Light::Display, recipe, areas)),
      aligned_(hashOfSet(bracket, m, hashUpTo(Stage::Align, recipe))),
      merged_(hashOfSet(bracket, m, hashUpTo(Stage::Merge, recipe)))
{
}

Hash128 RenderPlan::alignedKey(int reduction) const
{
    return keyOf(StageKey::Aligned,
                 isStill(*this, reduction) ? hashOfSet(bracket, measured, hashUpTo(Stage::Align, withoutLocal(recipe)))
                                           : aligned_,
                 reduction);
}

Hash128 RenderPlan::mergedKey(int reduction) const
{
    return keyOf(StageKey::Merge,
                 isStill(*this, reduction) ? hashOfSet(bracket, measured, hashUpTo(Stage::Merge, withoutLocal(recipe)))
                                           : merged_,
                 reduction);
}

Hash128 RenderPlan::mendingKey(int reduction) const
{
    const Hash128 merged = mergedKey(reduction);
    Hasher hasher;
    hasher.value(StageKey::Mend).value(merged.high).value(merged.low).text("all");
    hashFields(hasher, recipe.mend, kMendFields);
    hashFields(hasher, recipe.returnedLight, kReturnedFields);
    return hasher.finish();
}

Hash128 RenderPlan::sceneKey(const RenderRequest &request) const
{
    const bool isMended = !recipe.mend.spots.empty() || !recipe.mend.dust.empty() || recipe.returnedLight.isThere();
    const Hash128 merged = isMended ? mendingKey(request.reduction) : mergedKey(request.reduction);
    const RealRect region = regionOf(request, reference());
    Hasher hasher;
    hasher.value(StageKey::Scene).value(merged.high).value(merged.low).value(request.width).value(request.height);
    hasher.value(region.x0).value(region.y0).value(region.x1).value(region.y1).value(knee);
    for (const double m : white.m)
        hasher.value(m);
    for (const double term : rim.terms)
        hasher.value(term);
    hasher.value(lamp.strength).value(lamp.temperature).value(lamp.tint);
    return hasher.finish();
}

Recipe layersRecipe(const Recipe &recipe)
{
    Recipe out = onlyUpTo(Stage::Scene, recipe);
    out.frames.keeper.clear();
    out.align.local = AlignMode::Off;
    out.movement = {};
    out.mend = {}; // mended light finds what lies round it
    out.lamp = {}; // luminance stays
    return out;
}

} // namespace yolk
