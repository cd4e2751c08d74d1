// A lamp and daylight in one picture: how much of each falls on every place, and both made white.
#pragma once

#include "base/exec_context.h"
#include "frames/white_balance.h"
#include "image/light_grid.h"

namespace yolk {

/// The second light of a picture: the white balance is for the first.
struct LampSettings {
    double strength = 0.0;                   ///< percent
    double temperature = 2856.0, tint = 0.0; ///< of the lamp, as a white balance has them; [CIE15] illuminant A
    bool operator==(const LampSettings &) const = default;
};

constexpr bool isLampMended(const LampSettings &settings)
{
    return settings.strength > 0.0;
}

inline constexpr auto kLampFields = std::tuple{
    RealField<LampSettings>{"strength", &LampSettings::strength, 0, 100, 0, 1, 0, "", "Two lights", "Lamp to daylight",
                            "How far the lamp's light is brought to the white of daylight where it falls, in percent",
                            nullptr, true},
    RealField<LampSettings>{"temperature", &LampSettings::temperature, 1500, 25000, 2856, 50, 0, "K", "Two lights",
                            "Lamp", "The colour of the lamp's light: a pick in it sets this", isLampMended},
    RealField<LampSettings>{"tint", &LampSettings::tint, -60, 60, 0, 0.5, 1, "", "Two lights", "Lamp tint",
                            "How much greener the lamp's light is than glowing lamps, in thousandths of CIE 1960",
                            isLampMended},
};

/// Whether two lights differ enough to be told apart.
bool areApart(const Vector3 &lamp, const Vector3 &day);

/// Where a place stands between two lights: 0 is what daylight alone leaves on a white surface, 1 what the lamp does, as
/// parts of the way between their log chromaticities; somewhat beyond either end is possible. By place, and by where the
/// pixel's own chromaticity lies along that way, so that edges stay sharp.
struct LightMixture {
    LightGrid share;
    Vector3 lamp, day; ///< linear RGB of the file that they leave on a white surface
    size_t bytes() const { return share.bytes(); }
};

/// Every surface keeps its colour and every light its place, so chromaticity that changes slowly is light and chromaticity
/// that jumps is a surface, unless both sides may be neutral. Least squares over a small picture, by reweighting:
///   sum over pixels      g_p rho(s_p - t_p)                     a surface that may be neutral shows its light,
///   + over neighbours    a_pq (t_p - t_q - (s_p - s_q))^2       the same surface: what changes is the light,
///                        + b (t_p - t_q)^2                      light changes little from one to the next.
/// s is a pixel's own part of the way, g falls with its distance from the line of mixtures, a with the jump of colour
/// between two pixels, rho with what contradicts (Geman, McClure).
/// Shapes: linear RGB of the file, three planes, of the whole scene; averaged pixels are enough (`kMixtureSide`).
/// Throws: ArgumentError (shape, a light that is not above 0, two lights alike), Cancelled. Memory: some 20 MiB.
/// Source: mixtures of two lights and materials that recur, [Hsu2008]; differs from it: surfaces are told by their edges,
/// not by voting for a list of materials.
LightMixture lightMixture(const CodeValues &file, ImageView<const float> rgb, const Vector3 &lamp, const Vector3 &day,
                          ExecContext &ctx);
inline constexpr int kMixtureSide = 320; ///< pixels of the longer side that it works on

/// What makes the lamp as white as daylight, place by place; luminance stays. Refers to the mixture.
class MixtureGains {
public:
    /// `white`: the matrix to balanced linear Rec. 2020, whose luminance is kept. Strength 0 .. 1.
    MixtureGains(const LightMixture &mixture, const Matrix3 &white, double strength);

    /// A row of linear RGB of the file: `x` of its first pixel's middle and `step`, in shares of the scene's width, `y` of
    /// its height. `to` may be `from`.
    void apply(const float *const from[3], int count, double x, double step, double y, float *const to[3]) const;
    /// LightMixture::share of the same pixels.
    void shares(const float *const from[3], int count, double x, double step, double y, float *share) const;

private:
    const LightMixture &mixture_;
    float luminance_[3], unit_[3], along_[2], bow_[2];
};

} // namespace yolk
