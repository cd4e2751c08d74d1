#include "counted_noise.h"
#include "simulated_camera.h"

#include "base/errors.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk::demo {
namespace {

std::array<double, 4> catmullRom(double t)
{
    return {((-0.5 * t + 1.0) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1.0, ((-1.5 * t + 2.0) * t + 0.5) * t,
            (0.5 * t - 0.5) * t * t};
}

/// One plane at a place between pixels; x and y count from the corner, centres at +0.5.
double sample(ImageView<const float> image, int plane, double x, double y)
{
    const double fx = std::floor(x - 0.5), fy = std::floor(y - 0.5);
    const auto wx = catmullRom(x - 0.5 - fx), wy = catmullRom(y - 0.5 - fy);
    double sum = 0.0;
    float least = 0.0f, most = 0.0f;
    for (int j = 0; j < 4; ++j) {
        const float *row = image.row(plane, std::clamp(int(fy) + j - 1, 0, image.height() - 1));
        for (int i = 0; i < 4; ++i) {
            const float v = row[std::clamp(int(fx) + i - 1, 0, image.width() - 1)];
            sum += wx[size_t(i)] * wy[size_t(j)] * double(v);
            if ((i == 1 || i == 2) && (j == 1 || j == 2)) {
                const bool first = i == 1 && j == 1;
                least = first ? v : std::min(least, v);
                most = first ? v : std::max(most, v);
            }
        }
    }
    return std::clamp(sum, double(least), double(most));
}

/// Gaussian over 3 standard deviations, by rows and columns; past the edge the edge repeats.
Image<float> blurred(ImageView<const float> in, double sigma)
{
    const int reach = std::max(1, int(std::ceil(3.0 * sigma)));
    std::vector<double> weights;
    double total = 0.0;
    for (int i = -reach; i <= reach; ++i)
        total += weights.emplace_back(std::exp(-0.5 * i * i / (sigma * sigma)));
    Image<float> rows(in.shape()), out(in.shape());
    for (int c = 0; c < 3; ++c) {
        for (int y = 0; y < in.height(); ++y)
            for (int x = 0; x < in.width(); ++x) {
                double sum = 0.0;
                for (int i = -reach; i <= reach; ++i)
                    sum += weights[size_t(i + reach)] * double(in.row(c, y)[std::clamp(x + i, 0, in.width() - 1)]);
                rows.row(c, y)[x] = float(sum / total);
            }
        for (int y = 0; y < in.height(); ++y)
            for (int x = 0; x < in.width(); ++x) {
                double sum = 0.0;
                for (int i = -reach; i <= reach; ++i)
                    sum += weights[size_t(i + reach)] * double(rows.row(c, std::clamp(y + i, 0, in.height() - 1))[x]);
                out.row(c, y)[x] = float(sum / total);
            }
    }
    return out;
}

} // namespace

std::vector<Speck> specksOf(const Lens &lens, int width, int height)
{
    std::vector<Speck> out;
    for (int i = 0; i < lens.dustSpots; ++i) {
        const auto draw = [&](uint64_t n) { return uniform(lens.dustSeed, uint64_t(i) * 4 + n); };
        const double size = std::hypot(width, height) * 0.004;
        out.push_back({draw(0) * width, draw(1) * height,
                       lens.dustRadius > 0.0 ? lens.dustRadius : size * (0.6 + 0.9 * draw(2)),
                       lens.dustDepth > 0.0 ? lens.dustDepth : 0.12 + 0.25 * draw(3)});
    }
    return out;
}

Image<float> throughLens(ImageView<const float> sharp, const Lens &lens)
{
    const auto within = [](double v, double low, double high) { return v >= low && v <= high; };
    if (!within(lens.softness, 0.0, 3.0) || !within(lens.barrel, 0.0, 0.2) || !within(lens.redFringe, -0.01, 0.01) ||
        !within(lens.blueFringe, -0.01, 0.01) || !within(lens.vignetting, 0.0, 4.0) ||
        !within(lens.antiAlias, 0.0, 2.0) || lens.dustSpots < 0 || lens.dustSpots > 100 ||
        !within(lens.dustRadius, 0.0, 1000.0) || !within(lens.dustDepth, 0.0, 1.0))
        throw ArgumentError("lens: a value is out of range");
    const double sigma = std::hypot(lens.softness, lens.antiAlias); // widths of normal blurs add so
    const Image<float> soft = sigma > 0.0 ? blurred(sharp, sigma) : Image<float>();
    const ImageView<const float> radiance = sigma > 0.0 ? soft.view() : sharp;
    Image<float> out(radiance.shape());
    const int width = radiance.width(), height = radiance.height();
    const double cx = width / 2.0, cy = height / 2.0, corner = cx * cx + cy * cy;
    const double larger[3] = {1.0 + lens.redFringe, 1.0, 1.0 + lens.blueFringe};
    const std::vector<Speck> specks = specksOf(lens, width, height);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double dx = x + 0.5 - cx, dy = y + 0.5 - cy, r2 = (dx * dx + dy * dy) / corner;
            double light = std::exp2(-lens.vignetting * r2);
            for (const Speck &s : specks) {
                const double d = std::hypot(x + 0.5 - s.x, y + 0.5 - s.y) / s.radius;
                if (d < 1.0)
                    light *= 1.0 - s.depth * (1.0 - d * d) * (1.0 - d * d);
            }
            const double from = 1.0 + lens.barrel * (r2 - 1.0);
            for (int c = 0; c < 3; ++c) {
                const double scale = from / larger[c];
                const bool moved = scale != 1.0; // an ideal lens changes nothing, not even by rounding
                const double v =
                    moved ? sample(radiance, c, cx + dx * scale, cy + dy * scale) : double(radiance.row(c, y)[x]);
                out.row(c, y)[x] = float(v * light);
            }
        }
    return out;
}

} // namespace yolk::demo
