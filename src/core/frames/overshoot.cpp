#include "frames/overshoot.h"

#include "base/errors.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <vector>

namespace yolk {
namespace {

float lightAt(const Image<float> &radiance, int x, int y)
{
    return 0.25f * (radiance.row(0, y)[x] + 2.0f * radiance.row(1, y)[x] + radiance.row(2, y)[x]);
}

struct Near {
    float light = 0.0f;
    int x = 0, y = 0;
};

/// What the pixel is to be filled from; false: it is none of a ring.
bool isOvershoot(const Image<float> &radiance, int x, int y, Near &from)
{
    constexpr int kReach = 2;
    constexpr float kLamp = 32.0f, kDeepest = 0.25f;
    const float own = lightAt(radiance, x, y);
    if (!(own < 0.0f))
        return false;
    std::array<Near, 25> near{};
    std::array<float, 25> sizes{};
    size_t count = 0, lit = 0;
    float most = 0.0f, least = 0.0f, sum = 0.0f;
    for (int v = std::max(0, y - kReach); v <= std::min(radiance.height() - 1, y + kReach); ++v)
        for (int u = std::max(0, x - kReach); u <= std::min(radiance.width() - 1, x + kReach); ++u) {
            const float light = lightAt(radiance, u, v);
            sizes[count++] = std::abs(light);
            most = std::max(most, light);
            least = std::min(least, light);
            sum += light;
            if (light > 0.0f)
                near[lit++] = {light, u, v};
        }
    const auto quartile = [](auto first, size_t size) { return first + ptrdiff_t(size / 4); };
    std::nth_element(sizes.begin(), quartile(sizes.begin(), count), sizes.begin() + ptrdiff_t(count));
    const bool besideLamp = most >= kLamp * *quartile(sizes.begin(), count) && -least < kDeepest * most;
    const bool amongLights = sum >= float(count) * -least;
    if (!besideLamp && !amongLights)
        return false;
    const auto at = quartile(near.begin(), lit);
    std::ranges::nth_element(near.begin(), at, near.begin() + ptrdiff_t(lit), {}, &Near::light);
    from = *at;
    return true;
}

} // namespace

long long fillOvershoot(Image<float> &radiance, ExecContext &ctx)
{
    if (radiance.planes() != 3)
        throw ArgumentError("overshoot: not three planes");
    struct Filled {
        int x = 0, y = 0;
        std::array<float, 3> by{};
    };
    std::vector<Filled> all; // set once all are found: what is filled says nothing of its neighbours
    std::mutex guard;
    forEachBand(ctx, radiance.height(), [&](int y0, int y1) {
        std::vector<Filled> own;
        Near from;
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < radiance.width(); ++x)
                if (isOvershoot(radiance, x, y, from))
                    own.push_back({x,
                                   y,
                                   {radiance.row(0, from.y)[from.x], radiance.row(1, from.y)[from.x],
                                    radiance.row(2, from.y)[from.x]}});
        const std::lock_guard lock(guard);
        all.insert(all.end(), own.begin(), own.end());
    });
    for (const Filled &f : all)
        for (int c = 0; c < 3; ++c)
            radiance.row(c, f.y)[f.x] = f.by[size_t(c)];
    return static_cast<long long>(all.size());
}

} // namespace yolk
