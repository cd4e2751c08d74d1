#include "worlds/buildings.h"

#include "colour/transfer.h"
#include "counted_noise.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace yolk::worlds {
namespace {

constexpr double kDegree = std::numbers::pi / 180.0;

/// Numbers of one seed, one after the other.
class Numbers {
public:
    explicit Numbers(uint64_t seed) : seed_(demo::hashed(seed + 0xb11d)) {}
    double between(double low, double high) { return std::lerp(low, high, demo::uniform(seed_, n_++)); }
    double either(double low, double high) { return between(low, high) * (chance(0.5) ? 1.0 : -1.0); }
    bool chance(double p) { return demo::uniform(seed_, n_++) < p; }

private:
    uint64_t seed_, n_ = 0;
};

struct Ray {
    double x, y, z; // y down, z ahead
};

/// Held askew: about the way it looks, then up or down, then to the side.
struct Camera {
    double focal, roll, pitch, yaw; // pixels, radians

    Ray ray(Point fromMiddle) const
    {
        const double u = fromMiddle.x / focal, v = fromMiddle.y / focal;
        const double x = std::cos(roll) * u - std::sin(roll) * v, y = std::sin(roll) * u + std::cos(roll) * v;
        const double up = std::cos(pitch) * y - std::sin(pitch), ahead = std::sin(pitch) * y + std::cos(pitch);
        return {std::cos(yaw) * x + std::sin(yaw) * ahead, up, -std::sin(yaw) * x + std::cos(yaw) * ahead};
    }
    /// From its middle, of a point of the world; z behind it gives not a number.
    Point place(Ray p) const
    {
        const double x = std::cos(yaw) * p.x - std::sin(yaw) * p.z, z = std::sin(yaw) * p.x + std::cos(yaw) * p.z;
        const double y = std::cos(pitch) * p.y + std::sin(pitch) * z,
                     ahead = -std::sin(pitch) * p.y + std::cos(pitch) * z;
        if (!(ahead > 1e-6))
            return {std::nan(""), std::nan("")};
        const double u = x / ahead, v = y / ahead;
        return {focal * (std::cos(roll) * u + std::sin(roll) * v), focal * (-std::sin(roll) * u + std::cos(roll) * v)};
    }
};

struct Wall {
    double x, z, ux, uz; // begins there, and runs along
    double width, height, light, across, up, window, frame, course, courseDark, door;
    uint64_t seed;

    /// Of a place on it: metres along and above the ground.
    double shade(double s, double t) const
    {
        const double column = std::floor(s / across), row = std::floor(t / up);
        const double a = s / across - column - 0.5, b = t / up - row - 0.5;
        const double half = 0.5 * window;
        double out = light;
        if (course > 0.0) {
            const double line = t / course - std::floor(t / course);
            out *= line < 0.12 ? courseDark : 1.0;
        }
        if (std::abs(a) < half && std::abs(b) < half * 1.2) {
            const bool rim =
                std::abs(a) > half - frame || std::abs(b) > half * 1.2 - frame || std::abs(a) < 0.3 * frame;
            const double own = demo::uniform(seed, uint64_t(column + 512) * 1024 + uint64_t(row + 512));
            out = rim ? 0.9 * light + 0.1 : 0.05 + 0.35 * own * own;
        }
        if (t < 2.1 && std::abs(s - door) < 0.5)
            out = 0.4 * light;
        return out;
    }
};

struct Blob {
    double x, y, radius, light;
};

struct Rod {
    Point a, b;
    double width, light;
};

} // namespace

Buildings buildingsOf(uint64_t seed, ExecContext &ctx)
{
    constexpr int kWidth = 1500, kHeight = 1000, kReduction = 4, kFine = 3;
    constexpr double kEye = 1.6; // metres
    Numbers n(seed);
    Buildings out;
    out.reduction = kReduction;
    out.width = kWidth * kReduction;
    out.height = kHeight * kReduction;
    out.speaks = !n.chance(0.1);
    out.level = n.chance(1.0 / 3.0);
    const double focal = n.between(20.0, 60.0) / 36.0;
    const bool known = n.chance(2.0 / 3.0);
    RadialCurve bent;
    if (n.chance(0.5)) {
        bent.terms[2] = n.between(-0.05, 0.05);
        bent.terms[4] = n.between(-0.2, 0.2) * bent.terms[2];
    }
    out.optics = Optics(known ? focal : kUsualFocal, bent);
    const Camera camera{focal * kWidth, n.between(-5.0, 5.0) * kDegree,
                        out.level ? 0.0 : n.between(-12.0, 12.0) * kDegree, n.between(-0.3, 0.3)};

    std::vector<Wall> walls;
    const int count = out.speaks ? 1 + int(n.between(0.0, 3.99)) : 0;
    for (int i = 0; i < count; ++i) {
        Wall w;
        const double turn = n.between(-1.2, 1.2), away = n.between(5.0, 25.0);
        w.ux = std::cos(turn);
        w.uz = std::sin(turn);
        w.width = n.between(0.5, 2.0) * away;
        w.height = n.between(3.0, 18.0);
        w.x = n.between(-0.6, 0.3) * away - 0.5 * w.width * w.ux + 0.3 * w.width;
        w.z = away - 0.5 * w.width * w.uz;
        w.light = n.between(0.25, 0.8);
        w.across = n.between(1.2, 4.0);
        w.up = n.between(2.4, 4.0);
        w.window = n.between(0.3, 0.65);
        w.frame = n.between(0.02, 0.06);
        w.course = n.chance(0.5) ? n.between(0.08, 0.4) : 0.0;
        w.courseDark = n.between(0.8, 0.97);
        w.door = n.between(0.1, 0.9) * w.width;
        w.seed = demo::hashed(seed * 31 + uint64_t(i));
        walls.push_back(w);
    }
    const double paving = out.speaks && n.chance(0.5) ? n.between(0.4, 1.5) : 0.0, pavingTurn = n.between(0.0, 1.57);
    std::vector<Blob> leaves;
    const double covered = n.between(0.0, out.speaks ? 0.35 : 0.9);
    for (double area = 0.0; area < covered * kWidth * kHeight;) {
        const double cx = n.between(0, kWidth), cy = n.between(0, kHeight), spread = n.between(40.0, 160.0);
        for (int i = 0; i < 60; ++i) {
            const Blob b{cx + spread * n.between(-1, 1), cy + spread * n.between(-1, 1), n.between(4.0, 28.0),
                         n.between(0.03, 0.6)};
            leaves.push_back(b);
            area += 0.5 * std::numbers::pi * b.radius * b.radius; // they lie on each other
        }
    }
    std::vector<Rod> rods;
    for (int i = out.speaks ? int(n.between(0.0, 7.0)) : 0; i > 0; --i) {
        const Point a{n.between(0, kWidth), n.between(0, kHeight)};
        const double turn = n.between(0, 2 * std::numbers::pi), length = n.between(80.0, 700.0);
        rods.push_back({a,
                        {a.x + length * std::cos(turn), a.y + length * std::sin(turn)},
                        n.between(1.5, 7.0),
                        n.between(0.05, 0.9)});
    }

    const PictureMap lens({}, kWidth, kHeight, Optics(focal, bent));
    const auto lightAt = [&](Point p) {
        const Point straight = lens.toPicture(p);
        const Ray ray = camera.ray({straight.x - 0.5 * kWidth, straight.y - 0.5 * kHeight});
        double nearest = 1e9, light = 0.6 - 0.3 * ray.y; // of the sky
        for (const Wall &w : walls) {
            const double across = ray.x * w.uz - ray.z * w.ux;
            if (std::abs(across) < 1e-9)
                continue;
            const double distance = (w.x * w.uz - w.z * w.ux) / across;
            if (!(distance > 0.1) || distance > nearest)
                continue;
            const double s = (distance * ray.x - w.x) * w.ux + (distance * ray.z - w.z) * w.uz;
            const double t = kEye - distance * ray.y;
            if (s < 0.0 || s > w.width || t < 0.0 || t > w.height)
                continue;
            nearest = distance;
            light = w.shade(s, t);
        }
        if (ray.y > 0.0 && kEye / ray.y < nearest) {
            const double distance = kEye / ray.y, x = distance * ray.x, z = distance * ray.z;
            light = 0.3;
            if (paving > 0.0 && distance < 30.0) {
                const double a = (x * std::cos(pavingTurn) + z * std::sin(pavingTurn)) / paving;
                const double b = (z * std::cos(pavingTurn) - x * std::sin(pavingTurn)) / paving;
                if (a - std::floor(a) < 0.05 || b - std::floor(b) < 0.05)
                    light = 0.2;
            }
        }
        return std::max(0.0, light);
    };
    Image<float> light(kWidth, kHeight, 1);
    forEachBand(ctx, kHeight, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < kWidth; ++x) {
                double sum = 0.0;
                for (int j = 0; j < kFine; ++j)
                    for (int i = 0; i < kFine; ++i)
                        sum += lightAt({x + (i + 0.5) / kFine, y + (j + 0.5) / kFine});
                light.row(0, y)[x] = float(sum / (kFine * kFine));
            }
    });
    const auto cover = [&](int x, int y, double share, double with) {
        float &at = light.row(0, y)[x];
        at += float(std::clamp(share, 0.0, 1.0)) * (float(with) - at);
    };
    const auto inPicture = [](double low, double high, int size) {
        return std::pair(std::clamp(int(low), 0, size), std::clamp(int(high) + 1, 0, size));
    };
    for (const Rod &rod : rods) {
        const double length = std::hypot(rod.b.x - rod.a.x, rod.b.y - rod.a.y);
        const double dx = (rod.b.x - rod.a.x) / length, dy = (rod.b.y - rod.a.y) / length;
        const auto [x0, x1] = inPicture(std::min(rod.a.x, rod.b.x) - 9, std::max(rod.a.x, rod.b.x) + 9, kWidth);
        const auto [y0, y1] = inPicture(std::min(rod.a.y, rod.b.y) - 9, std::max(rod.a.y, rod.b.y) + 9, kHeight);
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x) {
                const double u = x + 0.5 - rod.a.x, v = y + 0.5 - rod.a.y;
                const double along = u * dx + v * dy, off = std::abs(v * dx - u * dy);
                if (along > 0.0 && along < length)
                    cover(x, y, 0.5 * rod.width - off + 0.5, rod.light);
            }
    }
    for (const Blob &b : leaves) {
        const auto [x0, x1] = inPicture(b.x - b.radius - 1, b.x + b.radius + 1, kWidth);
        const auto [y0, y1] = inPicture(b.y - b.radius - 1, b.y + b.radius + 1, kHeight);
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x)
                cover(x, y, b.radius - std::hypot(x + 0.5 - b.x, y + 0.5 - b.y) + 0.5, b.light);
    }
    out.seen = Image<float>(kWidth, kHeight, 1);
    const double noise = n.between(0.0, 0.02);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x)
            out.seen.row(0, y)[x] =
                float(encodeSrgb(std::clamp(double(light.row(0, y)[x]), 0.0, 1.0)) +
                      noise * demo::normal(demo::hashed(seed ^ 0x2071), uint64_t(y) * kWidth + uint64_t(x)));

    // What is upright, where a quarter and three quarters of the picture look.
    for (const double share : {0.05, 0.25, 0.5, 0.75, 0.95}) {
        const Ray at = camera.ray({(share - 0.5) * kWidth, 0.0});
        std::array<Point, 2> ends;
        for (size_t i = 0; i < 2; ++i) {
            const Point p = camera.place({at.x, at.y + (i == 0 ? -0.2 : 0.2), at.z});
            const Point seen = lens.toReference({p.x + 0.5 * kWidth, p.y + 0.5 * kHeight});
            ends[i] = {seen.x * kReduction, seen.y * kReduction};
        }
        out.uprights.push_back({ends[0], ends[1]});
    }
    out.truth = straightened({}, out.uprights, Straightening::Verticals, out.width, out.height, out.optics).value();
    return out;
}

StraightenVerdict judgeStraightening(const Buildings &world, ExecContext &ctx)
{
    std::vector<SceneLine> lines = findLines(world.seen.view(), ctx);
    for (SceneLine &line : lines)
        for (Point *p : {&line.a, &line.b})
            *p = {p->x * world.reduction, p->y * world.reduction};
    StraightenVerdict out;
    const auto plumb = straightenedByMost({}, lines, Straightening::Verticals, world.width, world.height, world.optics);
    const auto level = straightenedByMost({}, lines, Straightening::Angle, world.width, world.height, world.optics);
    out.found = plumb || level;
    const GeometrySettings upright = plumb.value_or(GeometrySettings());
    out.angle = std::abs(upright.angle - world.truth.angle);
    out.levelAngle = std::abs(level.value_or(GeometrySettings()).angle - world.truth.angle);
    const PictureMap map(upright, world.width, world.height, world.optics);
    for (const SceneLine &line : world.uprights) {
        const Point a = map.toPicture(line.a), b = map.toPicture(line.b);
        out.uprights = std::max(out.uprights, std::abs(std::atan((b.x - a.x) / (b.y - a.y))) / kDegree);
    }
    return out;
}

} // namespace yolk::worlds
