// The tone stage: what a recipe makes of scene light, with the layers of the whole scene found once and kept.
#pragma once

#include "render/render.h"
#include "tone/tone_map.h"

namespace yolk {

/// How this recipe maps tones, into `space`. The layers come from the preview's decode, merged without what the
/// movement settings and near and far change: views of any size and the full picture agree, and those settings keep the
/// layers.
/// Throws as mergedOf; ArgumentError (a setting out of its range).
ToneMapper toneMapperOf(const Sources &sources, const Measured &measured, const Recipe &recipe, OutputSpace space,
                        ExecContext &ctx);

/// A scene as that recipe shows it. Of a view the lights are kept, so that the next slider finds them; a larger picture
/// does without. `request` is what the scene was made for. Throws as toneMapperOf().
Image<float> mapTones(const Sources &sources, const Measured &measured, const Recipe &recipe,
                      const RenderRequest &request, ImageView<const float> scene, OutputSpace space, ExecContext &ctx);

/// Where a region of the reference frame lies in the scene.
ScenePart scenePartOf(const Frame &reference, const RealRect &region);

} // namespace yolk
