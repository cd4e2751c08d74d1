#include "areas/shape_mask.h"

#include "base/vectorise.h"
#include "colour/hue_rows.h"
#include "colour/oklab_rows.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

YOLK_INLINE float smoothed(float t)
{
    t = t > 0.0f ? t : 0.0f; // NaN falls to 0
    t = t < 1.0f ? t : 1.0f;
    return t * t * (3.0f - 2.0f * t);
}

/// Places in doubles, so that a place comes out the same in all tiles.
YOLK_MULTIVERSION
void fallRow(double origin, double step, double shift, double slope, int first, int width, float *__restrict mask)
{
    for (int x = 0; x < width; ++x)
        mask[x] = 1.0f - smoothed(float((origin + (double(first + x) + 0.5) * step) * slope + shift));
}

/// Of an ellipse's own coordinates, in which it is a circle of radius 1.
YOLK_MULTIVERSION
void ovalRow(double origin, double step, int first, const double *__restrict u, const double *__restrict v, float from,
             float overRim, int width, float *__restrict mask)
{
    for (int x = 0; x < width; ++x) {
        const double at = origin + (double(first + x) + 0.5) * step;
        const float a = float(at * u[0] + u[1]), b = float(at * v[0] + v[1]);
        mask[x] = 1.0f - smoothed((std::sqrt(a * a + b * b) - from) * overRim);
    }
}

YOLK_MULTIVERSION
void spanRow(const float *__restrict ev, float low, float high, float overSoft, int width, float *__restrict mask)
{
    for (int x = 0; x < width; ++x)
        mask[x] = smoothed((ev[x] - low) * overSoft + 1.0f) * (1.0f - smoothed((ev[x] - high) * overSoft));
}

YOLK_MULTIVERSION
void meetRow(Meets meets, const float *__restrict shape, int width, float *__restrict mask)
{
    for (int x = 0; x < width; ++x) {
        const float s = meets == Meets::Cut ? 1.0f - shape[x] : shape[x];
        const bool larger = mask[x] > s;
        mask[x] = larger == (meets == Meets::Join) ? mask[x] : s;
    }
}

class Whole : public ShapeMask {
public:
    void row(const PixelGrid &, int, int width, const LightRow &, float *mask) const override
    {
        std::fill_n(mask, width, 1.0f);
    }
};

class Gradient : public ShapeMask {
public:
    Gradient(Point from, Point to) : from_(from)
    {
        const double dx = to.x - from.x, dy = to.y - from.y, square = dx * dx + dy * dy;
        x_ = dx / square;
        y_ = dy / square;
    }
    void row(const PixelGrid &grid, int y, int width, const LightRow &, float *mask) const override
    {
        fallRow(grid.originX, grid.stepX, (grid.y(y) - from_.y) * y_ - from_.x * x_, x_, grid.firstX, width, mask);
    }

private:
    Point from_;
    double x_, y_;
};

class Oval : public ShapeMask {
public:
    Oval(Point middle, Point a, Point b, double feather) : middle_(middle)
    {
        const double ax = a.x - middle.x, ay = a.y - middle.y, bx = b.x - middle.x, by = b.y - middle.y;
        const double determinant = ax * by - ay * bx;
        u_ = {by / determinant, -bx / determinant};
        v_ = {-ay / determinant, ax / determinant};
        reach_ = {std::hypot(ax, bx), std::hypot(ay, by)};
        rim_ = std::clamp(feather / 100.0, 0.01, 1.0);
    }
    void row(const PixelGrid &grid, int y, int width, const LightRow &, float *mask) const override
    {
        const double dy = grid.y(y) - middle_.y;
        std::fill_n(mask, width, 0.0f);
        if (std::abs(dy) > reach_.y)
            return;
        const double first = (middle_.x - reach_.x - grid.x(0)) / grid.stepX,
                     last = (middle_.x + reach_.x - grid.x(0)) / grid.stepX;
        const int begin = int(std::clamp(first - 1.0, 0.0, double(width))),
                  end = int(std::clamp(last + 2.0, 0.0, double(width)));
        const double u[2] = {u_.x, u_.y * dy - u_.x * middle_.x}, v[2] = {v_.x, v_.y * dy - v_.x * middle_.x};
        ovalRow(grid.originX, grid.stepX, grid.firstX + begin, u, v, float(1.0 - rim_), float(1.0 / rim_), end - begin,
                mask + begin);
    }
    bool misses(const PixelGrid &grid, int width, int height) const override
    {
        return grid.x(width) < middle_.x - reach_.x || grid.x(-1) > middle_.x + reach_.x ||
               grid.y(height) < middle_.y - reach_.y || grid.y(-1) > middle_.y + reach_.y;
    }

private:
    Point middle_, u_, v_, reach_;
    double rim_;
};

class Stops : public ShapeMask {
public:
    Stops(double low, double high, double soft)
        : low_(float(std::min(low, high))), high_(float(std::max(low, high))),
          overSoft_(float(1.0 / std::max(soft, 0.01)))
    {
    }
    bool readsLight() const override { return true; }
    void row(const PixelGrid &, int, int width, const LightRow &light, float *mask) const override
    {
        spanRow(light.ev, low_, high_, overSoft_, width, mask);
    }

private:
    float low_, high_, overSoft_;
};

class HueSpan : public ShapeMask {
public:
    HueSpan(double hue, double width) : hue_(float(hue)), width_(float(width)) {}
    bool readsLight() const override { return true; }
    void row(const PixelGrid &, int, int width, const LightRow &light, float *mask) const override
    {
        static const OklabSpace kSpace(kRec2020);
        constexpr float kGrey = 0.03f;
        const size_t count = size_t(width);
        std::vector<float> L(count), a(count), b(count), hue(count);
        const float *const from[3] = {light.r, light.g, light.b};
        float *const to[3] = {L.data(), a.data(), b.data()};
        oklabOfRow(from, width, kSpace, to);
        hueRow(a.data(), b.data(), width, hue.data());
        for (size_t x = 0; x < count; ++x) {
            float away = std::abs(hue[x] - hue_);
            away = std::min(away, std::abs(360.0f - away)) / width_;
            const float inside = std::max(0.0f, 1.0f - away * away);
            const float over = 1.0f / std::max(L[x], 1e-4f);
            const float chroma = (a[x] * a[x] + b[x] * b[x]) * over * over;
            mask[x] = inside * inside * chroma / (chroma + kGrey * kGrey);
        }
    }

private:
    float hue_, width_;
};

class Strokes : public ShapeMask {
public:
    Strokes(std::shared_ptr<const StrokeRaster> raster, Image<uint16_t> StrokeRaster::*plane)
        : raster_(std::move(raster)), plane_(plane)
    {
    }
    void row(const PixelGrid &grid, int y, int width, const LightRow &, float *mask) const override
    {
        const StrokeRaster &raster = *raster_;
        std::fill_n(mask, width, 0.0f);
        const Rect &area = raster.area;
        const double v = grid.y(y) / raster.step - 0.5 - area.y0;
        const int above = int(std::floor(v));
        if (area.empty() || above < -1 || above >= area.height())
            return;
        const int count = area.width();
        std::vector<float> line(size_t(count) + 2); // with nothing on either side
        const uint16_t *a = above >= 0 ? (raster.*plane_).row(0, above) : nullptr,
                       *b = above + 1 < area.height() ? (raster.*plane_).row(0, above + 1) : nullptr;
        const float down = float(v - above);
        for (int u = 0; u < count; ++u) {
            const float first = a ? float(a[u]) : 0.0f, second = b ? float(b[u]) : 0.0f;
            line[size_t(u) + 1] = (first + down * (second - first)) * (1.0f / 65535.0f);
        }
        const double step = grid.stepX / raster.step, shift = 0.5 - area.x0;
        const double first = grid.x(0) / raster.step + shift;
        const int begin = std::max(0, int(std::ceil(-first / step)));
        const int end = std::min(width, int(std::floor((count + 1 - first) / step)) + 1);
        for (int x = begin; x < end; ++x) {
            const double u = std::max(0.0, grid.x(x) / raster.step + shift);
            const int left = std::min(int(u), count);
            const float *at = line.data() + left;
            mask[x] = at[0] + float(u - left) * (at[1] - at[0]);
        }
    }
    bool misses(const PixelGrid &grid, int width, int height) const override
    {
        const Rect &area = raster_->area;
        const double s = raster_->step;
        return area.empty() || grid.x(width) < (area.x0 - 1) * s || grid.x(-1) > (area.x1 + 1) * s ||
               grid.y(height) < (area.y0 - 1) * s || grid.y(-1) > (area.y1 + 1) * s;
    }

private:
    std::shared_ptr<const StrokeRaster> raster_;
    Image<uint16_t> StrokeRaster::*plane_;
};

class Inverted : public ShapeMask {
public:
    explicit Inverted(ShapeMaskPtr mask) : mask_(std::move(mask)) {}
    bool readsLight() const override { return mask_->readsLight(); }
    void row(const PixelGrid &grid, int y, int width, const LightRow &light, float *mask) const override
    {
        mask_->row(grid, y, width, light, mask);
        for (int x = 0; x < width; ++x)
            mask[x] = 1.0f - mask[x];
    }

private:
    ShapeMaskPtr mask_;
};

class Kept : public ShapeMask {
public:
    Kept(ShapeMaskPtr mask, std::shared_ptr<const EdgeModel> model) : mask_(std::move(mask)), model_(std::move(model))
    {
    }
    bool readsLight() const override { return true; }
    void row(const PixelGrid &grid, int y, int width, const LightRow &light, float *mask) const override
    {
        mask_->row(grid, y, width, light, mask);
        if (std::none_of(mask, mask + width, [](float m) { return m != 0.0f; }))
            return;
        Image<float> features({width, 1, kFeatures}, Fill::Anything);
        float *const to[kFeatures] = {features.row(0, 0), features.row(1, 0), features.row(2, 0)};
        featureRow(light, width, model_->dark, to);
        const float *const from[kFeatures] = {to[0], to[1], to[2]};
        keepToEdges(*model_, grid, y, width, from, mask);
    }
    bool misses(const PixelGrid &grid, int width, int height) const override
    {
        return mask_->misses(grid, width, height);
    }

private:
    ShapeMaskPtr mask_;
    std::shared_ptr<const EdgeModel> model_;
};

class Met : public ShapeMask {
public:
    explicit Met(std::vector<std::pair<Meets, ShapeMaskPtr>> shapes) : shapes_(std::move(shapes)) {}
    bool readsLight() const override
    {
        return std::ranges::any_of(shapes_, [](const auto &s) { return s.second->readsLight(); });
    }
    void row(const PixelGrid &grid, int y, int width, const LightRow &light, float *mask) const override
    {
        shapes_.front().second->row(grid, y, width, light, mask);
        std::vector<float> own(static_cast<size_t>(width));
        for (size_t i = 1; i < shapes_.size(); ++i) {
            shapes_[i].second->row(grid, y, width, light, own.data());
            meetRow(shapes_[i].first, own.data(), width, mask);
        }
    }
    bool misses(const PixelGrid &grid, int width, int height) const override
    {
        return std::ranges::all_of(shapes_, [&](const auto &s) {
            return (s.first == Meets::Cut && &s != &shapes_.front()) || s.second->misses(grid, width, height);
        });
    }

private:
    std::vector<std::pair<Meets, ShapeMaskPtr>> shapes_;
};

} // namespace

ShapeMaskPtr wholeMask()
{
    return std::make_shared<Whole>();
}

ShapeMaskPtr gradientMask(Point from, Point to)
{
    return std::hypot(to.x - from.x, to.y - from.y) > 1e-3 ? std::make_shared<Gradient>(from, to) : wholeMask();
}

ShapeMaskPtr ovalMask(Point middle, Point a, Point b, double feather)
{
    const double area = (a.x - middle.x) * (b.y - middle.y) - (a.y - middle.y) * (b.x - middle.x);
    return std::abs(area) > 1e-3 ? std::make_shared<Oval>(middle, a, b, feather) : wholeMask();
}

ShapeMaskPtr stopsMask(double low, double high, double soft)
{
    return std::make_shared<Stops>(low, high, soft);
}

ShapeMaskPtr hueMask(double hue, double width)
{
    return std::make_shared<HueSpan>(hue, width);
}

ShapeMaskPtr strokesMask(std::shared_ptr<const StrokeRaster> raster)
{
    return std::make_shared<Strokes>(std::move(raster), &StrokeRaster::mask);
}

ShapeMaskPtr strokeCoresMask(std::shared_ptr<const StrokeRaster> raster)
{
    return std::make_shared<Strokes>(std::move(raster), &StrokeRaster::core);
}

ShapeMaskPtr inverted(ShapeMaskPtr mask)
{
    return std::make_shared<Inverted>(std::move(mask));
}

ShapeMaskPtr keptToEdges(ShapeMaskPtr mask, std::shared_ptr<const EdgeModel> model)
{
    return std::make_shared<Kept>(std::move(mask), std::move(model));
}

ShapeMaskPtr metMask(std::vector<std::pair<Meets, ShapeMaskPtr>> shapes)
{
    if (shapes.empty())
        return wholeMask();
    return shapes.size() == 1 ? shapes.front().second : std::make_shared<Met>(std::move(shapes));
}

} // namespace yolk
