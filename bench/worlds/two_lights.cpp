#include "worlds/two_lights.h"

#include "counted_noise.h"
#include "frames/light_mixture.h"
#include "support/ciede2000.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::worlds {
namespace {

/// Numbers of one seed, one after the other.
class Numbers {
public:
    explicit Numbers(uint64_t seed) : seed_(demo::hashed(seed + 0x77a1)) {}
    double between(double low, double high) { return std::lerp(low, high, demo::uniform(seed_, n_++)); }
    double normal() { return demo::normal(seed_ ^ 0x5bd1, n_++); }
    bool chance(double p) { return demo::uniform(seed_, n_++) < p; }

private:
    uint64_t seed_, n_ = 0;
};

/// File RGB of a white light, of luminance 1.
Vector3 colourOf(const WhitePoint &light)
{
    Vector3 rgb = neutralOf(assumedSrgb(), light);
    const Vector3 rec2020 = assumedSrgb().toRec2020 * rgb;
    double luminance = 0.0;
    for (size_t c = 0; c < 3; ++c)
        luminance += double(kLuminance2020[c]) * rec2020[c];
    for (double &v : rgb)
        v /= luminance;
    return rgb;
}

/// The mean of file RGB round a place.
Vector3 meanAt(const Image<float> &rgb, int x, int y)
{
    Vector3 out{};
    for (int v = -1; v <= 1; ++v)
        for (int u = -1; u <= 1; ++u)
            for (size_t c = 0; c < 3; ++c)
                out[c] += double(rgb.row(int(c), y + v)[x + u]);
    return out;
}

} // namespace

TwoLights twoLightsOf(uint64_t seed, int width, int height, ExecContext &ctx)
{
    Numbers numbers(seed);
    const SceneSpec spec{.seed = seed, .width = width, .height = height, .stops = numbers.between(3.0, 7.0)};
    std::vector<Leaf> things = growLeaves(spec), greys = things, underLamp, underDay;
    const double woods = numbers.between(0.0, 0.6), neutrals = numbers.between(0.25, 0.6);
    for (size_t i = 0; i < things.size(); ++i) {
        Leaf &thing = things[i];
        const float light = thing.light[1];
        const bool isGrey = numbers.chance(neutrals), isWood = numbers.chance(woods);
        const double warm = isWood ? numbers.between(0.15, 0.9) : 0.35 * numbers.normal(),
                     tint = (isWood ? 0.08 : 0.2) * numbers.normal();
        thing.light = {light, light, light};
        if (!isGrey)
            thing.light = {light * float(std::exp2(warm)), light * float(std::exp2(tint)),
                           light * float(std::exp2(-warm))};
        greys[i].surface = LeafSurface::Flat;
        greys[i].light.fill(isGrey ? 1.0f : 0.0f);
    }
    underLamp = underDay = things;
    for (size_t i = 0; i < things.size(); ++i) { // each thing turns its own way
        const float toLamp = float(std::exp2(0.5 * numbers.normal())), toDay = float(std::exp2(0.5 * numbers.normal()));
        for (size_t c = 0; c < 3; ++c) {
            underLamp[i].light[c] *= toLamp;
            underDay[i].light[c] *= toDay;
        }
    }
    TwoLights out;
    out.seen = Image<float>(width, height, 3);
    out.white = Image<float>(width, height, 3);
    out.lamp = Image<float>(width, height, 1);
    out.grey = Image<uint8_t>(width, height, 1);
    out.lampLight = {numbers.between(2300.0, 3600.0), 4.0 * numbers.normal()};
    out.day = {numbers.between(4800.0, 7800.0), 3.0 * numbers.normal()};
    const Vector3 lampColour = colourOf(out.lampLight), dayColour = colourOf(out.day);
    const Image<float> lit = renderLeaves(underLamp, spec, {}, 0.0, ctx),
                       sunny = renderLeaves(underDay, spec, {}, 0.0, ctx),
                       grey = renderLeaves(greys, spec, {}, 0.0, ctx);
    const double diagonal = std::hypot(width, height), lampX = numbers.between(0.0, width),
                 lampY = numbers.between(0.0, height), reach = numbers.between(0.12, 0.4) * diagonal;
    const double side = numbers.between(0.0, 2.0 * std::numbers::pi), fall = numbers.between(0.15, 0.5) * diagonal;
    const double balance = std::exp2(numbers.normal());
    const double noise = numbers.between(0.0, 0.02);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                const double far = std::hypot(x - lampX, y - lampY) / reach;
                const double lamp = balance / (1.0 + far * far);
                const double deep =
                    (x - width / 2.0) * std::cos(side) + (y - height / 2.0) * std::sin(side) + diagonal / 2.0;
                const double day = 0.03 + std::exp(-deep / fall);
                const double fromLamp = lamp * double(lit.row(1, y)[x]), fromDay = day * double(sunny.row(1, y)[x]);
                out.lamp.row(0, y)[x] = float(fromLamp / (fromLamp + fromDay));
                out.grey.row(0, y)[x] = grey.row(0, y)[x] > 0.999f;
                for (int c = 0; c < 3; ++c) {
                    const double a = lamp * double(lit.row(c, y)[x]), b = day * double(sunny.row(c, y)[x]);
                    out.white.row(c, y)[x] = float(a + b);
                    const double grain =
                        noise * demo::normal(seed ^ uint64_t(c + 1), uint64_t(y) * uint64_t(width) + uint64_t(x));
                    out.seen.row(c, y)[x] =
                        float((a * lampColour[size_t(c)] + b * dayColour[size_t(c)]) * std::max(0.1, 1.0 + grain));
                }
            }
    });
    // The places that somebody would click: neutral all round, and the lamp's or the window's light as far as there is any.
    double most = -1.0, least = 2.0;
    for (int y = 4; y < height - 4; y += 2)
        for (int x = 4; x < width - 4; x += 2) {
            bool neutral = true;
            for (int v = -3; v <= 3 && neutral; ++v)
                for (int u = -3; u <= 3 && neutral; ++u)
                    neutral = out.grey.row(0, y + v)[x + u] != 0;
            const double share = out.lamp.row(0, y)[x];
            if (neutral && share > most) {
                most = share;
                out.lampPick = meanAt(out.seen, x, y);
            }
            if (neutral && share < least) {
                least = share;
                out.dayPick = meanAt(out.seen, x, y);
            }
        }
    return out;
}

TwoLightsVerdict judgeTwoLights(const TwoLights &world, ExecContext &ctx)
{
    const CodeValues &file = assumedSrgb();
    const Matrix3 base = balancedMatrix(file, neutralOf(file, lightOf(file, world.dayPick)));
    const LightMixture mixture = lightMixture(file, world.seen.view(), world.lampPick, world.dayPick, ctx);
    const MixtureGains gains(mixture, base, 1.0);
    const int width = world.seen.width(), height = world.seen.height();
    Image<float> mended(width, height, 3);
    for (int y = 0; y < height; ++y) {
        const float *const from[3] = {world.seen.row(0, y), world.seen.row(1, y), world.seen.row(2, y)};
        float *const to[3] = {mended.row(0, y), mended.row(1, y), mended.row(2, y)};
        gains.apply(from, width, 0.5 / width, 1.0 / width, (y + 0.5) / height, to);
    }
    const auto labAt = [](const Vector3 &rec2020, double lightness) { // at a lightness
        const double y = std::pow((lightness + 16.0) / 116.0, 3);
        double luminance = 0.0;
        for (size_t c = 0; c < 3; ++c)
            luminance += double(kLuminance2020[c]) * rec2020[c];
        return test::labOf({rec2020[0] * y / luminance, rec2020[1] * y / luminance, rec2020[2] * y / luminance});
    };
    const auto at = [&](const Image<float> &rgb, const Matrix3 &m, int x, int y) {
        return m * Vector3{rgb.row(0, y)[x], rgb.row(1, y)[x], rgb.row(2, y)[x]};
    };
    constexpr double kLightness = 60.0, kClose = 3.0;
    double greys = 0, close = 0, lampGreys = 0, lampClose = 0, closeOne = 0;
    std::vector<double> colours, coloursOne;
    for (int y = 1; y < height; y += 3)
        for (int x = 1; x < width; x += 3) {
            const Vector3 now = labAt(at(mended, base, x, y), kLightness),
                          one = labAt(at(world.seen, base, x, y), kLightness);
            if (world.grey.row(0, y)[x]) {
                const Vector3 neutral{kLightness, 0.0, 0.0};
                const bool good = test::ciede2000(now, neutral) <= kClose;
                ++greys;
                close += good;
                closeOne += test::ciede2000(one, neutral) <= kClose;
                if (world.lamp.row(0, y)[x] > 0.5) {
                    ++lampGreys;
                    lampClose += good;
                }
            } else {
                const Vector3 truth = labAt(at(world.white, file.toRec2020, x, y), kLightness);
                colours.push_back(test::ciede2000(now, truth));
                coloursOne.push_back(test::ciede2000(one, truth));
            }
        }
    const auto median = [](std::vector<double> &v) {
        if (v.empty())
            return 0.0;
        std::ranges::nth_element(v, v.begin() + ptrdiff_t(v.size() / 2));
        return v[v.size() / 2];
    };
    const auto share = [](double part, double whole) { return whole > 0.0 ? part / whole : 1.0; };
    return {share(close, greys),
            share(lampClose, lampGreys),
            share(close - lampClose, greys - lampGreys),
            share(closeOne, greys),
            median(colours),
            median(coloursOne)};
}

} // namespace yolk::worlds
