// Lighter or darker towards the edges of the picture.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct VignetteSettings {
    double amount = 0.0, centre = 0.0;
    double size = 60.0, feather = 60.0, shape = 0.0;
    double x = 50.0, y = 50.0;
    bool operator==(const VignetteSettings &) const = default;
};

constexpr bool isVignetted(const VignetteSettings &settings)
{
    return settings.amount != 0.0 || settings.centre != 0.0;
}

struct Vignette {
    using Settings = VignetteSettings;
    static constexpr std::string_view kKey = "vignette";
    static constexpr Light kActsOn = Light::Display;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"amount", &Settings::amount, -3, 3, 0, 0.1, 2, "EV", "Vignette", "Edges",
                            "Darkens or lightens the picture towards its edges"},
        RealField<Settings>{"centre", &Settings::centre, -2, 2, 0, 0.1, 2, "EV", "Vignette", "Middle",
                            "Lightens or darkens what the edges leave out"},
        RealField<Settings>{"size", &Settings::size, 0, 100, 60, 1, 0, "%", "Vignette", "Size",
                            "How far from its middle the edges begin, in percent of the way to the corners",
                            isVignetted},
        RealField<Settings>{"feather", &Settings::feather, 0, 100, 60, 1, 0, "", "Vignette", "Feather",
                            "How softly the middle goes over into the edges", isVignetted},
        RealField<Settings>{"shape", &Settings::shape, -100, 100, 0, 1, 0, "", "Vignette", "Shape",
                            "A circle at -100, the ellipse of the picture at 0, nearly its rectangle at 100",
                            isVignetted},
        RealField<Settings>{"x", &Settings::x, 0, 100, 50, 1, 0, "%", "Vignette", "Across",
                            "Where its middle lies, from left to right", isVignetted},
        RealField<Settings>{"y", &Settings::y, 0, 100, 50, 1, 0, "%", "Vignette", "Down",
                            "Where its middle lies, from top to bottom", isVignetted},
    };
    /// Multiplies display light by 2^(amount t + centre (1 - t)), t a smooth step over the distance from the middle:
    /// half way at `size`, `feather` of 0.1 to 1.2 wide; distances are 1 in the corners of a picture about its own
    /// middle. Ellipse: sqrt((u^2 + v^2) / 2), u and v in halves of the sides; rectangle: the same with powers of 8;
    /// circle: in halves of the diagonal; between them by shape. It lies on the picture as cropped and turned.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
