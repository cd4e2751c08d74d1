// Lens data through lensfun: which lens bends which colour how much.
#include "lens/fringes.h"
#include "lens/lens_data_p.h"

#include <array>
#include <cmath>

namespace yolk {

LensData::LensData(const std::string &dataFile)
{
    if (data_ &&
        (dataFile.empty() ? lf_db_load(data_.get()) : lf_db_load_file(data_.get(), dataFile.c_str())) != LF_NO_ERROR)
        data_.reset();
}

const lfCamera *LensData::camera(const std::string &name) const
{
    const std::unique_ptr<const lfCamera *, void (*)(void *)> found(
        lf_db_find_cameras(data_.get(), nullptr, name.c_str()), &lf_free);
    return found ? found.get()[0] : nullptr;
}

const lfLens *LensData::lens(const lfCamera *camera, const std::string &name) const
{
    const std::unique_ptr<const lfLens *, void (*)(void *)> found(
        lf_db_find_lenses_hd(data_.get(), camera, nullptr, name.c_str(), 0), &lf_free);
    return found ? found.get()[0] : nullptr;
}

LensModifier lensModifier(const lfCamera *camera, const lfLens *lens, const LensNames &names, int asked, int &does)
{
    constexpr float kUsualAperture = 8.0f, kFar = 1000.0f; // f-number, metres
    LensModifier out(nullptr, &lf_modifier_destroy);
    does = 0;
    if (!lens)
        return out;
    const float focal = names.focalLength > 0.0 ? float(names.focalLength) : lens->MinFocal;
    const float aperture = names.fNumber > 0.0 ? float(names.fNumber) : kUsualAperture;
    out.reset(lf_modifier_new(lens, camera ? camera->CropFactor : lens->CropFactor, names.width, names.height));
    does =
        lf_modifier_initialize(out.get(), lens, LF_PF_F32, focal, aperture, kFar, 1.0f, lens->Type, asked, 0) & asked;
    if (!does)
        out.reset();
    return out;
}

std::optional<Fringes> fringesFromLensData(const LensNames &names, const std::string &dataFile)
{
    const LensData data(dataFile);
    if (!data || names.lens.empty() || names.width < 2 || names.height < 2)
        return std::nullopt;
    const lfCamera *camera = data.camera(names.camera);
    const lfLens *lens = data.lens(camera, names.lens);
    int does = 0;
    const LensModifier modifier = lensModifier(camera, lens, names, LF_MODIFY_TCA, does);
    if (!modifier)
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
