#include "worlds/leaves.h"

#include "counted_noise.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::worlds {
namespace {

using demo::hashed;
using demo::uniform;

/// Numbers of one seed, one after the other.
class Dice {
public:
    explicit Dice(uint64_t seed) : seed_(seed) {}
    double operator()() { return uniform(seed_, n_++); }
    double between(double low, double high) { return low + (high - low) * (*this)(); }
    double normal() { return demo::normal(seed_ ^ 0xabcdef, n_++); }
    bool chance(double p) { return (*this)() < p; }

private:
    uint64_t seed_, n_ = 0;
};

/// Smooth noise, -1 .. 1.
double latticeNoise(uint64_t seed, double x, double y)
{
    const double i = std::floor(x), j = std::floor(y);
    const auto at = [&](double a, double b) {
        return double(hashed(seed ^ hashed(uint64_t(int64_t(a)) * 0x9e3779b1u ^ (uint64_t(int64_t(b)) << 32))) >> 40) /
                   double(1 << 23) -
               1.0;
    };
    const auto smooth = [](double t) { return t * t * (3.0 - 2.0 * t); };
    const double u = smooth(x - i), v = smooth(y - j);
    return std::lerp(std::lerp(at(i, j), at(i + 1, j), u), std::lerp(at(i, j + 1), at(i + 1, j + 1), u), v);
}

/// What a surface makes of its light, at a place of its own in pixels.
double surfaceAt(const Leaf &leaf, double u, double v)
{
    switch (leaf.surface) {
    case LeafSurface::Flat:
        return 1.0;
    case LeafSurface::Shaded:
        return std::exp2(leaf.depth * (u + 0.5 * v) / leaf.radius);
    case LeafSurface::Fine:
        return std::exp2(leaf.depth * (latticeNoise(leaf.seed, u / leaf.grain, v / leaf.grain) +
                                       0.5 * latticeNoise(leaf.seed + 1, 2.1 * u / leaf.grain, 2.1 * v / leaf.grain)));
    case LeafSurface::Lattice: {
        const double a = u / leaf.grain - std::floor(u / leaf.grain), b = v / leaf.grain - std::floor(v / leaf.grain);
        return a < 0.35 || b < 0.3 ? std::exp2(-2.0 * leaf.depth) : 1.0;
    }
    case LeafSurface::Letters: { // words of dots
        const double dot = leaf.grain / 3.0, x = u / dot, y = v / dot;
        const auto column = int64_t(std::floor(x / 6.0)), line = int64_t(std::floor(y / 10.0));
        const int dx = int(std::floor(x - double(column) * 6.0)), dy = int(std::floor(y - double(line) * 10.0));
        if (dx >= 5 || dy >= 7)
            return 1.0;
        const uint64_t letter = hashed(leaf.seed + hashed(uint64_t(column) * 31 + uint64_t(line)) % 26);
        return (letter >> (dy * 5 + dx)) & 1 ? std::exp2(-3.0 * leaf.depth) : 1.0;
    }
    }
    return 1.0;
}

/// Pixels from its edge, above 0 outside, about right near it.
double edgeDistance(const Leaf &leaf, double u, double v)
{
    const double a = leaf.radius, b = leaf.radius * leaf.aspect;
    switch (leaf.shape) {
    case LeafShape::Oval: {
        const double r = std::hypot(u / a, v / b);
        return (r - 1.0) * (r > 1e-9 ? std::hypot(u, v) / r : std::min(a, b));
    }
    case LeafShape::Board:
        return std::max(std::abs(u) - a, std::abs(v) - b);
    case LeafShape::Tuft: { // lobes
        const double angle = std::atan2(v, u), r = std::hypot(u, v);
        const double lobes = 0.72 + 0.28 * std::cos(5.0 * angle + double(leaf.seed % 7));
        return r - a * lobes;
    }
    }
    return 1.0;
}

void surfaceOf(Leaf &leaf, Dice &dice)
{
    const double kind = dice();
    leaf.surface = kind < 0.25   ? LeafSurface::Flat
                   : kind < 0.45 ? LeafSurface::Shaded
                   : kind < 0.82 ? LeafSurface::Fine
                   : kind < 0.92 ? LeafSurface::Lattice
                                 : LeafSurface::Letters;
    leaf.grain = leaf.surface == LeafSurface::Fine      ? dice.between(1.5, 6.0)
                 : leaf.surface == LeafSurface::Letters ? dice.between(5.0, 9.0)
                                                        : dice.between(5.0, 16.0);
    leaf.depth = dice.between(0.1, 0.6);
}

std::array<float, 3> coloured(double ev, Dice &dice, double strength)
{
    const double warm = strength * dice.normal(), tint = 0.5 * strength * dice.normal();
    return {float(std::exp2(ev + warm)), float(std::exp2(ev + tint)), float(std::exp2(ev - warm))};
}

/// Where a leaf lies in a frame.
struct Placed {
    Placed(const Leaf &leaf, const SceneSpec &spec, const Pose &pose, double moment)
        : cx(spec.width / 2.0), cy(spec.height / 2.0), c(std::cos(pose.roll)), s(std::sin(pose.roll)),
          scale(pose.scale), px(pose.x + leaf.nearness * pose.aside), py(pose.y + leaf.nearness * pose.above),
          ca(std::cos(leaf.angle)), sa(std::sin(leaf.angle))
    {
        const double swing = leaf.sway * std::sin(2.1 * moment + double(leaf.seed % 628) / 100.0);
        lx = leaf.x + leaf.stepX * moment + swing;
        ly = leaf.y + leaf.stepY * moment + 0.4 * swing;
        const double mx = scale * (c * (lx - cx) - s * (ly - cy)) + cx + px;
        const double my = scale * (s * (lx - cx) + c * (ly - cy)) + cy + py;
        const double reach =
            scale * (leaf.radius * (leaf.shape == LeafShape::Board ? 1.4143 : 1.0) + leaf.softness) + 1.0;
        left = std::max(0, int(std::floor(mx - reach)));
        right = std::min(spec.width, int(std::ceil(mx + reach)));
        top = std::max(0, int(std::floor(my - reach)));
        bottom = std::min(spec.height, int(std::ceil(my + reach)));
    }
    /// A point of the frame on the leaf itself.
    template <class Use> auto at(double fx, double fy, const Use &use) const
    {
        const double dx = (fx - cx - px) / scale, dy = (fy - cy - py) / scale;
        const double qx = c * dx + s * dy + cx - lx, qy = -s * dx + c * dy + cy - ly;
        return use(ca * qx + sa * qy, -sa * qx + ca * qy);
    }
    double cx, cy, c, s, scale, px, py, ca, sa, lx, ly;
    int left, right, top, bottom; ///< pixels that it may touch
};

} // namespace

std::vector<Leaf> growLeaves(const SceneSpec &spec)
{
    Dice dice(spec.seed * 0x51ed2701 + 17);
    const double w = spec.width, h = spec.height, diagonal = std::hypot(w, h);
    // Light falls unevenly: a third of the range between corners of the scene, the rest by the things themselves.
    const double range = std::min(spec.stops, 14.0), fall = range * dice.between(0.3, 0.5);
    const auto lightAt = [&](double x, double y) {
        return fall * 0.7 * latticeNoise(spec.seed + 5, 1.7 * x / w + 3.0, 1.7 * y / h + 7.0);
    };
    std::vector<Leaf> leaves;
    Leaf ground; // behind everything
    ground.x = w / 2;
    ground.y = h / 2;
    ground.radius = 2.0 * diagonal;
    ground.shape = LeafShape::Board;
    ground.surface = dice.chance(0.5) ? LeafSurface::Fine : LeafSurface::Shaded;
    ground.grain = dice.between(20.0, 90.0);
    ground.depth = dice.between(0.2, 0.8);
    ground.light = coloured(dice.between(0.0, 0.35 * range), dice, 0.15);
    ground.seed = hashed(spec.seed);
    leaves.push_back(ground);
    // Radii by a power of -3, so that no size is preferred [LeeMumfordHuang2001].
    const double least = 10.0, most = 0.22 * diagonal;
    const int count = spec.foliage ? 3000 : 2000;
    for (int i = 0; i < count; ++i) {
        Leaf leaf;
        leaf.seed = hashed(spec.seed * 7919 + uint64_t(i));
        const double u = dice();
        leaf.radius = 1.0 / std::sqrt(std::lerp(1.0 / (most * most), 1.0 / (least * least), u));
        const double room = 0.12 * diagonal + leaf.radius;
        leaf.x = dice.between(-room, w + room);
        leaf.y = dice.between(-room, h + room);
        leaf.aspect = dice.between(0.35, 1.0);
        leaf.angle = dice.between(0.0, std::numbers::pi);
        leaf.nearness = std::clamp(double(i) / count + 0.1 * dice.normal(), 0.0, 1.0);
        leaf.shape = dice.chance(0.5) ? LeafShape::Oval : LeafShape::Board;
        surfaceOf(leaf, dice);
        leaf.light = coloured(lightAt(leaf.x, leaf.y) + 1.1 * dice.normal(), dice, 0.25);
        if (spec.foliage && dice.chance(0.55)) {
            leaf.shape = LeafShape::Tuft;
            leaf.radius = dice.between(4.0, 16.0);
            leaf.light[1] *= 1.6f;
            if (spec.movers)
                leaf.sway = dice.between(0.5, 5.0);
        }
        leaves.push_back(leaf);
    }
    const auto add = [&](double radius, double ev, LeafShape shape) -> Leaf & {
        Leaf leaf;
        leaf.seed = hashed(spec.seed * 104729 + leaves.size());
        leaf.x = dice.between(0.1 * w, 0.9 * w);
        leaf.y = dice.between(0.1 * h, 0.9 * h);
        leaf.radius = radius;
        leaf.aspect = dice.between(0.5, 1.0);
        leaf.angle = dice.between(0.0, std::numbers::pi);
        leaf.nearness = dice.between(0.2, 0.9);
        leaf.shape = shape;
        surfaceOf(leaf, dice);
        leaf.light = coloured(ev, dice, 0.3);
        leaves.push_back(leaf);
        return leaves.back();
    };
    // Windows: something bright behind a frame; lamps: small and far above the rest.
    const double top = 0.5 * spec.stops;
    for (int i = 0; i < 1 + int(dice() * 3); ++i) {
        Leaf &pane = add(dice.between(0.03, 0.09) * diagonal, dice.between(0.45, 0.8) * top, LeafShape::Board);
        const double x = pane.x, y = pane.y, nearness = pane.nearness;
        const double size = pane.radius;
        for (int k = 0; k < 12; ++k) {
            Leaf &view = add(dice.between(0.08, 0.3) * size, dice.between(0.3, 0.85) * top, LeafShape::Oval);
            view.x = x + dice.between(-0.6, 0.6) * size;
            view.y = y + dice.between(-0.4, 0.4) * size;
            view.nearness = 0.5 * nearness;
        }
    }
    for (int i = 0; i < 2 + int(dice() * 6); ++i)
        add(dice.between(0.003, 0.014) * diagonal, dice.between(0.8, 1.0) * top, LeafShape::Oval).surface =
            LeafSurface::Flat;
    if (!spec.movers)
        return leaves;
    const int things = 1 + int(dice() * 4);
    for (int i = 0; i < things; ++i) {
        const double kind = dice();
        const bool isLight = kind < 0.3, isThin = kind >= 0.3 && kind < 0.5, isSoft = kind >= 0.5 && kind < 0.65;
        Leaf &thing = add((isLight ? dice.between(0.006, 0.016) : dice.between(0.02, 0.07)) * diagonal,
                          isLight ? dice.between(0.7, 1.0) * top : lightAt(w / 2, h / 2) + dice.normal(),
                          isThin ? LeafShape::Board : LeafShape::Oval);
        thing.nearness = dice.between(0.6, 1.0);
        if (isThin)
            thing.aspect = 1.5 / thing.radius;
        if (isSoft)
            thing.softness = 0.3 * thing.radius;
        const double angle = dice.between(0.0, 2.0 * std::numbers::pi), step = dice.between(0.01, 0.06) * diagonal;
        thing.stepX = step * std::cos(angle);
        thing.stepY = 0.5 * step * std::sin(angle);
    }
    return leaves;
}

Image<uint8_t> coverOf(const std::vector<Leaf> &leaves, size_t leaf, const SceneSpec &spec, const Pose &pose,
                       double moment)
{
    Image<uint8_t> out(spec.width, spec.height, 1);
    for (size_t i = leaf; i < leaves.size(); ++i) {
        const Placed placed(leaves[i], spec, pose, moment);
        for (int y = placed.top; y < placed.bottom; ++y)
            for (int x = placed.left; x < placed.right; ++x) {
                const double distance =
                    placed.at(x + 0.5, y + 0.5, [&](double u, double v) { return edgeDistance(leaves[i], u, v); });
                if (i == leaf ? distance <= -leaves[i].softness : distance < leaves[i].softness)
                    out.row(0, y)[x] = i == leaf;
            }
    }
    return out;
}

Image<float> renderLeaves(const std::vector<Leaf> &leaves, const SceneSpec &spec, const Pose &pose, double moment,
                          ExecContext &ctx)
{
    Image<float> out(spec.width, spec.height, 3);
    forEachBand(ctx, spec.height, [&](int y0, int y1) {
        for (const Leaf &leaf : leaves) {
            const Placed placed(leaf, spec, pose, moment);
            const int first = std::max(y0, placed.top), last = std::min(y1, placed.bottom);
            const bool detailed = leaf.surface == LeafSurface::Fine || leaf.surface == LeafSurface::Lattice ||
                                  leaf.surface == LeafSurface::Letters;
            for (int y = first; y < last; ++y)
                for (int x = placed.left; x < placed.right; ++x) {
                    const double distance =
                        placed.at(x + 0.5, y + 0.5, [&](double u, double v) { return edgeDistance(leaf, u, v); });
                    if (distance >= leaf.softness)
                        continue;
                    const double cover = std::clamp(0.5 - 0.5 * distance / leaf.softness, 0.0, 1.0);
                    const auto surface = [&](double u, double v) { return surfaceAt(leaf, u, v); };
                    double value = 0.0;
                    if (detailed) {
                        for (const double oy : {0.25, 0.75})
                            for (const double ox : {0.25, 0.75})
                                value += 0.25 * placed.at(x + ox, y + oy, surface);
                    } else {
                        value = placed.at(x + 0.5, y + 0.5, surface);
                    }
                    for (int p = 0; p < 3; ++p) {
                        float &pixel = out.row(p, y)[x];
                        pixel = float((1.0 - cover) * double(pixel) + cover * value * double(leaf.light[size_t(p)]));
                    }
                }
        }
    });
    return out;
}

} // namespace yolk::worlds
