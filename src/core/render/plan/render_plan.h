// What a recipe comes to for a set of frames: found once for a job and handed to all that it does.
#pragma once

#include "adjust/adjustment.h"
#include "areas/area.h"
#include "base/hash.h"
#include "geometry/picture_map.h"
#include "lens/lens_profile.h"
#include "render/plan/request.h"
#include "render/set/measured.h"
#include "tone/tone_curve.h"

namespace yolk {

/// Refers to the set that it was made of, which must outlive it.
class RenderPlan {
public:
    /// Throws ArgumentError: no usable frame, a setting out of its range.
    RenderPlan(const Sources &sources, const Measured &measured, const Recipe &recipe);

    const Sources &sources;
    const Measured &measured;
    const Recipe recipe; ///< in force
    Bracket bracket;
    LensProfilePtr lens; ///< what is listed of it; null where the recipe does not ask or nothing is
    RadialCurve rim;     ///< EV that are given back to the rim of the frame
    PictureMap map;      ///< between the picture and the reference frame
    Vector3 day;         ///< linear RGB of the reference frame that the white balance makes neutral
    Matrix3 white;       ///< from there to balanced linear Rec. 2020
    LampSettings lamp;   ///< as it acts
    ToneCurve curve;
    double knee;            ///< of LightCode: its code bends at middle grey about as the automatic start's curve does
    SharedList<Area> areas; ///< those that change something, in the order of PixelGrid::masks
    Varied<ToneSettings> tone;      ///< with what they make of it
    Adjustments onScene, onDisplay; ///< those that do something

    const Frame &reference() const { return *bracket.frames[bracket.reference].frame; }
    /// Of the aligned frames and of the merge at a reduction.
    Hash128 alignedKey(int reduction) const;
    Hash128 mergedKey(int reduction) const;
    /// Of what is mended on it.
    Hash128 mendingKey(int reduction) const;
    /// Of what sceneOf() gives for a request.
    Hash128 sceneKey(const RenderRequest &request) const;

private:
    Hash128 aligned_, merged_; ///< of what the recipe and the measurement say
};

/// What is listed of the lens of a frame, whatever the recipe uses of it; null: nothing.
LensProfilePtr lensOf(const Frame &frame, const LensSettings &settings);
/// EV that the settings give back to the rim of a frame with that lens; null: not listed.
RadialCurve rimOf(const LensSettings &settings, const LensProfilePtr &lens);
/// Focal length by the metadata, a usual one where they do not say; distortion where the recipe takes it back.
Optics opticsOf(const Frame &frame, const LensSettings &settings);
/// Of a picture whose reference is this frame.
PictureMap mapOf(const Recipe &recipe, const Frame &frame);
/// The same picture as its reference frame lies.
Recipe withoutMap(const Recipe &recipe);

/// What a white balance makes neutral, linear RGB of the frames.
Vector3 neutralUnder(const WhiteSettings &white, const CodeValues &colour, const Measured &measured);

/// The same set under the recipe that layers are found by: without what the movement settings and near and far change.
/// Views of any size and the full picture agree, and those settings keep the layers.
Recipe layersRecipe(const Recipe &recipe);

} // namespace yolk
