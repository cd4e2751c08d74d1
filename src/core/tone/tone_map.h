// From scene light to display light: a curve on luminance, or on a base layer of it with the detail kept.
#pragma once

#include "base/exec_context.h"
#include "colour/icc.h"
#include "colour/oklab.h"
#include "image/image.h"
#include "image/light_grid.h"
#include "image/parameter.h"
#include "tone/output_light.h"
#include "tone/step_table.h"
#include "tone/tone_curve.h"

#include <memory>
#include <vector>

namespace yolk {

/// What is found once of a scene and serves all its pixels; null where a method does without.
struct ToneGrids {
    std::shared_ptr<const LightGrid> layers; ///< of localLayers()
    std::shared_ptr<const LightGrid> blend;  ///< of blendGrid()
};

/// Which of them these settings need.
bool needsLayers(const Varied<ToneSettings> &settings);
bool needsBlend(const ToneSettings &settings);

/// Maps luminance, keeps the ratios of the channels, scales their Oklab chroma and brings what then falls out of the
/// output space into it with its hue (colour/oklab_rows.h). With v the light in EV, b its base layer, l and f its local
/// contrast and fine detail, M the method's curve and Z the zones:
///   plain, global  log D = log M(v + (L - 1) l + (F - 1) f) + z(M(w))
///   local          log D = log Z(M(w)) + (L l + F f - p)
///   blend          log D = log B(v) + z(B(v) 2^p / 2^(l + f)) + (L - 1) l + (F - 1) f, B the blended exposures
/// w is the light of which large even areas have the base b, and p what such areas differ from it by: w = b + p,
/// p = detailOfPicture(w). So the curve holds for them under every method, and detail lies on it. z is
/// log Z(t) - log t, F is 1 + fine detail / 100 and L, not below 0, 1 + (local contrast + s lights + (1 - s) darks) / 100,
/// s a smooth step of the lightness of M(w) from 30 to 70. What lightens on top of the
/// first summand is fitted into the room below kHeld, the code 250 of 255: T + c / sqrt(1 + (c / (kHeld - T))^2) for T
/// the first summand alone and c = D - T. Colours of which a channel would pass kHeld give up lightness and chroma, half
/// each; plain exposure cuts them instead.
/// Where settings vary over the picture, exposure and contrast change log M by what they change it at w, zones and weights
/// are those of the pixel; under blended exposures exposure and contrast act on what was blended.
/// Where lights go on above white, they are unfolded at the end (tone/unfold.h): by their luminance, and the more, the
/// more in the colours that they had before those were fitted below white.
class ToneMapper {
public:
    /// `saturation` multiplies the chroma. Throws ArgumentError when a setting is out of its range or a grid is
    /// missing.
    ToneMapper(const Varied<ToneSettings> &settings, const ToneStart &start, const OutputLight &output,
               double saturation = 1.0, ToneGrids grids = {});

    /// The light of every pixel of a part of the scene and its layers, for mapping it more than once: EV, fine detail,
    /// local contrast; three planes. Throws as the mapping.
    Image<float> lightsOf(ImageView<const float> scene, const ScenePart &part, ExecContext &ctx) const;
    /// What blended exposures add to the EV of lightsOf(), one plane; under the other methods an empty image.
    Image<float> blendOf(ImageView<const float> lights, const ScenePart &part, ExecContext &ctx) const;
    /// Whether they save work.
    bool readsGrids() const { return way_ != Way::Curve; }

    /// How far a mapping goes. Open stops before the end: display-linear Rec. 2020, 1 = white, in which colours may lie
    /// above white and outside of the output space; for adjustments, and then end().
    enum class Until { Open, End };
    /// Shapes:  linear Rec. 2020, three planes in; display-linear RGB of the space in [0, output.top()], three planes out.
    /// Throws:  ArgumentError (shape), Cancelled. NaN and infinities become black.
    /// Threads: bands of rows; the same bits for any runner. Memory: the result.
    /// Source:  [Reinhard2002] for the curve, [Durand2002] for squeezing the base alone.
    Image<float> operator()(ImageView<const float> scene, const ScenePart &part, ExecContext &ctx) const;
    /// Rows from y0 to y1 of it, on the thread that asks; both pictures of one shape, of three planes.
    /// Settings that vary are those of `grid`, on which the scene's pixels lie.
    void mapRows(ImageView<const float> scene, int y0, int y1, const ScenePart &part, ImageView<float> out,
                 Until until = Until::End, const PixelGrid &grid = {}) const;
    /// The same with what lightsOf() and blendOf() found of these pixels. Throws ArgumentError when that is not of the
    /// scene's size.
    void mapRowsWith(ImageView<const float> scene, ImageView<const float> lights, ImageView<const float> blend,
                     ImageView<float> out, Until until = Until::End, const PixelGrid &grid = {}) const;
    /// The whole of it.
    Image<float> withLights(ImageView<const float> scene, ImageView<const float> lights, ImageView<const float> blend,
                            ExecContext &ctx) const;
    /// What was left open into the output space, colours that it does not hold with their hue. The same bits as without
    /// a stop; `out` may be `open`.
    void end(ImageView<const float> open, ImageView<float> out) const;

private:
    enum class Way { Curve, Layers, CurveWithDetail, Blend };
    struct Lights;
    struct Row;
    void lightRows(ImageView<const float> scene, int y, const ScenePart &part, std::vector<float> &cells, float *ev,
                   float *fine, float *local) const;
    void blendRows(const float *ev, Shape scene, int y, const ScenePart &part, std::vector<float> &cells, float *blend,
                   float *unused) const;
    void mapRow(Row &row, ImageView<const float> scene, int y, const Lights &lights, ImageView<float> out, Until until,
                const PixelGrid &grid) const;
    void changeCurve(Row &row, const float *light, int width, int y, const PixelGrid &grid, float *tone) const;
    void zoneStops(Row &row, const float *tone, int width, int y, const PixelGrid &grid, float *stops) const;
    void weighDetail(Row &row, const Lights &lights, const float *base, int width, int y, const PixelGrid &grid,
                     float *detail) const;
    void endRow(const float *const open[3], int width, float *const out[3]) const;
    void standardEndRow(const float *const open[3], int width, float *const out[3]) const;

    Way way_;
    ToneGrids grids_;
    Matrix3 toOutput_;
    OklabSpace oklab_;
    float localWeight_, fineWeight_, chroma_; ///< weights of what is added to the curve: 0 is nothing
    float luminance_[3];                      ///< of the output space
    bool soft_;                               ///< whether colours end softly below white
    std::optional<HdrLights> lights_;
    StepTable unfold_; ///< then log2 of what luminance is multiplied by, over its own log2
    /// log2 of display light of EV, of its base where there are layers; with zones for Curve and Layers, else without
    StepTable curve_;
    StepTable plateau_;       ///< by how much large even areas of a base differ from it
    bool apart_ = false;      ///< local contrast differs in lights and darks
    StepTable local_;         ///< then its weight over the base, in place of localWeight_
    bool zonesApart_ = false; ///< they act on what the curve gave
    StepTable zones_;         ///< log2 of what the zones multiply display light by, over its own log2
    // What varies.
    Parameter exposure_, contrast_, localContrast_, localLights_, localDarks_, fineDetail_;
    std::array<Parameter, 5> zoneValues_;
    bool isPlain_ = false, variesCurve_ = false, variesZones_ = false, variesDetail_ = false;
    double kept_ = 0.0;             ///< of detail, where nothing strengthens it
    std::vector<StepTable> curves_; ///< log2 of display light of EV at contrasts kContrastStep apart; last as it is
    StepTable inLights_;            ///< how far a base counts as light
};

/// Light of linear Rec. 2020 pixels in EV, held within -24 and 19; NaN counts as the least. Three planes in, one out.
Image<float> evOf(ImageView<const float> scene, ExecContext &ctx);

} // namespace yolk
