// The adjustments, in the order in which they act. A row names a struct with
//     Settings, kFields   its settings and their table
//     kKey                of its section in files and paths; several may share one
//     kActsOn             scene light or display light
//     make(varied)        what does it; null where the settings change nothing
//     kFinish             if it belongs to the Finish step, not to Colour
// Those that stand in areas alone act before them, on display light, and have no kActsOn.
#pragma once

#include "adjust/adjustment.h"
#include "adjust/finish/deep_sky.h"
#include "adjust/finish/glow.h"
#include "adjust/finish/grain.h"
#include "adjust/finish/haze.h"
#include "adjust/finish/noise_reduction.h"
#include "adjust/finish/sharpness.h"
#include "adjust/finish/vignette.h"
#include "adjust/finish/warm_light.h"
#include "adjust/hue_marks.h"
#include "adjust/light_curve.h"
#include "adjust/local_hue.h"
#include "adjust/local_white.h"
#include "adjust/monochrome.h"
#include "adjust/saturation.h"
#include "adjust/tints.h"
#include "adjust/vibrance.h"
#include "adjust/warm_cool.h"

#include <tuple>

namespace yolk {

using AdjustmentList = std::tuple< //
    Saturation,                    //
    Vibrance,                      //
    WarmCool,                      //
    HueMarks,                      //
    Monochrome,                    //
    Tints,                         //
    LightCurve,                    //
    NoiseReduction,                //
    Haze,                          //
    Sharpness,                     //
    Glow,                          //
    DeepSky,                       //
    WarmLight,                     //
    Vignette,                      //
    Grain                          //
    >;

using LocalAdjustmentList = std::tuple<LocalWhite, LocalHue>;

namespace detail {
template <class List> struct SettingsOf;
template <class... A> struct SettingsOf<std::tuple<A...>> {
    using Type = std::tuple<typename A::Settings...>;
};
} // namespace detail

/// The settings of all of them, as the recipe holds them.
using AdjustmentSettings = detail::SettingsOf<AdjustmentList>::Type;

template <class A> const typename A::Settings &settingsOf(const AdjustmentSettings &all)
{
    return std::get<typename A::Settings>(all);
}
template <class A> typename A::Settings &settingsOf(AdjustmentSettings &all)
{
    return std::get<typename A::Settings>(all);
}

} // namespace yolk
