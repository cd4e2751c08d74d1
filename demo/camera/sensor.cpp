#include "counted_noise.h"
#include "simulated_camera.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>

namespace yolk::demo {
namespace {

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

Image<uint16_t> exposeMosaic(ImageView<const float> radiance, const Shot &shot)
{
    Image<uint16_t> out(radiance.width(), radiance.height(), 1);
    const double well = wellOf(shot);
    for (int y = 0; y < radiance.height(); ++y)
        for (int x = 0; x < radiance.width(); ++x) {
            const int c = (y & 1) + (x & 1); // RGGB
            double light = 0.0;
            for (int from = 0; from < 3; ++from)
                light += kCameraOfRec709(c, from) * double(std::max(radiance.row(from, y)[x], 0.0f));
            light *= kNeutral[size_t(c)] / shot.clipsAt;
            const uint64_t n = uint64_t(y) * uint64_t(radiance.width()) + uint64_t(x);
            const double value = kBlack + (kWhite - kBlack) * sensed(light, well, shot.seed, n);
            out.row(0, y)[x] = uint16_t(std::lround(std::clamp(value, 0.0, double(kWhite))));
        }
    return out;
}

} // namespace yolk::demo
