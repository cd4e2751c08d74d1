#include "counted_noise.h"
#include "simulated_camera.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>

namespace yolk::demo {
namespace {

constexpr uint64_t kRows = 0x5bd1e995; // seeds of rows apart from those of pixels

/// One sample of a sensor: light 0..1 of clipping in, the same with shot and read noise out, at most 1.
double sensed(double light, double well, uint64_t seed, uint64_t n)
{
    const double electrons = (light > 0.0 ? std::min(light, 4.0) : 0.0) * well;
    const double noisy = electrons + std::sqrt(electrons + kReadNoise * kReadNoise) * normal(seed, n);
    return std::min(noisy / well, 1.0);
}

/// Electrons that reach clipping.
double wellOf(const Shot &shot)
{
    return kFullWell / (shot.iso / 100.0);
}

} // namespace

Matrix3 cameraOfXyz()
{
    Matrix3 sensitivity;
    for (size_t i = 0; i < 3; ++i)
        sensitivity.m[4 * i] = kNeutral[i];
    return sensitivity * kCameraOfRec709 * inverse(rgbToXyz(kRec709));
}

Image<float> expose(ImageView<const float> radiance, const Shot &shot)
{
    Image<float> out(radiance.shape());
    const double well = wellOf(shot);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < radiance.height(); ++y)
            for (int x = 0; x < radiance.width(); ++x) {
                const uint64_t n = (uint64_t(y) * uint64_t(radiance.width()) + uint64_t(x)) * 3 + uint64_t(c);
                out.row(c, y)[x] = float(sensed(double(radiance.row(c, y)[x]) / shot.clipsAt, well, shot.seed, n));
            }
    return out;
}

Image<uint16_t> exposeMosaic(ImageView<const float> radiance, const Shot &shot, const Sensor &sensor)
{
    Image<uint16_t> out(radiance.width(), radiance.height(), 1);
    const double well = wellOf(shot);
    const auto saturated = [&](double z, size_t c) {
        const double end = sensor.plateau[c], soft = sensor.softEnd * end;
        if (z <= end - soft)
            return z;
        return soft > 0.0 ? end - soft * std::exp(-(z - (end - soft)) / soft) : end;
    };
    for (int y = 0; y < radiance.height(); ++y) {
        const double offset =
            sensor.rowNoise > 0.0 ? sensor.rowNoise / well * normal(shot.seed ^ kRows, uint64_t(y)) : 0.0;
        for (int x = 0; x < radiance.width(); ++x) {
            const int c = (y & 1) + (x & 1); // RGGB
            double light = 0.0;
            for (int from = 0; from < 3; ++from)
                light += kCameraOfRec709(c, from) * double(std::max(radiance.row(from, y)[x], 0.0f));
            light *= kNeutral[size_t(c)] / shot.clipsAt;
            const uint64_t n = uint64_t(y) * uint64_t(radiance.width()) + uint64_t(x);
            const double z = saturated(sensed(light, well, shot.seed, n) + offset, size_t(c));
            const double value = kBlack + sensor.blackError + (kWhite - kBlack) * z;
            out.row(0, y)[x] = uint16_t(std::lround(std::clamp(value, 0.0, double(kWhite))));
        }
    }
    for (int i = 0; i < sensor.hotPixels; ++i) { // dark current of its own, that grows with time
        const auto n = uint64_t(i);
        const int x = int(uniform(sensor.hotSeed, 3 * n) * radiance.width());
        const int y = int(uniform(sensor.hotSeed, 3 * n + 1) * radiance.height());
        const double extra = std::min(1.0, (0.05 + 0.95 * uniform(sensor.hotSeed, 3 * n + 2)));
        const double end = kBlack + (kWhite - kBlack) * std::ranges::min(sensor.plateau);
        uint16_t &value = out.row(0, y)[x];
        value = uint16_t(std::lround(std::min(end, value + extra * (kWhite - kBlack))));
    }
    return out;
}

} // namespace yolk::demo
