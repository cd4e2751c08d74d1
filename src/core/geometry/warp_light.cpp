#include "geometry/warp_light.h"

#include "base/errors.h"
#include "base/vectorise.h"
#include "image/lanczos.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace yolk {
namespace {

constexpr int kTaps = kLanczosTaps, kWide = 8; // of a row, and with zeros behind them

/// Six rows of eight values under weights across and down.
YOLK_MULTIVERSION
float weighed(const float *const rows[kTaps], const float *across, const float *down)
{
    Float8 sums{};
    for (int j = 0; j < kTaps; ++j)
        sums += loaded(rows[j]) * down[j];
    sums *= loaded(across);
    return ((sums[0] + sums[4]) + (sums[1] + sums[5])) + ((sums[2] + sums[6]) + (sums[3] + sums[7]));
}

/// Where the pixels of a view lie in the pixels of what it is made from.
class Places {
public:
    Places(Shape light, const RealRect &shown, const PictureMap &map, const RealRect &picture, const RealRect &frame,
           int width, int height)
        : shown_(shown), map_(map), picture_(picture), frame_(frame), stepX_((picture.x1 - picture.x0) / width),
          stepY_((picture.y1 - picture.y0) / height), perX_(light.width / (shown.x1 - shown.x0)),
          perY_(light.height / (shown.y1 - shown.y0))
    {
        if (light.empty() || width < 1 || height < 1)
            throw ArgumentError("a view needs light and a size");
    }
    /// Pixel centres at +0.5; false outside of the frame.
    bool at(int x, int y, Point &out) const
    {
        const Point q = map_.toReference({picture_.x0 + (x + 0.5) * stepX_, picture_.y0 + (y + 0.5) * stepY_});
        out = {(q.x - shown_.x0) * perX_, (q.y - shown_.y0) * perY_};
        return q.x >= frame_.x0 && q.x <= frame_.x1 && q.y >= frame_.y0 && q.y <= frame_.y1;
    }

private:
    RealRect shown_;
    const PictureMap &map_;
    RealRect picture_, frame_;
    double stepX_, stepY_, perX_, perY_;
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
    const float *kernel = lanczosKernel().data();
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::array<std::array<float, kWide>, kTaps> edge; // pixels of which some repeat
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                Point p;
                const bool reached = places.at(x, y, p);
                if (!reached && !(edgesGoOn && std::isfinite(p.x) && std::isfinite(p.y))) {
                    for (int c = 0; c < 3; ++c)
                        out.row(c, y)[x] = kEmptyLight;
                    continue;
                }
                const double u = std::clamp(p.x, 0.5, light.width() - 0.5) - 0.5;
                const double v = std::clamp(p.y, 0.5, light.height() - 0.5) - 0.5;
                const int left = int(u), top = int(v);
                const float *across = kernel + 8 * std::lround((u - left) * kLanczosPhases);
                const float *down = kernel + 8 * std::lround((v - top) * kLanczosPhases);
                const bool inside =
                    left >= 2 && top >= 2 && left - 2 + kWide <= light.width() && top - 2 + kTaps <= light.height();
                for (int c = 0; c < 3; ++c) {
                    const float *rows[kTaps];
                    for (int j = 0; j < kTaps; ++j) {
                        const float *row = light.row(c, std::clamp(top - 2 + j, 0, light.height() - 1));
                        if (inside) {
                            rows[j] = row + left - 2;
                            continue;
                        }
                        for (int k = 0; k < kWide; ++k)
                            edge[size_t(j)][size_t(k)] = row[std::clamp(left - 2 + k, 0, light.width() - 1)];
                        rows[j] = edge[size_t(j)].data();
                    }
                    const float a = rows[2][2], b = rows[2][3], d = rows[3][2], e = rows[3][3];
                    const float least = std::min(std::min(a, b), std::min(d, e));
                    const float most = std::max(std::max(a, b), std::max(d, e));
                    out.row(c, y)[x] = std::clamp(weighed(rows, across, down), least, most);
                }
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
