#include "render/set/measured.h"

#include "recipe/sections.h"

namespace yolk {

const int kProcessVersion = 21;

Recipe automaticStart(const Measured &measured)
{
    Recipe out;
    out.tone = automaticTone(measured.tone);
    return out;
}

Recipe inForce(const Recipe &recipe, const Measured &measured)
{
    return inForce(recipe, recipe.groups == GroupSettings() ? Recipe() : automaticStart(measured));
}

Bracket bracketOf(const Sources &sources, const PlacedSet &set, double anchorExposure, const Recipe &recipe)
{
    std::vector<MeasuredFrame> frames = set.frames;
    if (recipe.prepare.response != ResponseChoice::Automatic)
        for (MeasuredFrame &f : frames) {
            const MeasuredFrame::Light &light =
                isTaken(set.response, recipe.prepare.response) ? f.byCurve : f.byProfile;
            f.exposure = light.exposure;
            f.gains = light.gains;
            f.noise = light.noise;
        }
    return arrangeBracket(sources.frames, frames, recipe.frames, anchorExposure,
                          recipe.align.mode == AlignMode::On ? Placing::Aligned : Placing::AsShot);
}

Bracket bracketOf(const Sources &sources, const Measured &measured, const Recipe &recipe)
{
    Bracket out = bracketOf(sources, measured, measured.anchorExposure, inForce(recipe, measured));
    if (measured.ringsFilled)
        out.notices.push_back("black rings round its lamps were filled from beside them");
    return out;
}

} // namespace yolk
