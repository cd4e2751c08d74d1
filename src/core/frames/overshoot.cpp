#include "frames/overshoot.h"

#include "base/errors.h"
#include "image/copy.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

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
    const Image<float> given = copyOf(radiance);
    std::atomic<long long> filled = 0;
    forEachBand(ctx, given.height(), [&](int y0, int y1) {
        Near from;
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < given.width(); ++x)
                if (isOvershoot(given, x, y, from)) {
                    for (int c = 0; c < 3; ++c)
                        radiance.row(c, y)[x] = given.row(c, from.y)[from.x];
                    ++filled;
                }
    });
    return filled;
}

} // namespace yolk
