#include "adjust/light_curve.h"

#include "base/monotone_spline.h"
#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/primaries.h"
#include "colour/transfer.h"
#include "tone/step_table.h"

#include <cmath>
#include <map>
#include <optional>

namespace yolk {
namespace {

constexpr float kLeast = 0x1p-16f;                             // light: what is darker counts as this
constexpr StepTable::Steps kLight{-16.0f, 64.0f, 16 * 64 + 1}; // log2 of display light, up to white

MonotoneSpline splineOf(const PointList &points)
{
    std::map<double, double> sorted;
    for (const Point &p : points)
        sorted[p.x] = p.y;
    if (sorted.size() == 1) // all at one place: a level
        sorted.emplace(sorted.begin()->first < 0.5 ? 1.0 : 0.0, sorted.begin()->second);
    std::vector<double> x, y;
    for (const auto &[at, value] : sorted) {
        x.push_back(at);
        y.push_back(value);
    }
    return {x, y};
}

std::optional<StepTable> tableOf(const PointList &points)
{
    if (points == kStraight)
        return std::nullopt;
    const MonotoneSpline spline = splineOf(points);
    return StepTable(kLight, [&](double stops) {
        return std::log2(std::max(double(kLeast), decodeSrgb(spline(encodeSrgb(std::exp2(stops))))));
    });
}

YOLK_MULTIVERSION
void stopsRow(const float *light, int width, float *stops)
{
    for (int x = 0; x < width; ++x) {
        float v = light[x];
        v = v > kLeast ? v : kLeast; // NaN falls to the least
        v = v < 1.0f ? v : 1.0f;
        stops[x] = quickLog2(v);
    }
}

YOLK_MULTIVERSION
void luminanceRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, int width,
                  float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] = kLuminance2020[0] * r[x] + kLuminance2020[1] * g[x] + kLuminance2020[2] * b[x];
}

YOLK_MULTIVERSION
void channelRow(const float *__restrict stops, int width, float *__restrict light)
{
    for (int x = 0; x < width; ++x) {
        const float over = light[x] > 1.0f ? light[x] : 1.0f;
        light[x] = quickExp2(stops[x]) * over;
    }
}

/// `before` and `after` in stops of luminance.
YOLK_MULTIVERSION
void scaleRow(const float *__restrict before, const float *__restrict after, int width, float *__restrict r,
              float *__restrict g, float *__restrict b)
{
    constexpr float kDark = 0x1p-12f; // what is darker takes grey where it is lifted
    for (int x = 0; x < width; ++x) {
        const float was = quickExp2(before[x]), is = quickExp2(after[x]), gain = is / was;
        const float near = kDark / (kDark + was - kLeast), grey = gain > 1.0f ? near * near : 0.0f;
        const float coloured = (1.0f - grey) * gain;
        r[x] = r[x] * coloured + grey * is;
        g[x] = g[x] * coloured + grey * is;
        b[x] = b[x] * coloured + grey * is;
    }
}

class CurveKernel : public Adjustment {
public:
    CurveKernel(std::optional<StepTable> luminance, std::optional<StepTable> red, std::optional<StepTable> green,
                std::optional<StepTable> blue)
        : luminance_(std::move(luminance)), channels_{std::move(red), std::move(green), std::move(blue)}
    {
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &) const override
    {
        const int width = in.width();
        std::vector<float> before(static_cast<size_t>(width)), after(before);
        for (int y = 0; y < in.height(); ++y) {
            for (int c = 0; c < 3; ++c)
                if (in.row(c, y) != out.row(c, y))
                    std::copy_n(in.row(c, y), width, out.row(c, y));
            float *r = out.row(0, y), *g = out.row(1, y), *b = out.row(2, y);
            if (luminance_) {
                luminanceRow(r, g, b, width, before.data());
                stopsRow(before.data(), width, before.data());
                luminance_->lookUp(before, 0.0f, after.data());
                scaleRow(before.data(), after.data(), width, r, g, b);
            }
            for (int c = 0; c < 3; ++c)
                if (channels_[c]) {
                    stopsRow(out.row(c, y), width, before.data());
                    channels_[c]->lookUp(before, 0.0f, before.data());
                    channelRow(before.data(), width, out.row(c, y));
                }
        }
    }

private:
    std::optional<StepTable> luminance_, channels_[3];
};

} // namespace

AdjustmentPtr LightCurve::make(const Varied<Settings> &settings)
{
    const Settings &s = settings.settings();
    if (s == Settings())
        return nullptr;
    return std::make_shared<CurveKernel>(tableOf(s.luminance), tableOf(s.red), tableOf(s.green), tableOf(s.blue));
}

double LightCurve::coded(const PointList &points, double code)
{
    return splineOf(points)(code);
}

std::vector<double> LightCurve::coded(const PointList &points, size_t steps)
{
    const auto spline = splineOf(points);
    std::vector<double> out(steps);
    for (size_t i = 0; i < steps; ++i)
        out[i] = spline(double(i) / double(std::max<size_t>(1, steps - 1)));
    return out;
}

std::optional<PointList> LightCurve::withPoint(const PointList &points, const Point &point)
{
    std::vector<Point> out(points.begin(), points.end());
    const auto isNear = [&](const Point &p) { return std::abs(p.x - point.x) < kApart; };
    if (out.size() >= kMost || std::ranges::any_of(out, isNear))
        return std::nullopt;
    out.insert(std::ranges::find_if(out, [&](const Point &p) { return p.x > point.x; }), point);
    return PointList(std::move(out));
}

} // namespace yolk
