#include "image/resample.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

// The source samples that make one output sample, and their weights (sum 1).
struct Taps {
    int first = 0;
    std::vector<float> weights;
};

std::vector<Taps> tapsOf(double from, double to, int count, int sourceSize)
{
    const double step = (to - from) / count;
    const double radius = std::max(1.0, step);
    std::vector<Taps> taps(size_t(std::max(count, 0)));
    for (int i = 0; i < count; ++i) {
        const double centre = from + (i + 0.5) * step - 0.5; // in sample indices
        const int first = int(std::floor(centre - radius)) + 1, last = int(std::ceil(centre + radius)) - 1;
        const int low = std::clamp(first, 0, sourceSize - 1), high = std::clamp(last, 0, sourceSize - 1);
        Taps &t = taps[size_t(i)];
        t.first = low;
        t.weights.assign(size_t(high - low + 1), 0.0f);
        double sum = 0.0;
        for (int s = first; s <= last; ++s)
            sum += std::max(0.0, 1.0 - std::abs(s - centre) / radius);
        for (int s = first; s <= last; ++s) {
            const double w = std::max(0.0, 1.0 - std::abs(s - centre) / radius) / sum;
            t.weights[size_t(std::clamp(s, low, high) - low)] += float(w);
        }
    }
    return taps;
}

} // namespace

RowSource rowsOf(ImageView<const float> picture)
{
    return {picture.shape(), [picture](int y, int, int, ImageView<float>, const float **rows) {
                for (int plane = 0; plane < picture.planes(); ++plane)
                    rows[plane] = picture.row(plane, y);
            }};
}

Image<float> resample(ImageView<const float> source, RealRect region, int width, int height, ExecContext &ctx)
{
    return resample(rowsOf(source), region, width, height, ctx);
}

Image<float> resample(const RowSource &source, RealRect region, int width, int height, ExecContext &ctx)
{
    const Shape shape = source.shape;
    if (shape.empty() || width < 1 || height < 1 || !(region.x1 > region.x0) || !(region.y1 > region.y0))
        throw ArgumentError(textOf("resample: %d x %d pixels to %d x %d: nothing to resample", shape.width,
                                   shape.height, width, height));
    const std::vector<Taps> across = tapsOf(region.x0, region.x1, width, shape.width);
    const std::vector<Taps> down = tapsOf(region.y0, region.y1, height, shape.height);
    const int left = across.front().first, right = across.back().first + int(across.back().weights.size());
    Image<float> out({width, height, shape.planes}, Fill::Anything);
    const auto single = [](const Taps &t) { return t.weights.size() == 1; };
    if (std::ranges::all_of(across, single) && std::ranges::all_of(down, single)) { // pixels lie on pixels
        const bool whole = right - left == shape.width && width == shape.width; // rows may be read where they belong
        forEachBand(ctx, height, [&](int y0, int y1) {
            Image<float> scratch(shape.width, 1, shape.planes);
            std::vector<const float *> rows(size_t(shape.planes));
            for (int y = y0; y < y1; ++y) {
                source.read(down[size_t(y)].first, left, right,
                            whole ? out.view().crop({0, y, width, y + 1}) : scratch.view(), rows.data());
                for (int plane = 0; plane < shape.planes; ++plane) {
                    const float *in = rows[size_t(plane)];
                    float *to = out.row(plane, y);
                    if (right - left != width) // edges repeat
                        for (int x = 0; x < width; ++x)
                            to[x] = in[across[size_t(x)].first];
                    else if (in != to)
                        std::copy_n(in + left, width, to);
                }
            }
        });
        return out;
    }
    // Rows of the source are narrowed once per band and kept until the band is done.
    forEachBand(ctx, height, [&](int y0, int y1) {
        const int top = down[size_t(y0)].first;
        int bottom = top;
        for (int y = y0; y < y1; ++y)
            bottom = std::max(bottom, down[size_t(y)].first + int(down[size_t(y)].weights.size()));
        Image<float> narrow(width, bottom - top, shape.planes), scratch(shape.width, 1, shape.planes);
        std::vector<const float *> rows(size_t(shape.planes));
        for (int y = top; y < bottom; ++y) {
            source.read(y, left, right, scratch.view(), rows.data());
            for (int plane = 0; plane < shape.planes; ++plane) {
                const float *in = rows[size_t(plane)];
                float *to = narrow.row(plane, y - top);
                for (int x = 0; x < width; ++x) {
                    const Taps &t = across[size_t(x)];
                    float sum = 0.0f;
                    for (size_t k = 0; k < t.weights.size(); ++k)
                        sum += t.weights[k] * in[size_t(t.first) + k];
                    to[x] = sum;
                }
            }
        }
        for (int plane = 0; plane < shape.planes; ++plane)
            for (int y = y0; y < y1; ++y) {
                const Taps &t = down[size_t(y)];
                float *to = out.row(plane, y);
                std::fill_n(to, width, 0.0f);
                for (size_t k = 0; k < t.weights.size(); ++k) {
                    const float *in = narrow.row(plane, t.first - top + int(k));
                    const float w = t.weights[k];
                    for (int x = 0; x < width; ++x)
                        to[x] += w * in[x];
                }
            }
    });
    return out;
}

} // namespace yolk
