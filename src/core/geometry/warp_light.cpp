#include "geometry/warp_light.h"

#include "base/errors.h"
#include "base/vectorise.h"
#include "image/lanczos.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kTaps = kLanczosTaps;
constexpr int kLanes = 4;                            // of a pixel: R, G, B and nothing
constexpr int kBefore = 2, kAfter = kTaps - kBefore; // pixels that repeat round the light

/// The kernel with every weight four times, for the lanes of a pixel.
const std::vector<float> &spreadKernel()
{
    static const std::vector<float> spread = [] {
        constexpr size_t kWeights = 8; // of a place in lanczosKernel()
        const std::vector<float> &kernel = lanczosKernel();
        std::vector<float> out;
        for (size_t place = 0; place < kernel.size() / kWeights; ++place)
            for (size_t k = 0; k < size_t(kTaps); ++k)
                out.insert(out.end(), kLanes, kernel[kWeights * place + k]);
        return out;
    }();
    return spread;
}

/// Light with its channels side by side and its edges repeated, so that every place has all that the kernel reads.
Image<float> packed(ImageView<const float> light, ExecContext &ctx)
{
    const int width = light.width(), height = light.height();
    Image<float> out({kLanes * (width + kBefore + kAfter), height + kBefore + kAfter, 1}, Fill::Anything);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            const int from = std::clamp(y - kBefore, 0, height - 1);
            const float *r = light.row(0, from), *g = light.row(1, from), *b = light.row(2, from);
            float *to = out.row(0, y);
            const auto put = [&](int at, int x) {
                to[kLanes * at] = r[x];
                to[kLanes * at + 1] = g[x];
                to[kLanes * at + 2] = b[x];
                to[kLanes * at + 3] = 0.0f;
            };
            for (int x = 0; x < kBefore; ++x)
                put(x, 0);
            for (int x = 0; x < width; ++x)
                put(kBefore + x, x);
            for (int x = 0; x < kAfter; ++x)
                put(kBefore + width + x, width - 1);
        }
    });
    return out;
}

YOLK_INLINE Float4 least(Float4 a, Float4 b)
{
    return a < b ? a : b;
}
YOLK_INLINE Float4 most(Float4 a, Float4 b)
{
    return a > b ? a : b;
}

/// The pixels `at` of a row from packed light, whose pixel (u, v) is the second before the place that is asked for. Held
/// between the four pixels round the place.
YOLK_MULTIVERSION
void weighRow(const float *light, ptrdiff_t stride, const float *spread, const float *kernel, const int *at, int count,
              const float *u, const float *v, float *const out[3])
{
    for (int i = 0; i < count; ++i) {
        const int x = at[i], left = int(u[x]), top = int(v[x]);
        const float *across = spread + kTaps * kLanes * int((u[x] - float(left)) * float(kLanczosPhases) + 0.5f);
        const float *down = kernel + 8 * int((v[x] - float(top)) * float(kLanczosPhases) + 0.5f);
        const float *from = light + ptrdiff_t(top) * stride + kLanes * left;
        const Float8 a = loaded(across), b = loaded(across + 8), c = loaded(across + 16);
        Float8 sums{};
        for (int j = 0; j < kTaps; ++j) {
            const float *row = from + j * stride;
            sums += (loaded(row) * a + loaded(row + 8) * b + loaded(row + 16) * c) * down[j];
        }
        const Float8 upper = loaded(from + kBefore * stride + kBefore * kLanes),
                     lower = loaded(from + (kBefore + 1) * stride + kBefore * kLanes);
        const Float4 p{upper[0], upper[1], upper[2], upper[3]}, q{upper[4], upper[5], upper[6], upper[7]};
        const Float4 r{lower[0], lower[1], lower[2], lower[3]}, s{lower[4], lower[5], lower[6], lower[7]};
        Float4 sum = Float4{sums[0], sums[1], sums[2], sums[3]} + Float4{sums[4], sums[5], sums[6], sums[7]};
        sum = most(sum, least(least(p, q), least(r, s)));
        sum = least(sum, most(most(p, q), most(r, s)));
        out[0][x] = sum[0];
        out[1][x] = sum[1];
        out[2][x] = sum[2];
    }
}

/// Where the pixels of a view lie in the pixels of what it is made from.
class Places {
public:
    Places(Shape light, const RealRect &shown, const PictureMap &map, const RealRect &picture, const RealRect &frame,
           int width, int height)
        : shown_(shown), map_(map), picture_(picture), frame_(frame), stepX_((picture.x1 - picture.x0) / width),
          stepY_((picture.y1 - picture.y0) / height), perX_(light.width / (shown.x1 - shown.x0)),
          perY_(light.height / (shown.y1 - shown.y0)), lastU_(float(light.width - 1)), lastV_(float(light.height - 1))
    {
        if (light.empty() || width < 1 || height < 1)
            throw ArgumentError("a view needs light and a size");
    }
    /// Pixel centres at +0.5; false outside of the frame.
    bool at(int x, int y, Point &out) const
    {
        const Point q = reference(x, y);
        out = inLight(q);
        return isReached(q);
    }
    /// Of a whole row: the pixel before each place, within the light, and which of them are to be filled. The map is asked
    /// at some of them; between these it is as good as straight: within 0.02 pixels under the strongest settings.
    void row(int y, int width, bool edgesGoOn, std::vector<float> &u, std::vector<float> &v,
             std::vector<int> &filled) const
    {
        constexpr int kStep = 16;
        filled.clear();
        Point low = reference(0, y);
        for (int x0 = 0; x0 < width; x0 += kStep) {
            const Point high = reference(x0 + kStep, y);
            const int count = std::min(kStep, width - x0);
            const Point from = inLight(low), to = inLight(high);
            const double stepU = (to.x - from.x) / kStep, stepV = (to.y - from.y) / kStep;
            for (int i = 0; i < count; ++i) {
                u[size_t(x0 + i)] = within(float(from.x + i * stepU) - 0.5f, lastU_);
                v[size_t(x0 + i)] = within(float(from.y + i * stepV) - 0.5f, lastV_);
            }
            const bool finite = std::isfinite(from.x + from.y) && std::isfinite(to.x + to.y);
            const bool all = finite && (edgesGoOn || (isReached(low) && isReached(high)));
            for (int i = 0; finite && i < count; ++i) {
                const double t = double(i) / kStep;
                if (all || isReached({low.x + t * (high.x - low.x), low.y + t * (high.y - low.y)}))
                    filled.push_back(x0 + i);
            }
            low = high;
        }
    }

private:
    Point reference(int x, int y) const
    {
        return map_.toReference({picture_.x0 + (x + 0.5) * stepX_, picture_.y0 + (y + 0.5) * stepY_});
    }
    Point inLight(Point q) const { return {(q.x - shown_.x0) * perX_, (q.y - shown_.y0) * perY_}; }
    static float within(float at, float last)
    {
        at = at > 0.0f ? at : 0.0f;
        return at < last ? at : last;
    }
    bool isReached(Point q) const
    {
        constexpr double kRounding = 1e-7; // pixels
        return q.x >= frame_.x0 - kRounding && q.x <= frame_.x1 + kRounding && q.y >= frame_.y0 - kRounding &&
               q.y <= frame_.y1 + kRounding;
    }
    RealRect shown_;
    const PictureMap &map_;
    RealRect picture_, frame_;
    double stepX_, stepY_, perX_, perY_;
    float lastU_, lastV_;
};

} // namespace

Image<float> warpLight(ImageView<const float> light, const RealRect &shown, const PictureMap &map,
                       const RealRect &picture, const RealRect &frame, int width, int height, bool edgesGoOn,
                       ExecContext &ctx)
{
    const Places places(light.shape(), shown, map, picture, frame, width, height);
    if (light.planes() != 3)
        throw ArgumentError("finished light has three planes");
    Image<float> out({width, height, 3}, Fill::Anything);
    const Image<float> source = packed(light, ctx);
    const float *kernel = lanczosKernel().data(), *spread = spreadKernel().data();
    const ptrdiff_t stride = source.row(0, 1) - source.row(0, 0);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<float> u(static_cast<size_t>(width)), v(u.size());
        std::vector<int> filled;
        for (int y = y0; y < y1; ++y) {
            float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
            places.row(y, width, edgesGoOn, u, v, filled);
            if (filled.size() < u.size())
                for (float *plane : to)
                    std::fill_n(plane, width, kEmptyLight);
            weighRow(source.row(0, 0), stride, spread, kernel, filled.data(), int(filled.size()), u.data(), v.data(),
                     to);
        }
    });
    return out;
}

Image<uint8_t> warpMarks(ImageView<const uint8_t> marks, const RealRect &shown, const PictureMap &map,
                         const RealRect &picture, const RealRect &frame, int width, int height, ExecContext &ctx)
{
    const Places places(marks.shape(), shown, map, picture, frame, width, height);
    Image<uint8_t> out(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x)
                if (Point p; places.at(x, y, p))
                    out.row(0, y)[x] = marks.row(
                        0, std::clamp(int(p.y), 0, marks.height() - 1))[std::clamp(int(p.x), 0, marks.width() - 1)];
    });
    return out;
}

} // namespace yolk
