#include "adjust/finish/haze.h"

#include "adjust/finish/survey_images.h"
#include "base/quick_math.h"
#include "colour/primaries.h"
#include "image/mat_p.h"
#include "image/soft_map.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace yolk {
namespace {

/// Of the veil that the darkest channel speaks for: at 100 all of it goes, and what is darkest is left a trace of light.
constexpr float kAlmostAll = 0.98f;
constexpr float kTiny = 0x1p-20f; // of light, for its logarithm: as stopsOf()
/// Stops under the air by which a veil may still be told, from 1.5 % of its light on.
constexpr float kToldBelow = 6.0f;

struct Air {
    std::array<float, 3> light, per; ///< and one over it
    float stop;                      ///< log2 of its luminance
    float from, to;                  ///< veils fade in between

    /// What a veil is told by: brighter than the air says no more than as bright, and a lamp, many stops above it, would
    /// bend the line through all that lies round it.
    YOLK_INLINE float guide(float stops) const
    {
        const float below = stop - kToldBelow;
        stops = stops > below ? stops : below;
        return stops < stop ? stops : stop;
    }
};

YOLK_MULTIVERSION
void clearRow(const float *const *in, const float *slope, const float *offset, const float *around,
              const float *strength, int width, const Air &air, float *const *out)
{
    constexpr float kLeast = 0.1f, kPercent = 0.01f, kAdded = 2.0f, kEverywhere = 0.2f;
    const float *const inR = in[0], *const inG = in[1], *const inB = in[2];
    float *const outR = out[0], *const outG = out[1], *const outB = out[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `out` may be `in`, and overlaps nothing else
        const float r = inR[x], g = inG[x], b = inB[x];
        const float y = kLuminance2020[0] * r + kLuminance2020[1] * g + kLuminance2020[2] * b;
        float t = slope[x] * air.guide(quickLog2(y > kTiny ? y : kTiny)) + offset[x];
        t = t > kLeast ? t : kLeast;
        t = t < 1.0f ? t : 1.0f;
        const float s = kPercent * strength[x];
        float near = (1.0f - t - air.from) / (air.to - air.from);
        near = near > 0.0f ? near : 0.0f;
        near = near < 1.0f ? near : 1.0f;
        const float red = r * air.per[0], green = g * air.per[1], blue = b * air.per[2];
        float darkest = red < green ? red : green;
        darkest = kAlmostAll * (darkest < blue ? darkest : blue);
        darkest = darkest > 0.0f ? darkest : 0.0f;
        const float there = 1.0f - t < darkest ? 1.0f - t : darkest;
        const float veil = (s > 0.0f ? s : 0.0f) * there * near * near * (3.0f - 2.0f * near);
        const float through = 1.0f - veil > kLeast ? 1.0f - veil : kLeast;
        const float more = quickExp2((s < 0.0f ? s : 0.0f) * kAdded * (kEverywhere - quickLog2(t)));
        const float per = more / through, add = (1.0f - more) * around[x];
        outR[x] = (r - veil * air.light[0]) * per + add;
        outG[x] = (g - veil * air.light[1]) * per + add;
        outB[x] = (b - veil * air.light[2]) * per + add;
    }
}

/// What the scene says of its air, without what the settings say: from and to are not set.
struct Veil {
    Air air;
    SoftMap through; ///< planes: slope and offset over the guide of what comes through, light round a place
};

class ClearedAir : public Adjustment {
public:
    ClearedAir(Parameter strength, const Air &air, std::shared_ptr<const Veil> veil)
        : strength_(std::move(strength)), thickens_(strength_.varies() || strength_.value < 0.0), air_(air),
          veil_(std::move(veil))
    {
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const size_t width = size_t(out.width());
        std::vector<float> slope(width), offset(width), around(width), amount;
        SoftMap::Rows through = veil_->through.rows(grid, out.width());
        for (int y = 0; y < out.height(); ++y) {
            through.read(0, y, slope.data());
            through.read(1, y, offset.data());
            if (thickens_)
                through.read(2, y, around.data());
            const float *const from[3] = {in.row(0, y), in.row(1, y), in.row(2, y)};
            float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
            clearRow(from, slope.data(), offset.data(), around.data(), strength_.row(grid, y, out.width(), amount),
                     out.width(), air_, to);
        }
    }

private:
    Parameter strength_;
    bool thickens_; ///< somewhere: what lies round a place is read
    Air air_;
    std::shared_ptr<const Veil> veil_;
};

/// Without dots: one dead pixel would speak for all of its patch, and one lamp bend the line through all round it.
cv::Mat withoutDots(const cv::Mat &of)
{
    constexpr int kDot = 5; // pixels
    cv::Mat out;
    cv::medianBlur(of, out, kDot);
    return out;
}

/// The darkest of the channels, each over `white`, within a patch.
cv::Mat darkest(ImageView<const float> scene, const std::array<float, 3> &white, int radius)
{
    cv::Mat out;
    for (int c = 0; c < 3; ++c) {
        const cv::Mat share = matOf(scene, c) / double(white[size_t(c)]);
        out = c == 0 ? share.clone() : cv::Mat(cv::min(out, share));
    }
    cv::erode(withoutDots(out), out, cv::Mat::ones(2 * radius + 1, 2 * radius + 1, CV_8U));
    return out;
}

float luminance(const std::array<float, 3> &rgb)
{
    return kLuminance2020[0] * rgb[0] + kLuminance2020[1] * rgb[1] + kLuminance2020[2] * rgb[2];
}

std::array<float, 3> lightOfAir(ImageView<const float> scene, int radius)
{
    constexpr double kBrightest = 0.01;
    const cv::Mat dark = darkest(scene, {1.0f, 1.0f, 1.0f}, radius);
    std::vector<float> sorted(dark.begin<float>(), dark.end<float>());
    const auto at = sorted.begin() + ptrdiff_t((1.0 - kBrightest) * double(sorted.size() - 1));
    std::ranges::nth_element(sorted, at);
    std::array<double, 3> sum{};
    double count = 0.0;
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x)
            if (dark.at<float>(y, x) >= *at) {
                ++count;
                for (int c = 0; c < 3; ++c)
                    sum[size_t(c)] += double(scene.row(c, y)[x]);
            }
    std::array<float, 3> out{};
    for (size_t c = 0; c < 3; ++c)
        out[c] = std::max(kTiny, float(sum[c] / std::max(1.0, count)));
    return out;
}

/// Slope and offset over the guide of what comes through, [He2013], and room for a third plane.
Image<float> guided(const cv::Mat &through, const cv::Mat &guide, int radius)
{
    constexpr double kEdge = 0.1; // stops: what differs less is one thing
    const auto mean = [&](const cv::Mat &of) {
        cv::Mat out;
        cv::blur(of, out, {2 * radius + 1, 2 * radius + 1}, {-1, -1}, cv::BORDER_REFLECT_101);
        return out;
    };
    const cv::Mat g = mean(guide), t = mean(through);
    const cv::Mat variance = mean(guide.mul(guide)) - g.mul(g), together = mean(guide.mul(through)) - g.mul(t);
    cv::Mat slope;
    cv::divide(together, cv::Mat(variance + kEdge * kEdge), slope);
    const cv::Mat offset = t - slope.mul(g);
    Image<float> out(through.cols, through.rows, 3);
    const cv::Mat both[2] = {mean(slope), mean(offset)};
    for (int p = 0; p < 2; ++p)
        for (int y = 0; y < out.height(); ++y)
            std::copy_n(both[p].ptr<float>(y), out.width(), out.row(p, y));
    return out;
}

class HazeKernel : public Adjustment {
public:
    explicit HazeKernel(const Varied<HazeSettings> &s)
        : strength_(s[&HazeSettings::strength]), reach_(s.settings().reach)
    {
    }
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        auto veil = survey.seen<Veil>("haze", 0.0, [&] { return veilOf(survey); });
        Air air = veil->air;
        air.from = 0.8f * (1.0f - float(reach_) / 100.0f) - 0.2f;
        air.to = air.from + 0.2f;
        return std::make_shared<ClearedAir>(strength_, air, std::move(veil));
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    static Veil veilOf(const Survey &survey)
    {
        constexpr double kPatch = 0.015, kFilter = 0.05; // of the longer side
        const int longer = std::max(survey.scene.width(), survey.scene.height());
        const int patch = std::max(1, int(std::lround(kPatch * longer)));
        Air air{};
        air.light = lightOfAir(survey.scene, patch);
        for (size_t c = 0; c < 3; ++c)
            air.per[c] = 1.0f / air.light[c];
        air.stop = std::log2(luminance(air.light));
        const cv::Mat through = 1.0 - double(kAlmostAll) * cv::min(darkest(survey.scene, air.light, patch), 1.0);
        const Image<float> stops = stopsOf(survey.scene);
        const int radius = std::max(2, int(std::lround(kFilter * longer)));
        Image<float> guide(stops.shape());
        for (int y = 0; y < guide.height(); ++y)
            std::transform(stops.row(0, y), stops.row(0, y) + guide.width(), guide.row(0, y),
                           [&](float stop) { return air.guide(stop); });
        Image<float> maps = guided(through, withoutDots(matOf(guide)), radius);
        constexpr double kAround = 0.2;
        const Image<float> around = blurred(stops.view(), kAround);
        for (int y = 0; y < maps.height(); ++y)
            std::transform(around.row(0, y), around.row(0, y) + maps.width(), maps.row(2, y),
                           [](float stop) { return std::exp2(stop); });
        return {air, SoftMap(std::move(maps), survey.width, survey.height)};
    }

    Parameter strength_;
    double reach_;
};

} // namespace

AdjustmentPtr Haze::make(const Varied<Settings> &settings)
{
    if (settings[&Settings::strength].is(0.0))
        return nullptr;
    return std::make_shared<HazeKernel>(settings);
}

} // namespace yolk
