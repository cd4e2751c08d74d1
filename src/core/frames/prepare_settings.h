// What happens to frames before they are merged.
#pragma once

#include "base/fields.h"
#include "frames/response.h"
#include "io/codec.h"

#include <array>
#include <tuple>

namespace yolk {

enum class FringeMode { Off, On };

struct PrepareSettings {
    FringeMode fringes = FringeMode::On;
    double darkNoise = 25.0;
    Demosaic demosaic = Demosaic::Best;
    ResponseChoice response = ResponseChoice::Automatic;
    bool operator==(const PrepareSettings &) const = default;
};

inline constexpr std::array kFringeModes{
    Choice<FringeMode>{FringeMode::Off, "off", "Off", "Raw frames stay as the lens imaged them"},
    Choice<FringeMode>{FringeMode::On, "on", "On",
                       "Red and blue are moved onto green, by lens data or by what the picture shows"},
};
inline constexpr std::array kDemosaics{
    Choice<Demosaic>{Demosaic::Best, "best", "Best", "Least colour at hard edges; the slowest"},
    Choice<Demosaic>{Demosaic::Balanced, "balanced", "Balanced", "Half the time; some colour at hard edges"},
    Choice<Demosaic>{Demosaic::Fast, "fast", "Fast", "For a quick look at many large frames"},
};

inline constexpr std::array kResponseChoices{
    Choice<ResponseChoice>{ResponseChoice::AsProfile, "profile", "As the file says",
                           "Developed files are taken to be what their profile says"},
    Choice<ResponseChoice>{ResponseChoice::Automatic, "automatic", "Automatic",
                           "A curve found from the frames is taken where they agree by it beyond chance"},
    Choice<ResponseChoice>{ResponseChoice::Fitted, "fitted", "Fitted",
                           "The curve by which the frames agree best, however sure it is"},
};

inline constexpr auto kPrepareFields = std::tuple{
    ChoiceField<PrepareSettings, FringeMode>{"fringes", &PrepareSettings::fringes, kFringeModes, "Lens and noise",
                                             "Lens fringes", "Takes the coloured edges of a lens out of raw frames"},
    RealField<PrepareSettings>{"dark_noise", &PrepareSettings::darkNoise, 0, 100, 0, 1, 0, "", "Lens and noise",
                               "Noise of dark frames",
                               "Smooths what is noise in frames darker than the reference; 100 is strongest"},
    ChoiceField<PrepareSettings, Demosaic>{"demosaic", &PrepareSettings::demosaic, kDemosaics, "Lens and noise",
                                           "Demosaicing", "How the sensor's single colours become pixels"},
    ChoiceField<PrepareSettings, ResponseChoice>{"response", &PrepareSettings::response, kResponseChoices, "Response",
                                                 "Response", "How code values of developed files become light"},
};

} // namespace yolk
