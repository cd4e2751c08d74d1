// One white balance for all frames of a set, applied after the merge.
#pragma once

#include "base/fields.h"
#include "colour/icc.h"
#include "colour/white_point.h"
#include "image/image.h"

#include <array>
#include <tuple>

namespace yolk {

enum class WhiteMode { AsShot, Automatic, Own };

struct WhiteSettings {
    WhiteMode mode = WhiteMode::AsShot;
    double temperature = 6504.0, tint = 0.0; ///< of the light that shall look neutral; for Own
    bool operator==(const WhiteSettings &) const = default;
};

inline constexpr std::array kWhiteModes{
    Choice<WhiteMode>{WhiteMode::AsShot, "as_shot", "As shot",
                      "What the camera took as neutral in the reference frame"},
    Choice<WhiteMode>{WhiteMode::Automatic, "automatic", "Automatic",
                      "The colour of the room's own light becomes neutral, whatever its windows and lamps show"},
    Choice<WhiteMode>{WhiteMode::Own, "own", "Own", "Temperature and tint as set below"},
};

constexpr bool isOwnWhite(const WhiteSettings &settings)
{
    return settings.mode == WhiteMode::Own;
}

inline constexpr auto kWhiteFields = std::tuple{
    ChoiceField<WhiteSettings, WhiteMode>{"mode", &WhiteSettings::mode, kWhiteModes, "White balance", "White balance",
                                          "Which light looks neutral; exposure stays as it is"},
    RealField<WhiteSettings>{"temperature", &WhiteSettings::temperature, 1500, 25000, 6504, 50, 0, "K", "White balance",
                             "Temperature", "The light of the scene: higher values make the picture warmer",
                             isOwnWhite},
    RealField<WhiteSettings>{
        "tint", &WhiteSettings::tint, -60, 60, 0, 0.5, 1, "", "White balance", "Tint",
        "How much greener the light of the scene is than daylight or glowing lamps, in thousandths of CIE 1960: "
        "higher values take green away",
        isOwnWhite},
};

/// Linear RGB of the file (raw: of the camera) that light of this colour leaves on a white surface; the largest is 1,
/// none is below 0.01. Throws as chromaticityOf().
Vector3 neutralOf(const CodeValues &file, const WhitePoint &light);

/// The light under which `rgb` (linear, of the file) is a neutral surface. Throws ArgumentError unless all three are
/// above 0.
WhitePoint lightOf(const CodeValues &file, const Vector3 &rgb);

/// File RGB to linear Rec. 2020 with light of the given neutral made white: each channel is scaled, and the luminance
/// of a neutral surface stays what it is as shot.
Matrix3 balancedMatrix(const CodeValues &file, const Vector3 &neutral);

/// A guess at the light: edges between surfaces are grey in the mean, over what the room's own light can show, so that
/// neither a large coloured wall nor a window or a lamp decides for a room. A range of plausible lights bounds it.
/// Shapes: linear RGB of the file, three planes. Source: [Weijer2007], first order, p = 1.
/// Throws as lightOf().
WhitePoint automaticWhite(const CodeValues &file, ImageView<const float> rgb);

} // namespace yolk
