#include "tone/unfold.h"

#include "base/errors.h"
#include "tone/tone_curve.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kUnfolding = 2.0; // stops, so that no edge is seen where lights begin

} // namespace

Unfold::Unfold(const ToneSettings &settings, const HdrLights &lights)
    : settings_(settings), begin_(lights.begin), peak_(lights.peak)
{
    if (!(begin_ > 0.0 && begin_ < 1.0) || !(peak_ >= 1.0))
        throw ArgumentError("HDR lights: they must begin between black and white and end above white");
    sceneAtBegin_ = sceneOf(begin_);
    constexpr double kStep = 1e-5; // of log light
    slope_ = 2.0 * kStep / (std::log(sceneOf(begin_ * std::exp(kStep))) - std::log(sceneOf(begin_ * std::exp(-kStep))));
}

double Unfold::sceneOf(double light) const
{
    constexpr double kMost = 1.0 - 1e-6; // white itself would come from endless light
    if (!isPlain(settings_))
        return std::min(light, kMost) / (1.0 - std::min(light, kMost));
    const double shown = std::pow(light, settings_.gamma);
    if (settings_.brightEnd == BrightEnd::Clip)
        return shown;
    const double d = std::min(shown, kMost);
    return d <= kRollFrom ? d : kRollFrom - (1.0 - kRollFrom) * std::log((1.0 - d) / (1.0 - kRollFrom));
}

double Unfold::operator()(double light) const
{
    if (!(light > begin_))
        return light > 0.0 ? light : 0.0; // NaN is black
    const double u = std::log2(sceneOf(light) / sceneAtBegin_), s = std::min(u / kUnfolding, 1.0);
    const double more = kUnfolding * (s * s * s - 0.5 * s * s * s * s) + std::max(0.0, u - kUnfolding);
    const double bright = begin_ * std::exp2(slope_ * u + (1.0 - slope_) * more), room = peak_ - 1.0;
    return bright <= 1.0 || room <= 0.0 ? std::min(bright, peak_) : 1.0 - room * std::expm1(-(bright - 1.0) / room);
}

} // namespace yolk
