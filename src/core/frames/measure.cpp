#include "frames/measure.h"

#include "frames/exposure.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace yolk {
namespace {

constexpr double kMeasuredPixels = 4e5;
// Above it a value counts as clipped: two 8-bit codes below the end, in linear light.
constexpr float kClipped = 0.982f;

int reductionFor(const Frame &frame)
{
    int r = 1;
    while (r < 8 && double(frame.width) * frame.height / (4.0 * r * r) >= kMeasuredPixels)
        r *= 2;
    return r;
}

void measureShares(const Frame &frame, ImageView<const uint16_t> pixels, MeasuredFrame &out)
{
    const float floor = float(frame.noise.levelOfSnr(1.0));
    long long clipped = 0, dark = 0;
    for (int y = 0; y < pixels.height(); ++y)
        for (int x = 0; x < pixels.width(); ++x) {
            const float r = linearOfCode(pixels.row(0, y)[x]), g = linearOfCode(pixels.row(1, y)[x]),
                        b = linearOfCode(pixels.row(2, y)[x]);
            clipped += std::max({r, g, b}) >= kClipped;
            dark += g < floor;
        }
    const double n = double(pixels.shape().pixels());
    out.clippedShare = double(clipped) / n;
    out.darkShare = double(dark) / n;
}

double meanGreen(ImageView<const uint16_t> pixels)
{
    double sum = 0.0;
    for (int y = 0; y < pixels.height(); ++y)
        sum += double(std::accumulate(pixels.row(1, y), pixels.row(1, y) + pixels.width(), 0ll));
    return sum / double(pixels.shape().pixels());
}

/// Median of bright / dark over pixels well inside the range of both; empty when there are too few.
std::optional<double> exposureRatio(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright)
{
    if (dark.shape() != bright.shape())
        return std::nullopt;
    constexpr float kLow = 0.004f, kHigh = 0.85f; // clear of noise and of the camera's shoulder
    constexpr size_t kFewest = 200;
    std::vector<float> ratios;
    for (int y = 0; y < dark.height(); ++y)
        for (int x = 0; x < dark.width(); ++x) {
            const float a = linearOfCode(dark.row(1, y)[x]), b = linearOfCode(bright.row(1, y)[x]);
            if (a > kLow && a < kHigh && b > kLow && b < kHigh)
                ratios.push_back(b / a);
        }
    if (ratios.size() < kFewest)
        return std::nullopt;
    const auto middle = ratios.begin() + ptrdiff_t(ratios.size() / 2);
    std::ranges::nth_element(ratios, middle);
    return double(*middle);
}

} // namespace

std::vector<MeasuredFrame> measureFrames(std::span<const FramePtr> frames, const Decode &decode, ExecContext &ctx)
{
    std::vector<Metadata> metadata;
    for (const FramePtr &f : frames)
        metadata.push_back(f->metadata);
    const std::vector<std::optional<double>> stated = statedExposures(metadata);

    std::vector<MeasuredFrame> out(frames.size());
    std::vector<DecodedPtr> pixels(frames.size());
    forEachPart(ctx, int(frames.size()), [&](int i, ExecContext &own) {
        const Frame &frame = *frames[size_t(i)];
        pixels[size_t(i)] = decode(frame, reductionFor(frame), own);
        out[size_t(i)].id = frame.id;
        measureShares(frame, pixels[size_t(i)]->view(), out[size_t(i)]);
    });

    // From dark to bright, so that each frame without metadata has a neighbour to be compared with.
    std::vector<size_t> order(frames.size());
    std::iota(order.begin(), order.end(), size_t(0));
    std::vector<double> brightness;
    for (const auto &p : pixels)
        brightness.push_back(meanGreen(p->view()));
    std::ranges::stable_sort(order, {}, [&](size_t i) { return brightness[i]; });
    const auto firstStated = std::ranges::find_if(order, [&](size_t i) { return stated[i].has_value(); });
    const ptrdiff_t start = firstStated == order.end() ? 0 : firstStated - order.begin();
    const auto settle = [&](size_t i, std::optional<size_t> from) {
        if (stated[i]) {
            out[i].exposure = *stated[i];
        } else if (!from) {
            out[i].source = ExposureSource::Assumed;
        } else {
            const bool brighter = brightness[i] >= brightness[*from];
            const auto ratio = brighter ? exposureRatio(pixels[*from]->view(), pixels[i]->view())
                                        : exposureRatio(pixels[i]->view(), pixels[*from]->view());
            out[i].source = ratio ? ExposureSource::Estimated : ExposureSource::Assumed;
            out[i].exposure = out[*from].exposure * (ratio ? (brighter ? *ratio : 1.0 / *ratio) : 1.0);
        }
    };
    for (ptrdiff_t k = start; k < ptrdiff_t(order.size()); ++k)
        settle(order[size_t(k)], k > start ? std::optional(order[size_t(k - 1)]) : std::nullopt);
    for (ptrdiff_t k = start - 1; k >= 0; --k)
        settle(order[size_t(k)], order[size_t(k + 1)]);
    return out;
}

} // namespace yolk
