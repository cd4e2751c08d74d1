#include "lens/lens_profile.h"

#include "lens/lens_data_p.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>

namespace yolk {
namespace {

constexpr int kRadii = 96; // at which the models are asked

std::string nameOf(const lfLens *lens)
{
    const std::string maker = lf_mlstr_get(lens->Maker), model = lf_mlstr_get(lens->Model);
    return model.starts_with(maker) ? model : maker + " " + model;
}

const lfLens *lensCalled(const LensData &data, const std::string &name)
{
    for (const lfLens *const *lens = lf_db_get_lenses(data.data()); lens && *lens; ++lens)
        if (nameOf(*lens) == name)
            return *lens;
    return nullptr;
}

/// The polynomial nearest to `value(r)`, with its first term; zero where the value is no number.
template <class Value> RadialCurve fitted(const Value &value)
{
    Eigen::Matrix<double, kRadii, int(RadialCurve::kTerms)> powers;
    Eigen::Matrix<double, kRadii, 1> wanted;
    for (int i = 0; i < kRadii; ++i) {
        const double r = (i + 1.0) / kRadii;
        for (int k = 0; k < int(RadialCurve::kTerms); ++k)
            powers(i, k) = std::pow(r, k);
        wanted(i) = value(r);
    }
    RadialCurve out;
    if (!wanted.allFinite())
        return out;
    const Eigen::Matrix<double, int(RadialCurve::kTerms), 1> terms = powers.colPivHouseholderQr().solve(wanted);
    std::ranges::copy(terms, out.terms.begin());
    return out;
}

LensProfilePtr found(const LensNames &names, const std::string &chosen, const std::string &dataFile)
{
    if (names.width < 2 || names.height < 2 || (chosen.empty() && names.lens.empty()))
        return nullptr;
    const LensData data(dataFile);
    if (!data)
        return nullptr;
    const lfCamera *camera = names.camera.empty() ? nullptr : data.camera(names.camera);
    const lfLens *lens = chosen.empty() ? data.lens(camera, names.lens) : lensCalled(data, chosen);
    if (!lens)
        return nullptr;
    LensProfile out{nameOf(lens), {}, {}};
    int does = 0;
    const LensModifier modifier = lensModifier(camera, lens, names, LF_MODIFY_DISTORTION | LF_MODIFY_VIGNETTING, does);
    // lensfun counts pixels from their centres.
    const double cx = 0.5 * names.width, cy = 0.5 * names.height;
    const auto at = [&](double r) { return std::array{float(cx + r * cx - 0.5), float(cy + r * cy - 0.5)}; };
    if (does & LF_MODIFY_DISTORTION) {
        out.distortion = fitted([&](double r) {
            const auto [x, y] = at(r);
            float seen[2] = {x, y};
            lf_modifier_apply_geometry_distortion(modifier.get(), x, y, 1, 1, seen);
            const double dx = double(seen[0]) + 0.5 - cx, dy = double(seen[1]) + 0.5 - cy;
            return (dx * cx + dy * cy) / (r * (cx * cx + cy * cy)); // how far out, over how far it should be
        });
        const double middle = out.distortion.terms[0]; // keeps its scale
        for (double &term : out.distortion.terms)
            term = middle > 0.0 ? term / middle : 0.0;
        out.distortion.terms[0] = 0.0;
    }
    if (does & LF_MODIFY_VIGNETTING) {
        out.vignetting = fitted([&](double r) {
            const auto [x, y] = at(r);
            float light[3] = {1.0f, 1.0f, 1.0f};
            lf_modifier_apply_color_modification(modifier.get(), light, x, y, 1, 1, LF_CR_3(RED, GREEN, BLUE),
                                                 sizeof light);
            return std::log2(double(light[1]));
        });
        out.vignetting.terms[0] = 0.0;
    }
    return std::make_shared<const LensProfile>(std::move(out));
}

} // namespace

LensProfilePtr lensProfile(const LensNames &names, const std::string &chosen, const std::string &dataFile)
{
    using Key = std::tuple<std::string, std::string, double, double, int, int, std::string, std::string>;
    constexpr size_t kMost = 256;
    static std::mutex mutex; // lensfun's readers change the locale for a moment
    static std::map<Key, LensProfilePtr> known;
    const Key key{names.camera, names.lens, names.focalLength, names.fNumber, names.width,
                  names.height, chosen,     dataFile};
    const std::lock_guard lock(mutex);
    if (const auto at = known.find(key); at != known.end())
        return at->second;
    if (known.size() >= kMost)
        known.clear();
    return known[key] = found(names, chosen, dataFile);
}

std::vector<std::string> listedLenses(const std::string &dataFile)
{
    std::vector<std::string> out;
    const LensData data(dataFile);
    if (!data)
        return out;
    for (const lfLens *const *lens = lf_db_get_lenses(data.data()); lens && *lens; ++lens)
        out.push_back(nameOf(*lens));
    std::ranges::sort(out);
    out.erase(std::ranges::unique(out).begin(), out.end());
    return out;
}

} // namespace yolk
