// The pipeline: a picture is a pure function of its frames and a recipe.
//   analyse  once per set, at fixed sizes -> Measured
//   merged   decode, prepare, align, movement, merge -> radiance in the frames' own RGB
//   scene    region and size, white       -> linear Rec. 2020
//   render   tone                         -> display-linear RGB of the output space
// Every stage is cached under the hash of the part of the recipe it reads and of its inputs, so that moving one slider
// recomputes only the stages from there on.
#pragma once

#include "merge/agreement.h"
#include "movement/movement.h"
#include "render/measured.h"

#include <memory>
#include <optional>
#include <vector>

namespace yolk {

class RenderPlan;

/// Shares of pixels over scene light: kBins bins of kBinEv from kFirstEv on, sum 1; the ends hold what lies beyond.
struct SceneHistogram {
    static constexpr double kFirstEv = -20.0, kBinEv = 0.125;
    static constexpr int kBins = 256;
    std::vector<float> shares = std::vector<float>(kBins, 0.0f);
    bool operator==(const SceneHistogram &) const = default;
};

/// Measures a set: exposures, response, noise, fringes, motions, whites, anchor, start of the tone.
/// Throws InputError, ArgumentError (no frames), Cancelled.
Measured analyse(const Sources &sources, const Recipe &recipe, ExecContext &ctx);
/// The same from what is known of the frames already: motions, whites, anchor and start of the tone are found for it.
Measured analyseWith(const Sources &sources, const Recipe &recipe, MeasuredSet known, ExecContext &ctx);

/// What is kept of the reference frame, in its pixels.
Rect croppedArea(const RenderPlan &plan);
Rect croppedArea(const Sources &sources, const Measured &measured, const Recipe &recipe);

/// From a point of one frame to where the same thing lies in another, full-resolution pixels of both, frames by content
/// id; the identity where nothing is known of one of them.
Transform transformBetween(const std::string &from, const std::string &to, const Sources &sources,
                           const Measured &measured);

/// A merged set in the reference frame's own linear RGB.
struct MergedSet {
    Merged pixels;
    CodeValues colour; ///< of the reference frame: how its RGB comes to Rec. 2020, as shot
    int reduction = 1;
    int fullWidth = 0, fullHeight = 0; ///< of the unreduced picture
    std::vector<std::string> frameIds; ///< of the share planes, dark to bright
    double clippedShare = 0.0;         ///< of the pixels: clipped in every frame
    std::vector<Agreement> agreement;  ///< of the frames with the merge, in the order of frameIds; none for radiance
    std::vector<FrameAlignment> alignment; ///< that was applied, in the order of frameIds, full-resolution pixels
    std::vector<double> believed;          ///< share of each frame's pixels that agree with the others, same order
    Movement movement;                     ///< what moved, in pixels of this size; frames in the order of frameIds
    double seconds = 0.0;                  ///< that decoding and merging took
    size_t bytes() const;                  ///< that its pixels hold
    bool noiseKnown() const { return !agreement.empty(); } ///< not of a radiance file, which says nothing of it
};
using MergedPtr = std::shared_ptr<const MergedSet>;

/// Decodes at 1/reduction, prepares, aligns and merges the frames in use; radiance is read as it is. Throws InputError,
/// Cancelled. This and what follows comes in two forms: of a plan, for jobs that ask for more than one thing, or of what
/// a plan is made of, and then throws as RenderPlan too.
MergedPtr mergedOf(const RenderPlan &plan, int reduction, ExecContext &ctx);
MergedPtr mergedOf(const Sources &sources, const Measured &measured, const Recipe &recipe, int reduction,
                   ExecContext &ctx);

/// Which part of the picture, how large, and from which decode.
struct RenderRequest {
    int reduction = 1;         ///< of the decode: 1 is the full picture, 2, 4, 8, ... a faster one
    RealRect region;           ///< in full-resolution pixels of the reference frame; empty: all
    int width = 0, height = 0; ///< of the result; 0: one pixel per decoded pixel of the region
    /// Made smaller after the tone stage, which then sees every pixel, and not before. What is written to files is
    /// exact; a view that must follow a slider is not, and differs from it in fine detail.
    bool exact = false;
};

/// Linear Rec. 2020, 1.0 = clipping of the anchor; made smaller it is averaged as LightCode says. Throws as mergedOf;
/// ArgumentError on an empty region.
/// The white balance is applied here: a change of it leaves the merge as it is.
PicturePtr sceneOf(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx);
PicturePtr sceneOf(const Sources &sources, const Measured &measured, const Recipe &recipe, const RenderRequest &request,
                   ExecContext &ctx);

/// Display-linear RGB in [0, 1] of a space; without one, of recipe.output.space. Throws as sceneOf.
Image<float> render(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx);
Image<float> render(const Sources &sources, const Recipe &recipe, const Measured &measured,
                    const RenderRequest &request, ExecContext &ctx);

/// Light of a place, for a white balance: the sum over a few pixels of the merge, or of one frame as prepared.
struct PickedLight {
    Vector3 rgb{}; ///< linear, of the file or camera
    bool clipped = false;
};
/// (x, y) in full-resolution pixels of the reference frame. Throws as mergedOf; ArgumentError (outside, frame).
PickedLight pickLight(const Sources &sources, const Measured &measured, const Recipe &recipe,
                      std::optional<size_t> frame, double x, double y, ExecContext &ctx);

/// One frame as its file shows it: prepared like for the merge, but with the file's own curve and white balance, and
/// cut at its clipping. Display-linear sRGB in [0, 1]; radiance is cut at 1. `frame` counts in Sources::frames.
/// Throws InputError, Cancelled; ArgumentError (empty region, frame).
Image<float> lookAtFrame(const Sources &sources, size_t frame, const Recipe &recipe, const Measured &measured,
                         const RenderRequest &request, ExecContext &ctx);

/// Of the merged scene under the present settings, from the preview's decode.
SceneHistogram sceneHistogram(const Sources &sources, const Measured &measured, const Recipe &recipe, ExecContext &ctx);

/// The matrix from the frames' RGB to balanced linear Rec. 2020.
Matrix3 whiteMatrix(const CodeValues &colour, const WhiteSettings &white, const Measured &measured);

} // namespace yolk
