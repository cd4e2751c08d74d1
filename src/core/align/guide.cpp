#include "align/guide.h"

#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr double kHeld = 0.95; // of clipping: interpolated pixels beside a clipped one lie below it

YOLK_MULTIVERSION
void lightRow(const uint16_t *r, const uint16_t *g, const uint16_t *b, int width, float scale, int clipped,
              float *light, uint8_t *valid)
{
    for (int x = 0; x < width; ++x) {
        const int sum = r[x] + 2 * g[x] + b[x];
        light[x] = float(sum - 4 * kPedestal) * scale;
        valid[x] = uint8_t(r[x] < clipped && g[x] < clipped && b[x] < clipped);
    }
}

YOLK_MULTIVERSION
void halfRow(const float *a, const float *b, const uint8_t *va, const uint8_t *vb, int width, float *light,
             uint8_t *valid)
{
    for (int x = 0; x < width; ++x) {
        light[x] = 0.25f * ((a[2 * x] + a[2 * x + 1]) + (b[2 * x] + b[2 * x + 1]));
        valid[x] = va[2 * x] & va[2 * x + 1] & vb[2 * x] & vb[2 * x + 1];
    }
}

GuideLevel half(const GuideLevel &in, ExecContext &ctx)
{
    const int width = in.light.width() / 2, height = in.light.height() / 2;
    GuideLevel out{Image<float>({width, height, 1}, Fill::Anything),
                   Image<uint8_t>({width, height, 1}, Fill::Anything)};
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            halfRow(in.light.row(0, 2 * y), in.light.row(0, 2 * y + 1), in.valid.row(0, 2 * y),
                    in.valid.row(0, 2 * y + 1), width, out.light.row(0, y), out.valid.row(0, y));
    });
    return out;
}

/// How a frame's rows become light.
struct LightRows {
    explicit LightRows(const FrameToAlign &frame)
        : codes(frame.codes), scale(float(1.0 / (4.0 * double(kCodeScale) * frame.exposure)))
    {
    }
    void row(int y, float *light, uint8_t *valid) const
    {
        lightRow(codes.row(0, y), codes.row(1, y), codes.row(2, y), codes.width(), scale, clipped, light, valid);
    }
    ImageView<const uint16_t> codes;
    float scale;
    int clipped = codeOfLinear(kHeld);
};

GuideLevel lightOf(const FrameToAlign &frame, ExecContext &ctx)
{
    const LightRows rows(frame);
    const int width = frame.codes.width(), height = frame.codes.height();
    GuideLevel out{Image<float>({width, height, 1}, Fill::Anything),
                   Image<uint8_t>({width, height, 1}, Fill::Anything)};
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            rows.row(y, out.light.row(0, y), out.valid.row(0, y));
    });
    return out;
}

/// half() of that, which is nowhere held.
GuideLevel halfLightOf(const FrameToAlign &frame, ExecContext &ctx)
{
    const LightRows rows(frame);
    const int width = frame.codes.width() / 2, height = frame.codes.height() / 2;
    GuideLevel out{Image<float>({width, height, 1}, Fill::Anything),
                   Image<uint8_t>({width, height, 1}, Fill::Anything)};
    forEachBand(ctx, height, [&](int y0, int y1) {
        Image<float> light(frame.codes.width(), 2, 1);
        Image<uint8_t> valid(frame.codes.width(), 2, 1);
        for (int y = y0; y < y1; ++y) {
            for (int i : {0, 1})
                rows.row(2 * y + i, light.row(0, i), valid.row(0, i));
            halfRow(light.row(0, 0), light.row(0, 1), valid.row(0, 0), valid.row(0, 1), width, out.light.row(0, y),
                    out.valid.row(0, y));
        }
    });
    return out;
}

} // namespace

double Guide::variance(double light, int level) const
{
    // Weights 1/4, 1/2, 1/4 of channels that are noisy on their own: 3/8 of the variance of one.
    return 0.375 * noise.variance(light * exposure) / (exposure * exposure) / double(1 << (2 * level));
}

int Guide::levelOf(double pixels) const
{
    int level = 0;
    while (level + 1 < int(levels.size()) && (levels[size_t(level)].light.shape().empty() ||
                                              double(levels[size_t(level)].light.shape().pixels()) > pixels))
        ++level;
    return level;
}

Guide guideOf(const FrameToAlign &frame, double finestPixels, ExecContext &ctx)
{
    const Shape shape = frame.codes.shape();
    if (shape.empty() || shape.planes != 3 || !(frame.exposure > 0.0))
        throw ArgumentError("alignment takes three planes and an exposure above 0");
    Guide out;
    out.exposure = frame.exposure;
    out.noise = frame.noise;
    out.width = shape.width;
    out.height = shape.height;
    ExecContext own = ctx.child({});
    constexpr int kShortest = 40;
    if (double(shape.pixels()) > finestPixels && std::min(shape.width, shape.height) >= 2 * kShortest) {
        out.levels.emplace_back(); // too large to be worked on
        out.levels.push_back(halfLightOf(frame, own));
    } else {
        out.levels.push_back(lightOf(frame, own));
    }
    while (std::min(out.levels.back().light.width(), out.levels.back().light.height()) >= 2 * kShortest) {
        GuideLevel next = half(out.levels.back(), own);
        if (double(out.levels.back().light.shape().pixels()) > finestPixels)
            out.levels.back() = {};
        out.levels.push_back(std::move(next));
    }
    ctx.report(1.0);
    return out;
}

Guide cutAt(const Guide &guide, double clipping)
{
    Guide out{guide.width, guide.height, {}, guide.exposure, guide.noise};
    for (const GuideLevel &level : guide.levels) {
        GuideLevel cut{Image<float>(level.light.shape()), Image<uint8_t>(level.valid.shape())};
        const float most = float(clipping);
        for (int y = 0; y < level.light.height(); ++y)
            for (int x = 0; x < level.light.width(); ++x) {
                cut.light.row(0, y)[x] = level.valid.row(0, y)[x] ? std::min(level.light.row(0, y)[x], most) : most;
                cut.valid.row(0, y)[x] = 1;
            }
        out.levels.push_back(std::move(cut));
    }
    return out;
}

} // namespace yolk
