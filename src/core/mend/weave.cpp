#include "mend/weave.h"

#include "mend/membrane.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <vector>

namespace yolk {
namespace {

constexpr int kReach = 3, kSide = 2 * kReach + 1; // of a piece
constexpr float kFar = std::numeric_limits<float>::max();

/// A counter that gives chance: splitmix64, public domain.
class Chance {
public:
    explicit Chance(uint64_t seed) : state_(seed) {}
    int below(int n)
    {
        state_ += 0x9e3779b97f4a7c15u;
        uint64_t z = state_;
        z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
        z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
        return int(((z ^ (z >> 31)) >> 33) % uint64_t(n));
    }

private:
    uint64_t state_;
};

struct Place {
    int x, y;
};

/// One size of the picture: pixels with their channels side by side.
struct Level {
    Level(int w, int h, int p) : width(w), height(h), planes(p)
    {
        values.resize(size_t(w) * size_t(h) * size_t(p));
        hole.resize(size_t(w) * size_t(h));
    }
    int width, height, planes;
    std::vector<float> values;
    std::vector<uint8_t> hole;
    std::vector<uint8_t> whole;  ///< 1: a piece with its middle here lies within the picture and beside the hole
    std::vector<Place> sources;  ///< those
    std::vector<Place> targets;  ///< middles of pieces that touch the hole
    std::vector<float> depth;    ///< pixels to what is known, of targets
    std::vector<int32_t> target; ///< index of a target, -1: none

    size_t at(int x, int y) const { return size_t(y) * size_t(width) + size_t(x); }
    const float *pixel(int x, int y) const { return values.data() + at(x, y) * size_t(planes); }
    float *pixel(int x, int y) { return values.data() + at(x, y) * size_t(planes); }
    bool isInside(int x, int y) const
    {
        return x >= kReach && y >= kReach && x < width - kReach && y < height - kReach;
    }
};

void findPieces(Level &level)
{
    const int w = level.width, h = level.height;
    // Sums of the hole from the corner on.
    std::vector<int> sums(size_t(w + 1) * size_t(h + 1));
    const auto sum = [&](int x, int y) -> int & { return sums[size_t(y) * size_t(w + 1) + size_t(x)]; };
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            sum(x + 1, y + 1) = level.hole[level.at(x, y)] + sum(x, y + 1) + sum(x + 1, y) - sum(x, y);
    level.whole.assign(size_t(w) * size_t(h), 0);
    level.target.assign(size_t(w) * size_t(h), -1);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            if (!level.isInside(x, y))
                continue;
            const int holed = sum(x + kReach + 1, y + kReach + 1) - sum(x - kReach, y + kReach + 1) -
                              sum(x + kReach + 1, y - kReach) + sum(x - kReach, y - kReach);
            if (holed == 0) {
                level.whole[level.at(x, y)] = 1;
                level.sources.push_back({x, y});
            } else {
                level.target[level.at(x, y)] = int32_t(level.targets.size());
                level.targets.push_back({x, y});
            }
        }
    // Chessboard distance to what is known, two sweeps.
    std::vector<float> depth(size_t(w) * size_t(h));
    const auto sweep = [&](int y, int x, int back) {
        float &d = depth[level.at(x, y)];
        if (!level.hole[level.at(x, y)]) {
            d = 0.0f;
            return;
        }
        for (const auto &[dx, dy] :
             {std::pair(-back, 0), std::pair(0, -back), std::pair(-back, -back), std::pair(back, -back)}) {
            const int u = x + dx, v = y + dy;
            if (u >= 0 && v >= 0 && u < w && v < h)
                d = std::min(d, depth[level.at(u, v)] + 1.0f);
        }
    };
    std::fill(depth.begin(), depth.end(), float(w + h));
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            sweep(y, x, 1);
    for (int y = h; y-- > 0;)
        for (int x = w; x-- > 0;)
            sweep(y, x, -1);
    for (const Place &p : level.targets)
        level.depth.push_back(depth[level.at(p.x, p.y)]);
}

Level halved(const Level &fine)
{
    Level out((fine.width + 1) / 2, (fine.height + 1) / 2, fine.planes);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            float count = 0.0f;
            float *to = out.pixel(x, y);
            for (int v = 2 * y; v < std::min(2 * y + 2, fine.height); ++v)
                for (int u = 2 * x; u < std::min(2 * x + 2, fine.width); ++u)
                    if (!fine.hole[fine.at(u, v)]) {
                        for (int c = 0; c < out.planes; ++c)
                            to[c] += fine.pixel(u, v)[c];
                        ++count;
                    }
            out.hole[out.at(x, y)] = count == 0.0f;
            for (int c = 0; c < out.planes && count > 0.0f; ++c)
                to[c] /= count;
        }
    findPieces(out);
    return out;
}

void fillSmoothlyAll(Level &level)
{
    Image<float> plane(level.width, level.height, 1);
    Image<uint8_t> known(level.width, level.height, 1);
    for (int c = 0; c < level.planes; ++c) {
        for (int y = 0; y < level.height; ++y)
            for (int x = 0; x < level.width; ++x) {
                plane.row(0, y)[x] = level.pixel(x, y)[c];
                known.row(0, y)[x] = !level.hole[level.at(x, y)];
            }
        fillSmoothly(plane.view(), known.view());
        for (int y = 0; y < level.height; ++y)
            for (int x = 0; x < level.width; ++x)
                level.pixel(x, y)[c] = plane.row(0, y)[x];
    }
}

/// Nearest pieces of the targets of one level.
class Matches {
public:
    explicit Matches(Level &level, uint64_t seed)
        : level_(level), chance_(seed), nearest_(level.targets.size()), distance_(level.targets.size(), kFar),
          weights_(level.values.size()), spread_(spreadsOf(level))
    {
        for (Place &p : nearest_)
            p = level.sources[size_t(chance_.below(int(level.sources.size())))];
    }
    /// From those of half the size.
    void startFrom(const Matches &coarse)
    {
        for (size_t i = 0; i < nearest_.size(); ++i) {
            const Place t = level_.targets[i];
            const int u = std::clamp(t.x / 2, kReach, coarse.level_.width - 1 - kReach),
                      v = std::clamp(t.y / 2, kReach, coarse.level_.height - 1 - kReach);
            const int32_t at = u >= 0 && v >= 0 ? coarse.level_.target[coarse.level_.at(u, v)] : -1;
            if (at < 0)
                continue;
            const Place from = coarse.nearest_[size_t(at)];
            const int x = 2 * from.x + t.x - 2 * u, y = 2 * from.y + t.y - 2 * v;
            if (level_.isInside(x, y) && level_.whole[level_.at(x, y)])
                nearest_[i] = {x, y};
        }
    }
    /// The mean of the pieces that overlap in the hole, those with their middle near by far above the others: a mean of many
    /// would blur. How near a piece is to what stands there has no say, as flat ones always are.
    void vote()
    {
        constexpr float kFall = 1.3f;   // by pixel of depth, as in [Wexler2007]
        constexpr float kNarrow = 0.4f; // by square of a pixel: grain of 1, 2, 4 and 7 pixels keeps its contrast
        std::array<float, size_t(kSide) * kSide> nearness;
        for (int dy = -kReach; dy <= kReach; ++dy)
            for (int dx = -kReach; dx <= kReach; ++dx)
                nearness[size_t((dy + kReach) * kSide + dx + kReach)] = std::exp(-kNarrow * float(dx * dx + dy * dy));
        std::vector<float> sums(level_.values.size()), weights(level_.hole.size());
        const int planes = level_.planes;
        for (size_t i = 0; i < nearest_.size(); ++i) {
            const Place t = level_.targets[i], s = nearest_[i];
            const float weight = std::pow(kFall, -level_.depth[i]);
            for (int dy = -kReach; dy <= kReach; ++dy)
                for (int dx = -kReach; dx <= kReach; ++dx) {
                    const size_t to = level_.at(t.x + dx, t.y + dy);
                    if (!level_.hole[to])
                        continue;
                    const float own = weight * nearness[size_t((dy + kReach) * kSide + dx + kReach)];
                    const float *from = level_.pixel(s.x + dx, s.y + dy);
                    weights[to] += own;
                    for (int c = 0; c < planes; ++c)
                        sums[to * size_t(planes) + size_t(c)] += own * from[c];
                }
        }
        for (size_t p = 0; p < level_.hole.size(); ++p)
            if (level_.hole[p] && weights[p] > 0.0f)
                for (int c = 0; c < planes; ++c)
                    level_.values[p * size_t(planes) + size_t(c)] = sums[p * size_t(planes) + size_t(c)] / weights[p];
    }
    /// Better pieces by those of neighbours and by chance, nearer and nearer, there and back. `made`: how much of what stands
    /// in the hole counts.
    void search(int passes, float made)
    {
        for (size_t p = 0; p < level_.hole.size(); ++p)
            std::fill_n(weights_.data() + p * size_t(level_.planes), level_.planes, level_.hole[p] ? made : 1.0f);
        for (size_t i = 0; i < nearest_.size(); ++i)
            distance_[i] = distanceOf(level_.targets[i], nearest_[i], kFar);
        for (int pass = 0; pass < passes; ++pass) {
            const int back = pass % 2 ? -1 : 1;
            for (size_t k = 0; k < nearest_.size(); ++k) {
                const size_t i = back > 0 ? k : nearest_.size() - 1 - k;
                const Place t = level_.targets[i];
                for (const auto &[dx, dy] : {std::pair(-back, 0), std::pair(0, -back)}) {
                    const int32_t near = level_.target[level_.at(t.x + dx, t.y + dy)];
                    if (near >= 0)
                        tryPlace(i, {nearest_[size_t(near)].x - dx, nearest_[size_t(near)].y - dy});
                }
                for (int reach = std::max(level_.width, level_.height); reach > 0; reach /= 2) {
                    const Place from = nearest_[i];
                    tryPlace(i, {from.x + chance_.below(2 * reach + 1) - reach,
                                 from.y + chance_.below(2 * reach + 1) - reach});
                }
            }
        }
    }
    Place nearest(size_t target) const { return nearest_[target]; }

private:
    /// Deviation of each source from its own mean, all pixels and channels together.
    static std::vector<float> spreadsOf(const Level &level)
    {
        constexpr double kLeast = 0.3; // flat ones: some hundredths of a stop for each of 147 values
        std::vector<float> out(level.hole.size(), 1.0f);
        for (const Place &s : level.sources) {
            double squares = 0.0;
            for (int c = 0; c < level.planes; ++c) {
                double sum = 0.0;
                for (int dy = -kReach; dy <= kReach; ++dy)
                    for (int dx = -kReach; dx <= kReach; ++dx) {
                        const double value = double(level.pixel(s.x + dx, s.y + dy)[c]);
                        sum += value;
                        squares += value * value;
                    }
                squares -= sum * sum / (kSide * kSide);
            }
            out[level.at(s.x, s.y)] = float(std::sqrt(std::max(0.0, squares)) + kLeast);
        }
        return out;
    }
    /// Squares of differences over the deviation of the source. Of pieces that have nothing to do with what is sought, squares
    /// alone prefer flat ones, as they grow by the source's own variance, and contrast would be lost in turn after turn; over
    /// the deviation, (v + s^2) / s, they are least where it is that of what is sought.
    float distanceOf(const Place &a, const Place &b, float most) const
    {
        const float by = spread_[level_.at(b.x, b.y)];
        const float d = squaresOf(a, b, most == kFar ? kFar : most * by);
        return d == kFar ? kFar : d / by;
    }
    float squaresOf(const Place &a, const Place &b, float most) const
    {
        const int length = kSide * level_.planes;
        float out = 0.0f;
        for (int dy = -kReach; dy <= kReach; ++dy) {
            const float *p = level_.pixel(a.x - kReach, a.y + dy), *q = level_.pixel(b.x - kReach, b.y + dy);
            float row = 0.0f;
            const float *w = weights_.data() + level_.at(a.x - kReach, a.y + dy) * size_t(level_.planes);
            for (int i = 0; i < length; ++i)
                row += w[i] * (p[i] - q[i]) * (p[i] - q[i]);
            out += row;
            if (out >= most)
                return kFar;
        }
        return out;
    }
    void tryPlace(size_t target, const Place &at)
    {
        if (!level_.isInside(at.x, at.y) || !level_.whole[level_.at(at.x, at.y)])
            return;
        if (const float d = distanceOf(level_.targets[target], at, distance_[target]); d < distance_[target]) {
            distance_[target] = d;
            nearest_[target] = at;
        }
    }

    Level &level_;
    Chance chance_;
    std::vector<Place> nearest_;
    std::vector<float> distance_, weights_, spread_;
};

} // namespace

Woven woven(ImageView<const float> values, ImageView<const uint8_t> hole, int weave)
{
    const Shape shape = values.shape();
    std::vector<Level> levels;
    Level &finest = levels.emplace_back(shape.width, shape.height, shape.planes);
    for (int y = 0; y < shape.height; ++y)
        for (int x = 0; x < shape.width; ++x) {
            finest.hole[finest.at(x, y)] = hole.row(0, y)[x] != 0;
            for (int c = 0; c < shape.planes; ++c)
                finest.pixel(x, y)[c] = values.row(c, y)[x];
        }
    findPieces(finest);
    // Coarser until the hole is hardly wider than a piece.
    constexpr int kSmallest = 4 * kSide;
    constexpr size_t kFewest = 64; // pieces to choose from
    while (std::min(levels.back().width, levels.back().height) > kSmallest &&
           std::ranges::any_of(levels.back().depth, [](float d) { return d > 2.0f; })) {
        Level next = halved(levels.back());
        if (next.sources.size() < kFewest || next.targets.empty())
            break;
        levels.push_back(std::move(next));
    }
    Woven out{Image<float>(shape), Image<int32_t>(shape.width, shape.height, 2)};
    for (int c = 0; c < 2; ++c)
        for (int y = 0; y < shape.height; ++y)
            std::fill_n(out.taken.row(c, y), shape.width, -1);
    fillSmoothlyAll(levels.back());
    if (!levels.back().sources.empty() && !levels.back().targets.empty()) {
        std::optional<Matches> matches;
        for (size_t l = levels.size(); l-- > 0;) {
            Matches here(levels[l], uint64_t(weave) * 1000 + l);
            if (matches) {
                here.startFrom(*matches);
                here.vote();
            }
            const int turns = l + 1 == levels.size() ? 10 : l == 0 ? 3 : 5;
            for (int i = 0; i < turns; ++i) {
                here.search(2, l + 1 == levels.size() && i == 0 ? 0.0f : 1.0f);
                here.vote();
            }
            matches.emplace(std::move(here));
        }
        const Level &done = levels.front();
        for (size_t i = 0; i < done.targets.size(); ++i) {
            const Place t = done.targets[i];
            if (done.hole[done.at(t.x, t.y)]) {
                out.taken.row(0, t.y)[t.x] = matches->nearest(i).x;
                out.taken.row(1, t.y)[t.x] = matches->nearest(i).y;
            }
        }
    }
    const Level &done = levels.front();
    for (int y = 0; y < shape.height; ++y)
        for (int x = 0; x < shape.width; ++x)
            for (int c = 0; c < shape.planes; ++c)
                out.values.row(c, y)[x] = done.pixel(x, y)[c];
    return out;
}

} // namespace yolk
