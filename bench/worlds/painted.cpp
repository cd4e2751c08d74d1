#include "worlds/painted.h"

#include "areas/shape_edges.h"
#include "colour/matrix_rows.h"
#include "tone/tone_map.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace yolk::worlds {
namespace {

/// Where a leaf is seen: what changes when it alone shines otherwise.
Image<uint8_t> seenOf(const std::vector<Leaf> &leaves, size_t which, const SceneSpec &spec, const Image<float> &as,
                      ExecContext &ctx)
{
    std::vector<Leaf> other = leaves;
    for (float &v : other[which].light)
        v *= 4.0f;
    const Image<float> brighter = renderLeaves(other, spec, {}, 0.0, ctx);
    Image<uint8_t> out(spec.width, spec.height, 1);
    for (int y = 0; y < spec.height; ++y)
        for (int x = 0; x < spec.width; ++x)
            out.row(0, y)[x] = brighter.row(1, y)[x] > 2.5f * as.row(1, y)[x]; // more than half of the pixel
    return out;
}

/// Rounds of erosion by a pixel across and down.
Image<uint8_t> eroded(const Image<uint8_t> &mask, int by)
{
    const int width = mask.width(), height = mask.height();
    Image<int> sums(width + 1, height + 1, 1);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            sums.row(0, y + 1)[x + 1] =
                sums.row(0, y)[x + 1] + sums.row(0, y + 1)[x] - sums.row(0, y)[x] + mask.row(0, y)[x];
    Image<uint8_t> out(width, height, 1);
    for (int y = by; y < height - by; ++y)
        for (int x = by; x < width - by; ++x) {
            const int x0 = x - by, y0 = y - by, x1 = x + by + 1, y1 = y + by + 1;
            const int held = sums.row(0, y1)[x1] - sums.row(0, y0)[x1] - sums.row(0, y1)[x0] + sums.row(0, y0)[x0];
            out.row(0, y)[x] = held == (2 * by + 1) * (2 * by + 1);
        }
    return out;
}

double overlap(const Image<float> &mask, const Image<uint8_t> &truth)
{
    double both = 0.0, either = 0.0;
    for (int y = 0; y < truth.height(); ++y)
        for (int x = 0; x < truth.width(); ++x) {
            const bool a = mask.row(0, y)[x] >= 0.5f, b = truth.row(0, y)[x] != 0;
            both += a && b ? 1.0 : 0.0;
            either += a || b ? 1.0 : 0.0;
        }
    return either > 0.0 ? both / either : 1.0;
}

} // namespace

std::optional<Painted> paintedOf(uint64_t seed, int width, int height, ExecContext &ctx)
{
    std::mt19937_64 random(seed * 7919 + 3);
    const auto between = [&](double low, double high) { return std::uniform_real_distribution(low, high)(random); };
    SceneSpec spec{
        .seed = seed, .width = width, .height = height, .stops = between(8.0, 14.0), .foliage = seed % 4 == 0};
    const std::vector<Leaf> leaves = growLeaves(spec);
    const Image<float> light = renderLeaves(leaves, spec, {}, 0.0, ctx);
    std::vector<size_t> candidates;
    for (size_t i = 0; i < leaves.size(); ++i)
        if (leaves[i].radius >= 50.0 && leaves[i].radius <= 200.0 && leaves[i].x > 0.0 && leaves[i].x < width &&
            leaves[i].y > 0.0 && leaves[i].y < height)
            candidates.push_back(i);
    std::ranges::shuffle(candidates, random);
    constexpr size_t kTries = 8;
    for (size_t t = 0; t < std::min(kTries, candidates.size()); ++t) {
        const Leaf &leaf = leaves[candidates[t]];
        Painted out;
        out.truth = seenOf(leaves, candidates[t], spec, light, ctx);
        const double radius = leaf.radius * between(0.2, 0.4);
        out.missedBy = 0.6 * radius;
        const Image<uint8_t> inner = eroded(out.truth, int(0.4 * radius));
        double seen = 0.0;
        for (int y = 0; y < height; ++y)
            seen += double(std::count(out.truth.row(0, y), out.truth.row(0, y) + width, uint8_t(1)));
        if (seen < leaf.radius * leaf.radius)
            continue;
        std::vector<Stroke> strokes;
        for (double at = between(0.0, 0.9 * radius); at < height; at += 0.9 * radius)
            for (int x = 0; x < width; ++x) {
                const uint8_t *row = inner.row(0, int(at));
                if (!row[x])
                    continue;
                std::vector<Point> points;
                for (; x < width && row[x]; x += 4)
                    points.push_back({x + 0.5, at + between(-0.15, 0.15) * radius});
                strokes.push_back({.points = points, .radius = radius, .feather = between(10.0, 60.0)});
            }
        if (strokes.empty())
            continue;
        out.shape = {.kind = ShapeKind::Brush, .keepsToEdges = true, .strokes = std::move(strokes)};
        out.scene = Image<float>(width, height, 3);
        const Matrix3 wide = rgbToRgb(kRec709, kRec2020);
        std::normal_distribution<float> normal;
        for (int y = 0; y < height; ++y) {
            const float *const from[3] = {light.row(0, y), light.row(1, y), light.row(2, y)};
            float *const to[3] = {out.scene.row(0, y), out.scene.row(1, y), out.scene.row(2, y)};
            turnRow(wide, from, width, to);
            for (float *row : to) // as a merge of a few frames has it
                for (int x = 0; x < width; ++x)
                    row[x] +=
                        normal(random) * std::sqrt(1e-4f * row[x] * row[x] + 1e-5f * std::max(row[x], 0.0f) * 1e-2f);
        }
        return out;
    }
    return std::nullopt;
}

PaintedVerdict judgePainted(const Painted &painted, ExecContext &ctx)
{
    const int width = painted.scene.width(), height = painted.scene.height();
    auto raster = std::make_shared<StrokeRaster>(StrokeRaster{.step = rasterStep(width, height)});
    for (const Stroke &s : painted.shape.strokes)
        *raster = withStroke(*raster, s, false);
    const ShapeMaskPtr stroke = strokesMask(raster);
    std::vector<float> lights;
    const Image<float> ev = evOf(painted.scene.view(), ctx);
    for (int y = 0; y < height; y += 4)
        for (int x = 0; x < width; x += 4)
            lights.push_back(ev.row(0, y)[x]);
    std::ranges::nth_element(lights, lights.begin() + ptrdiff_t(lights.size() / 100));
    const float dark = float(luminanceOfEv(double(lights[lights.size() / 100])));
    const auto model = std::make_shared<EdgeModel>(
        edgesOf(painted.scene.view(), 1.0, *stroke, raster.get(), 1.5 * raster->reach, dark, ctx));
    const ShapeMaskPtr kept = keptToEdges(stroke, model);
    Image<float> rough(width, height, 1), fine(width, height, 1);
    for (int y = 0; y < height; ++y) {
        const LightRow light{painted.scene.row(0, y), painted.scene.row(1, y), painted.scene.row(2, y), ev.row(0, y)};
        stroke->row({}, y, width, light, rough.row(0, y));
        kept->row({}, y, width, light, fine.row(0, y));
    }
    return {overlap(rough, painted.truth), overlap(fine, painted.truth)};
}

} // namespace yolk::worlds
