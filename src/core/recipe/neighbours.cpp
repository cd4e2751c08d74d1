#include "recipe/neighbours.h"

#include <algorithm>

namespace yolk {
namespace {

template <class S, class Table> void clampAll(S &settings, const Table &table)
{
    forEachField(table, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            settings.*field.member = std::clamp(settings.*field.member, field.minimum, field.maximum);
    });
}

} // namespace

std::array<Recipe, 9> neighboursOf(const Recipe &recipe, double step)
{
    constexpr double kStops = 0.8, kLocal = 35.0, kFine = 22.0, kContrast = 10.0, kSaturation = 10.0; // by eye
    std::array<Recipe, 9> out;
    for (size_t i = 0; i < out.size(); ++i) {
        Recipe &r = out[i] = recipe;
        const double brighter = (double(i % 3) - 1.0) * step, bolder = (double(i / 3) - 1.0) * step;
        r.tone.exposure += kStops * brighter;
        r.tone.contrast += kContrast * bolder;
        settingsOf<Saturation>(r.adjustments).saturation += kSaturation * bolder;
        if (recipe.tone.method == ToneMethod::Local || recipe.tone.method == ToneMethod::Blend) {
            r.tone.localContrast += kLocal * bolder;
            r.tone.fineDetail += kFine * bolder;
        } else {
            r.tone.contrast += kContrast * bolder; // nothing else can carry it
        }
        clampAll(r.tone, kToneFields);
        clampAll(settingsOf<Saturation>(r.adjustments), Saturation::kFields);
    }
    return out;
}

} // namespace yolk
