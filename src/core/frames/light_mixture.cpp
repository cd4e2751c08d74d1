#include "frames/light_mixture.h"

#include "base/quick_math.h"
#include "base/text.h"
#include "image/resample.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace yolk {
namespace {

/// Log chromaticity: log2 of R / G and of B / G.
struct LogChroma {
    double r = 0.0, b = 0.0;
};
LogChroma operator-(const LogChroma &p, const LogChroma &q)
{
    return {p.r - q.r, p.b - q.b};
}
LogChroma chromaOf(const Vector3 &rgb)
{
    return {std::log2(rgb[0] / rgb[1]), std::log2(rgb[2] / rgb[1])};
}

/// The way from daylight to the lamp in log chromaticity, and how far mixtures bend off it: 4 bow s (1 - s) across.
struct Way {
    LogChroma from, along; ///< along: the whole way
    double length = 0.0;
    double bow = 0.0; ///< to the left of the way

    Way(const Vector3 &lamp, const Vector3 &day) : from(chromaOf(day)), along(chromaOf(lamp) - from)
    {
        length = std::hypot(along.r, along.b);
        // The mixture half way along decides the bow.
        double low = 0.0, high = 1.0;
        Vector3 mixed{};
        for (int i = 0; i < 40; ++i) {
            const double lampPart = (low + high) / 2.0; // of the green
            for (size_t c = 0; c < 3; ++c)
                mixed[c] = std::lerp(day[c] / day[1], lamp[c] / lamp[1], lampPart);
            (partOf(chromaOf(mixed)) < 0.5 ? low : high) = lampPart;
        }
        bow = acrossOf(chromaOf(mixed));
    }
    double partOf(const LogChroma &c) const
    {
        const LogChroma d = c - from;
        return (d.r * along.r + d.b * along.b) / (length * length);
    }
    double acrossOf(const LogChroma &c) const
    {
        const LogChroma d = c - from;
        return (d.b * along.r - d.r * along.b) / length;
    }
    double bowAt(double part) const { return 4.0 * bow * std::max(0.0, part * (1.0 - part)); }
};

/// What is known of each pixel of a level, and what is found.
struct Level {
    int width, height;
    std::vector<float> part, across, certain; ///< s, distance off the way, weight of either
    std::vector<float> found;                 ///< t
    size_t size() const { return part.size(); }
};

Level half(const Level &fine)
{
    Level out{(fine.width + 1) / 2, (fine.height + 1) / 2, {}, {}, {}, {}};
    const size_t size = size_t(out.width) * size_t(out.height);
    out.part.assign(size, 0.0f);
    out.across.assign(size, 0.0f);
    out.certain.assign(size, 0.0f);
    for (int y = 0; y < fine.height; ++y)
        for (int x = 0; x < fine.width; ++x) {
            const size_t i = size_t(y) * size_t(fine.width) + size_t(x),
                         o = size_t(y / 2) * size_t(out.width) + size_t(x / 2);
            out.part[o] += fine.certain[i] * fine.part[i];
            out.across[o] += fine.certain[i] * fine.across[i];
            out.certain[o] += fine.certain[i];
        }
    for (size_t o = 0; o < size; ++o) {
        out.part[o] /= std::max(out.certain[o], 1e-9f);
        out.across[o] /= std::max(out.certain[o], 1e-9f);
        out.certain[o] *= 0.25f;
    }
    return out;
}

// Found on 54 worlds of bench/worlds (seeds 0 to 23 and 100 to 129). In log2 of chromaticity: kGrey, kJump.
constexpr float kGrey = 0.05f;        ///< how far from the line of mixtures a neutral surface lies
constexpr float kJump = 0.06f;        ///< between neighbours of one surface
constexpr float kOwn = 0.1f;          ///< what a pixel says against what it has in common with a neighbour
constexpr float kAny = 0.001f;        ///< of that, also where it cannot be neutral
constexpr float kAcrossEdges = 0.05f; ///< light on both sides of an edge

/// The sum of lightMixture() at one level: weights of a pixel's own part, and of what couples it to its right and lower
/// neighbour.
class Equations {
public:
    Equations(const Level &level, double wayLength)
        : level_(level), wayLength_(float(wayLength)), own_(level.size()), right_(level.size()), below_(level.size()),
          rest_(level.size())
    {
    }

    void reweigh(double rho)
    {
        const size_t w = size_t(level_.width);
        std::ranges::fill(rest_, 0.0f);
        for (size_t i = 0; i < level_.size(); ++i) {
            const float s = level_.part[i], off = level_.across[i], t = level_.found[i];
            const float grey = std::exp(-off * off / (2.0f * kGrey * kGrey));
            const float beyond = std::max({0.0f, s - 1.1f, -0.1f - s}) / 0.1f;
            const float r = (s - t) / float(rho), tail = 1.0f / ((1.0f + r * r) * (1.0f + r * r));
            own_[i] = level_.certain[i] * kOwn * (grey * std::exp(-beyond * beyond) * tail + kAny);
            rest_[i] += own_[i] * s;
        }
        const auto couple = [&](size_t i, size_t j, float &weight) {
            const float along = wayLength_ * (level_.part[i] - level_.part[j]),
                        over = level_.across[i] - level_.across[j];
            const float both = std::min(level_.certain[i], level_.certain[j]);
            const float same = both * std::exp(-(along * along + over * over) / (2.0f * kJump * kJump));
            weight = same + kAcrossEdges;
            const float push = same * (level_.part[i] - level_.part[j]);
            rest_[i] += push;
            rest_[j] -= push;
        };
        for (int y = 0; y < level_.height; ++y)
            for (int x = 0; x < level_.width; ++x) {
                const size_t i = size_t(y) * w + size_t(x);
                right_[i] = below_[i] = 0.0f;
                if (x + 1 < level_.width)
                    couple(i, i + 1, right_[i]);
                if (y + 1 < level_.height)
                    couple(i, i + w, below_[i]);
            }
    }

    /// Conjugate gradients, with the diagonal as preconditioner.
    void solve(std::vector<float> &t, int steps) const
    {
        const size_t size = level_.size();
        std::vector<float> diagonal(size), residual(size), direction(size), image(size), scaled(size);
        const size_t w = size_t(level_.width);
        for (size_t i = 0; i < size; ++i) {
            diagonal[i] += own_[i] + right_[i] + below_[i];
            if (right_[i] > 0.0f)
                diagonal[i + 1] += right_[i];
            if (below_[i] > 0.0f)
                diagonal[i + w] += below_[i];
        }
        apply(t, image);
        double along = 0.0;
        for (size_t i = 0; i < size; ++i) {
            residual[i] = rest_[i] - image[i];
            direction[i] = scaled[i] = residual[i] / diagonal[i];
            along += double(residual[i]) * double(scaled[i]);
        }
        const double enough = 1e-8 * double(size) * double(kOwn);
        for (int step = 0; step < steps && along > enough; ++step) {
            apply(direction, image);
            double bend = 0.0;
            for (size_t i = 0; i < size; ++i)
                bend += double(direction[i]) * double(image[i]);
            const float length = float(along / std::max(bend, 1e-30));
            double next = 0.0;
            for (size_t i = 0; i < size; ++i) {
                t[i] += length * direction[i];
                residual[i] -= length * image[i];
                scaled[i] = residual[i] / diagonal[i];
                next += double(residual[i]) * double(scaled[i]);
            }
            const float kept = float(next / along);
            for (size_t i = 0; i < size; ++i)
                direction[i] = scaled[i] + kept * direction[i];
            along = next;
        }
    }

private:
    void apply(const std::vector<float> &t, std::vector<float> &out) const
    {
        const size_t w = size_t(level_.width), size = level_.size();
        for (size_t i = 0; i < size; ++i)
            out[i] = own_[i] * t[i];
        for (size_t i = 0; i + 1 < size; ++i) {
            const float d = right_[i] * (t[i] - t[i + 1]);
            out[i] += d;
            out[i + 1] -= d;
        }
        for (size_t i = 0; i + w < size; ++i) {
            const float d = below_[i] * (t[i] - t[i + w]);
            out[i] += d;
            out[i + w] -= d;
        }
    }
    const Level &level_;
    float wayLength_;
    std::vector<float> own_, right_, below_, rest_;
};
/// Weighted sums in the cells of a grid, or of a coarser version of it.
struct Cells {
    size_t columns, rows, parts;
    std::vector<float> sums{}, weights{};

    Cells(size_t c, size_t r, size_t p) : columns(c), rows(r), parts(p), sums(c * r * p), weights(c * r * p) {}
    size_t at(size_t column, size_t row, size_t part) const { return (row * columns + column) * parts + part; }

    /// Gives cells what they lack of `enough` weight, from coarser and coarser surroundings. Source: pull and push,
    /// [Gortler1996].
    void fill(float enough)
    {
        if (columns * rows * parts == 1)
            return;
        Cells coarse((columns + 1) / 2, (rows + 1) / 2, (parts + 1) / 2);
        const auto forEachPair = [&](auto &&visit) {
            for (size_t r = 0; r < rows; ++r)
                for (size_t c = 0; c < columns; ++c)
                    for (size_t p = 0; p < parts; ++p)
                        visit(at(c, r, p), coarse.at(c / 2, r / 2, p / 2));
        };
        forEachPair([&](size_t fine, size_t of) {
            coarse.sums[of] += sums[fine];
            coarse.weights[of] += weights[fine];
        });
        coarse.fill(enough);
        forEachPair([&](size_t fine, size_t of) {
            const float missing = enough - weights[fine];
            if (missing > 0.0f && coarse.weights[of] > 0.0f) {
                sums[fine] += missing * coarse.sums[of] / coarse.weights[of];
                weights[fine] += missing;
            }
        });
    }
};

/// What was found at pixels, as cells: means of what falls near each; cells that nothing falls near take from those
/// around.
void fillGrid(LightGrid &grid, const Level &level)
{
    Cells cells(size_t(grid.columns()), size_t(grid.rows()), size_t(grid.lights()));
    const auto placed = [](double at, size_t count) { return std::clamp(at, 0.0, double(count) - 1.0001); };
    for (int y = 0; y < level.height; ++y)
        for (int x = 0; x < level.width; ++x) {
            const size_t i = size_t(y) * size_t(level.width) + size_t(x);
            const double u = placed((x + 0.5) / level.width * double(cells.columns) - 0.5, cells.columns),
                         v = placed((y + 0.5) / level.height * double(cells.rows) - 0.5, cells.rows),
                         z = placed(grid.lightOf(double(level.part[i])), cells.parts);
            for (size_t corner = 0; corner < 8; ++corner) {
                const size_t right = corner & 1, below = corner >> 1 & 1, next = corner >> 2;
                const auto share = [](double at, size_t side) {
                    return side ? at - std::floor(at) : 1.0 - at + std::floor(at);
                };
                const float weight = float(share(u, right) * share(v, below) * share(z, next));
                const size_t cell = cells.at(size_t(u) + right, size_t(v) + below, size_t(z) + next);
                cells.sums[cell] += weight * level.found[i];
                cells.weights[cell] += weight;
            }
        }
    constexpr float kEnough = 0.5f; // of a pixel
    cells.fill(kEnough);
    for (size_t r = 0; r < cells.rows; ++r)
        for (size_t c = 0; c < cells.columns; ++c)
            for (size_t p = 0; p < cells.parts; ++p)
                grid.at(int(c), int(r), int(p))[0] = cells.sums[cells.at(c, r, p)] / cells.weights[cells.at(c, r, p)];
}

} // namespace

bool areApart(const Vector3 &lamp, const Vector3 &day)
{
    constexpr double kLeast = 0.02; // of log2: less is not seen
    return Way(lamp, day).length >= kLeast;
}

LightMixture lightMixture(const CodeValues &file, ImageView<const float> rgb, const Vector3 &lamp, const Vector3 &day,
                          ExecContext &ctx)
{
    for (const Vector3 *light : {&lamp, &day})
        if (!std::ranges::all_of(*light, [](double v) { return v > 0.0; }))
            throw ArgumentError("a light of the mixture has no colour");
    if (!areApart(lamp, day))
        throw ArgumentError("the lamp and daylight have the same colour");
    const Way way(lamp, day);
    if (rgb.planes() != 3 || rgb.width() < 1 || rgb.height() < 1)
        throw ArgumentError(textOf("a mixture of lights needs three planes, not %d", rgb.planes()));
    const double shrink = std::min(1.0, double(kMixtureSide) / std::max(rgb.width(), rgb.height()));
    const int width = std::max(1, int(std::lround(rgb.width() * shrink))),
              height = std::max(1, int(std::lround(rgb.height() * shrink)));
    const Image<float> small = resample(rgb, {0, 0, double(rgb.width()), double(rgb.height())}, width, height, ctx);

    const Vector3 luminance = luminanceRow(file.toRec2020);
    std::vector<Level> levels(1, Level{width, height, {}, {}, {}, {}});
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            Vector3 p;
            double light = 0.0;
            for (size_t c = 0; c < 3; ++c) {
                p[c] = double(small.row(int(c), y)[x]);
                light += luminance[c] * p[c];
            }
            light = std::max(light, 1e-9);
            const bool sane = p[0] > 0.01 * light && p[1] > 0.01 * light && p[2] > 0.002 * light;
            const LogChroma c = chromaOf(sane ? p : day);
            const double part = way.partOf(c);
            levels[0].part.push_back(float(part));
            levels[0].across.push_back(float(way.acrossOf(c) - way.bowAt(part)));
            levels[0].certain.push_back(sane ? 1.0f : 0.0f);
        }
    while (std::max(levels.back().width, levels.back().height) > 30)
        levels.push_back(half(levels.back()));
    levels.back().found.assign(levels.back().size(), 0.5f);
    constexpr int kRounds = 4, kSteps = 30;
    for (size_t l = levels.size(); l-- > 0;) {
        Level &level = levels[l];
        if (level.found.empty()) { // as the coarser one found it
            const Level &coarse = levels[l + 1];
            level.found.resize(level.size());
            for (int y = 0; y < level.height; ++y)
                for (int x = 0; x < level.width; ++x)
                    level.found[size_t(y) * size_t(level.width) + size_t(x)] =
                        coarse.found[size_t(y / 2) * size_t(coarse.width) + size_t(x / 2)];
        }
        Equations equations(level, way.length);
        for (int round = 0; round < kRounds; ++round) {
            ctx.throwIfStopped();
            equations.reweigh(l + 1 == levels.size() ? 0.5 * std::pow(0.7, round) : 0.12);
            equations.solve(level.found, kSteps);
        }
    }

    constexpr int kColumns = 120, kParts = 26;
    constexpr double kFirst = -0.75, kApart = 0.1;
    const int rows = std::clamp(kColumns * height / width, 2, 4 * kColumns);
    LightMixture out{LightGrid(kColumns, rows, kParts, kFirst, kApart), lamp, day};
    fillGrid(out.share, levels[0]);
    return out;
}

namespace {

// Sums are written a term a statement, so that they are fused alike in the middle and at the end of a row: a pixel has the
// same bits wherever it lies.

YOLK_INLINE float luminanceOf(const float *weights, float r, float g, float b)
{
    float out = weights[0] * r;
    out += weights[1] * g;
    return out + weights[2] * b;
}

YOLK_MULTIVERSION
void partRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, const float *unit,
             int count, float *__restrict part)
{
    constexpr float kLeast = 1e-9f;
    for (int x = 0; x < count; ++x) {
        const float green = quickLog2(g[x] > kLeast ? g[x] : kLeast);
        float at = unit[2];
        at += unit[0] * (quickLog2(r[x] > kLeast ? r[x] : kLeast) - green);
        at += unit[1] * (quickLog2(b[x] > kLeast ? b[x] : kLeast) - green);
        part[x] = at;
    }
}

YOLK_MULTIVERSION
void gainRow(const float *__restrict part, int count, const float *along, const float *bow, const float *luminance,
             float *__restrict r, float *__restrict g, float *__restrict b)
{
    for (int x = 0; x < count; ++x) {
        const float t = part[x], bend = 4.0f * t * (1.0f - t), off = bend > 0.0f ? bend : 0.0f;
        float redStops = along[0] * t, blueStops = along[1] * t;
        redStops += bow[0] * off;
        blueStops += bow[1] * off;
        const float red = r[x] * quickExp2(redStops), blue = b[x] * quickExp2(blueStops);
        const float before = luminanceOf(luminance, r[x], g[x], b[x]), after = luminanceOf(luminance, red, g[x], blue);
        const float keep = before > 0.0f && after > 0.0f ? before / after : 1.0f;
        r[x] = red * keep;
        g[x] *= keep;
        b[x] = blue * keep;
    }
}

} // namespace

MixtureGains::MixtureGains(const LightMixture &mixture, const Matrix3 &white, double strength) : mixture_(mixture)
{
    std::ranges::copy(luminanceRow(white), luminance_);
    const Way way(mixture.lamp, mixture.day);
    const double square = way.length * way.length;
    unit_[0] = float(way.along.r / square);
    unit_[1] = float(way.along.b / square);
    unit_[2] = float(-(way.from.r * way.along.r + way.from.b * way.along.b) / square);
    along_[0] = float(-strength * way.along.r);
    along_[1] = float(-strength * way.along.b);
    bow_[0] = float(strength * way.bow * way.along.b / way.length); // to the left of (r, b): (-b, r)
    bow_[1] = float(-strength * way.bow * way.along.r / way.length);
}

void MixtureGains::shares(const float *const from[3], int count, double x, double step, double y, float *share) const
{
    std::vector<float> cells, own(static_cast<size_t>(count)), unused(own.size());
    partRow(from[0], from[1], from[2], unit_, count, own.data());
    mixture_.share.rowAt(y, cells);
    mixture_.share.lookUp(cells, x, step, own, {share, own.size()}, unused);
}

void MixtureGains::apply(const float *const from[3], int count, double x, double step, double y,
                         float *const to[3]) const
{
    std::vector<float> part(static_cast<size_t>(count));
    shares(from, count, x, step, y, part.data());
    for (int c = 0; c < 3; ++c)
        if (to[c] != from[c])
            std::copy_n(from[c], count, to[c]);
    gainRow(part.data(), count, along_, bow_, luminance_, to[0], to[1], to[2]);
}

} // namespace yolk
