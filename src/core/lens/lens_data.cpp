// Lens data through lensfun: which lens bends which colour how much.
#include "lens/fringes.h"

#include <lensfun.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

namespace yolk {

std::optional<Fringes> fringesFromLensData(const LensNames &names, const std::string &dataFile)
{
    if (names.lens.empty() || names.width < 2 || names.height < 2)
        return std::nullopt;
    const std::unique_ptr<lfDatabase, void (*)(lfDatabase *)> data(lf_db_new(), &lf_db_destroy);
    if (!data ||
        (dataFile.empty() ? lf_db_load(data.get()) : lf_db_load_file(data.get(), dataFile.c_str())) != LF_NO_ERROR)
        return std::nullopt;
    const std::unique_ptr<const lfCamera *, void (*)(void *)> cameras(
        lf_db_find_cameras(data.get(), nullptr, names.camera.c_str()), &lf_free);
    const lfCamera *camera = cameras ? cameras.get()[0] : nullptr;
    const std::unique_ptr<const lfLens *, void (*)(void *)> lenses(
        lf_db_find_lenses_hd(data.get(), camera, nullptr, names.lens.c_str(), 0), &lf_free);
    const lfLens *lens = lenses ? lenses.get()[0] : nullptr;
    if (!lens)
        return std::nullopt;
    const float focal = names.focalLength > 0.0 ? float(names.focalLength) : lens->MinFocal;
    const float crop = camera ? camera->CropFactor : lens->CropFactor;
    const std::unique_ptr<lfModifier, void (*)(lfModifier *)> modifier(
        lf_modifier_new(lens, crop, names.width, names.height), &lf_modifier_destroy);
    const int does = lf_modifier_initialize(modifier.get(), lens, LF_PF_F32, focal, 8.0f, 1000.0f, 1.0f, lens->Type,
                                            LF_MODIFY_TCA, 0);
    if (!(does & LF_MODIFY_TCA))
        return std::nullopt;

    // Asked at two radii, which is what our model has room for.
    const double cx = names.width / 2.0, cy = names.height / 2.0;
    Fringes out;
    out.source = Fringes::Source::LensData;
    const std::array<double, 2> radii{0.5, 0.95};
    double red[2], blue[2];
    for (size_t i = 0; i < 2; ++i) {
        // lensfun counts pixels from their centres.
        const double x = cx + radii[i] * cx - 0.5, y = cy + radii[i] * cy - 0.5;
        float places[6] = {}; // red x, y, green x, y, blue x, y
        if (!lf_modifier_apply_subpixel_distortion(modifier.get(), float(x), float(y), 1, 1, places))
            return std::nullopt;
        const auto more = [&](int channel) {
            const double dx = double(places[channel]) - double(places[2]),
                         dy = double(places[channel + 1]) - double(places[3]);
            const double ux = x + 0.5 - cx, uy = y + 0.5 - cy;
            return (dx * ux + dy * uy) / (ux * ux + uy * uy);
        };
        red[i] = more(0);
        blue[i] = more(4);
    }
    const double spread = radii[1] * radii[1] - radii[0] * radii[0];
    const auto fringe = [&](const double *at) {
        const double bend = (at[1] - at[0]) / spread;
        return ChannelFringe{at[0] - bend * radii[0] * radii[0], bend};
    };
    out.red = fringe(red);
    out.blue = fringe(blue);
    if (!std::isfinite(out.red.at(1.0)) || !std::isfinite(out.blue.at(1.0)))
        return std::nullopt;
    return out;
}

} // namespace yolk
