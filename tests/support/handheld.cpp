#include "support/handheld.h"

#include "io/radiance_file.h"

#include <algorithm>
#include <cmath>

namespace yolk::test {
namespace {

constexpr double kRoom = 0.08; // of the width, on each side

/// Values between a lattice's random ones, smooth.
float latticeNoise(unsigned seed, double x, double y)
{
    const auto at = [&](int i, int j) {
        unsigned h = seed * 0x9e3779b1u + unsigned(i) * 0x85ebca6bu + unsigned(j) * 0xc2b2ae35u;
        h ^= h >> 15;
        h *= 0x2c1b3c6du;
        h ^= h >> 12;
        h *= 0x297a2d39u;
        return float((h ^ (h >> 15)) >> 8) / float(1 << 23) - 1.0f;
    };
    const int i = int(std::floor(x)), j = int(std::floor(y));
    const auto smooth = [](float t) { return t * t * (3 - 2 * t); };
    const float u = smooth(float(x - i)), v = smooth(float(y - j));
    return std::lerp(std::lerp(at(i, j), at(i + 1, j), u), std::lerp(at(i, j + 1), at(i + 1, j + 1), u), v);
}

void fractal(Image<float> &out, unsigned seed, ExecContext &ctx)
{
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.width(); ++x) {
                float stops = 0.0f, height = 3.0f;
                double size = out.width() / 4.0;
                for (unsigned octave = 0; size > 2.0; ++octave, size /= 2.0, height *= 0.72f)
                    stops += height * latticeNoise(seed * 16 + octave, x / size, y / size);
                const float colour = 0.3f * latticeNoise(seed * 16 + 15, x / 60.0, y / 60.0);
                out.row(0, y)[x] = std::exp2(stops + colour);
                out.row(1, y)[x] = std::exp2(stops);
                out.row(2, y)[x] = std::exp2(stops - colour);
            }
    });
}

void mirroredDemo(Image<float> &out, unsigned seed)
{
    static const RadianceFile truth = readExr(YOLK_SOURCE_DIR "/demo/truth/still.exr");
    const int w = truth.rgb.width(), h = truth.rgb.height();
    std::mt19937 random(seed);
    const int left = int(random() % unsigned(2 * w)), top = int(random() % unsigned(2 * h));
    const auto mirrored = [](int i, int size) { return i / size % 2 ? size - 1 - i % size : i % size; };
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] = truth.rgb.row(c, mirrored(y + top, h))[mirrored(x + left, w)] *
                                   (0.8f + 0.1f * float(((x + left) / w + (y + top) / h) % 4));
}

float cubic(const Image<float> &in, int plane, double x, double y)
{
    const double u = x - 0.5, v = y - 0.5;
    const int i = int(std::floor(u)), j = int(std::floor(v));
    const auto weights = [](float t) {
        return std::array{t * (-0.5f + t * (1 - 0.5f * t)), 1 + t * t * (-2.5f + 1.5f * t),
                          t * (0.5f + t * (2 - 1.5f * t)), t * t * (-0.5f + 0.5f * t)};
    };
    const auto wx = weights(float(u - i)), wy = weights(float(v - j));
    float sum = 0.0f;
    for (int dy = 0; dy < 4; ++dy) {
        const float *row = in.row(plane, std::clamp(j + dy - 1, 0, in.height() - 1));
        for (int dx = 0; dx < 4; ++dx)
            sum += wy[size_t(dy)] * wx[size_t(dx)] * row[std::clamp(i + dx - 1, 0, in.width() - 1)];
    }
    return std::max(sum, 1e-6f);
}

} // namespace

Image<float> wideScene(int width, int height, unsigned seed, ExecContext &ctx)
{
    const int room = int(kRoom * width);
    Image<float> out(int((width + 2 * room) * kSceneDetail), int((height + 2 * room) * kSceneDetail), 3);
    if (seed % 2)
        fractal(out, seed, ctx);
    else
        mirroredDemo(out, seed);
    return out;
}

Image<float> seenUnder(const Image<float> &scene, const Transform &toFrame, int width, int height, ExecContext &ctx)
{
    const Transform toReference = toFrame.inverted();
    const double room = int(kRoom * width);
    Image<float> out(width, height, 3);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x)
                for (const double dy : {0.25, 0.75})
                    for (const double dx : {0.25, 0.75}) {
                        const Point p = toReference({x + dx, y + dy});
                        for (int c = 0; c < 3; ++c)
                            out.row(c, y)[x] +=
                                0.25f * cubic(scene, c, (p.x + room) * kSceneDetail, (p.y + room) * kSceneDetail);
                    }
    });
    return out;
}

Transform randomMotion(std::mt19937 &random, int width, int height, double degrees, double corner)
{
    std::uniform_real_distribution<double> any(-1.0, 1.0);
    const double angle = any(random) * degrees * 3.14159265358979 / 180.0, c = std::cos(angle), s = std::sin(angle);
    const double cx = width / 2.0, cy = height / 2.0;
    const Transform turned{Matrix3{{c, -s, cx - c * cx + s * cy, s, c, cy - s * cx - c * cy, 0, 0, 1}}};
    const double rest = std::max(0.0, corner - largestDistance(turned, {}, width, height));
    const double dx = any(random), dy = any(random), px = any(random), py = any(random), shear = any(random),
                 zoom = any(random);
    const auto under = [&](double amount) {
        const Matrix3 bent{{1 + amount * (shear + zoom), amount * shear, 0, 0, 1 + amount * (zoom - shear), 0,
                            amount * px / width, amount * py / width, 1}};
        const Matrix3 in{{1, 0, -cx, 0, 1, -cy, 0, 0, 1}},
            out{{1, 0, cx + amount * width * dx, 0, 1, cy + amount * width * dy, 0, 0, 1}};
        return Transform{out * bent * in}.after(turned);
    };
    double low = 0.0, high = 0.1;
    for (int i = 0; i < 40; ++i) {
        const double amount = (low + high) / 2;
        (largestDistance(under(amount), turned, width, height) < rest ? low : high) = amount;
    }
    return under(low);
}

std::vector<double> gridErrors(const Transform &found, const Transform &truth, int width, int height)
{
    std::vector<double> out;
    for (int j = 0; j < 5; ++j)
        for (int i = 0; i < 5; ++i) {
            const Point p{width * i / 4.0, height * j / 4.0}, a = found(p), b = truth(p);
            out.push_back(std::hypot(a.x - b.x, a.y - b.y));
        }
    return out;
}

double lightUnder(const Image<float> &scene, double share)
{
    std::vector<float> lights;
    for (int y = 0; y < scene.height(); y += 7)
        for (int x = 0; x < scene.width(); x += 7)
            lights.push_back(scene.row(1, y)[x]);
    std::ranges::sort(lights);
    return double(lights[size_t(double(lights.size()) * share)]);
}

} // namespace yolk::test
