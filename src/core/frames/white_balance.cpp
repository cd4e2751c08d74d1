#include "frames/white_balance.h"

#include <algorithm>
#include <cmath>
#include <span>
#include <vector>

namespace yolk {
namespace {

Matrix3 diagonal(const Vector3 &v)
{
    return {{v[0], 0, 0, 0, v[1], 0, 0, 0, v[2]}};
}

/// File RGB as it comes, without any balance, to XYZ with daylight as it is.
Matrix3 unbalancedToXyz(const CodeValues &file)
{
    Matrix3 undo;
    for (size_t i = 0; i < 3; ++i)
        undo.m[4 * i] = file.neutral[i] / file.daylight[i];
    return rgbToXyz(kRec2020) * file.toRec2020 * undo;
}

double luminanceOf(const Vector3 &rec2020)
{
    return double(kLuminance2020[0]) * rec2020[0] + double(kLuminance2020[1]) * rec2020[1] +
           double(kLuminance2020[2]) * rec2020[2];
}

Vector3 scaledToOne(Vector3 v)
{
    const double most = std::ranges::max(v);
    for (double &x : v)
        x /= most;
    return v;
}

} // namespace

Vector3 neutralOf(const CodeValues &file, const WhitePoint &light)
{
    Vector3 rgb = scaledToOne(inverse(unbalancedToXyz(file)) * xyzOf(chromaticityOf(light)));
    constexpr double kLeast = 0.01; // candlelight has less blue than sRGB can say
    for (double &v : rgb)
        v = std::max(v, kLeast);
    return rgb;
}

WhitePoint lightOf(const CodeValues &file, const Vector3 &rgb)
{
    if (!std::ranges::all_of(rgb, [](double v) { return v > 0.0; }))
        throw ArgumentError("this place is too dark to show the colour of the light");
    const Vector3 xyz = unbalancedToXyz(file) * rgb;
    const double sum = xyz[0] + xyz[1] + xyz[2];
    return whitePointOf({xyz[0] / sum, xyz[1] / sum});
}

Matrix3 balancedMatrix(const CodeValues &file, const Vector3 &neutral)
{
    Vector3 scale;
    for (size_t i = 0; i < 3; ++i)
        scale[i] = file.neutral[i] / neutral[i];
    const double keep = luminanceOf(file.toRec2020 * neutral) / luminanceOf(file.toRec2020 * file.neutral);
    for (double &s : scale)
        s *= keep;
    return file.toRec2020 * diagonal(scale);
}

namespace {

/// The most that a surface in the room's own light can show, of sorted values; windows and lamps lie above it. The room
/// is what lies between the 10 and 70 % quantiles, as for the start of the tone, and a white surface lies no further
/// above its mean than white above middle grey.
float brightestInTheRoom(std::span<const float> sorted)
{
    constexpr double kFirst = 0.1, kLast = 0.7, kMiddleGrey = 0.18;
    constexpr double kHighest = 0.98; // share of the pixels: what lies above shines or glints
    const auto at = [&](double share) { return sorted[size_t(share * double(sorted.size() - 1))]; };
    double sum = 0.0;
    int count = 0;
    for (double share = kFirst; share <= kLast; share += 0.02, ++count)
        sum += std::log2(std::max(double(at(share)), 1e-9));
    return std::min(at(kHighest), float(std::exp2(sum / count) / kMiddleGrey));
}

} // namespace

WhitePoint automaticWhite(const CodeValues &file, ImageView<const float> rgb)
{
    constexpr int kApart = 2; // pixels: finer differences are noise
    const int width = rgb.width(), height = rgb.height();
    Image<float> brightness({width, height, 1}, Fill::Anything);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) // brightness enough, of any camera's channels
            brightness.row(0, y)[x] = 0.25f * (rgb.row(0, y)[x] + 2.0f * rgb.row(1, y)[x] + rgb.row(2, y)[x]);
    std::vector<float> sorted;
    for (int y = 0; y < height; ++y)
        sorted.insert(sorted.end(), brightness.row(0, y), brightness.row(0, y) + width);
    std::ranges::sort(sorted);
    const float bound = brightestInTheRoom(sorted);
    Vector3 sums{};
    for (int y = 0; y + kApart < height; ++y)
        for (int x = 0; x + kApart < width; ++x) {
            const float *here = brightness.row(0, y), *below = brightness.row(0, y + kApart);
            if (!(std::max({here[x], here[x + kApart], below[x]}) <= bound))
                continue;
            for (int c = 0; c < 3; ++c) {
                const float *row = rgb.row(c, y), *under = rgb.row(c, y + kApart);
                sums[size_t(c)] += double(std::hypot(row[x + kApart] - row[x], under[x] - row[x]));
            }
        }
    WhitePoint light = lightOf(file, sums);
    light.temperature = std::clamp(light.temperature, 2500.0, 12000.0); // lamps to open shade
    light.tint = std::clamp(light.tint, -15.0, 20.0);
    return light;
}

} // namespace yolk
