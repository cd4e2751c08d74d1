#include "mend/mend.h"
#include "mend/stroke_p.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

namespace yolk {
namespace {

/// Log light of an area on fewer pixels, `fewer` x `fewer` of the picture in one; places count from the picture's corner.
class Stops {
public:
    Stops(const MendedLight &picture, const Rect &area, int fewer, float toe)
        : x_(area.x0 / fewer), y_(area.y0 / fewer),
          stops_(std::max(1, area.x1 / fewer - x_), std::max(1, area.y1 / fewer - y_), 3)
    {
        const Rect whole{x_ * fewer, y_ * fewer, (x_ + stops_.width()) * fewer, (y_ + stops_.height()) * fewer};
        const Image<float> light = picture.light(whole);
        const float share = 1.0f / float(fewer * fewer);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < stops_.height(); ++y)
                for (int x = 0; x < stops_.width(); ++x) {
                    float sum = 0.0f;
                    for (int v = 0; v < fewer; ++v)
                        for (int u = 0; u < fewer; ++u)
                            sum += light.row(c, y * fewer + v)[x * fewer + u];
                    stops_.row(c, y)[x] = stopOf(sum * share, toe);
                }
    }
    bool holds(const Rect &places) const
    {
        return places.x0 >= x_ && places.y0 >= y_ && places.x1 <= x_ + stops_.width() &&
               places.y1 <= y_ + stops_.height();
    }
    /// The first of a channel, and how far from it a place lies: places that move together keep their distances.
    const float *first(int channel) const { return stops_.row(channel, 0); }
    ptrdiff_t indexOf(int x, int y) const { return (y - y_) * stops_.view().rowStride() + x - x_; }

private:
    int x_, y_;
    Image<float> stops_;
};

struct Moments {
    double sum = 0.0, squares = 0.0, count = 0.0;
    void add(double value)
    {
        sum += value;
        squares += value * value;
        ++count;
    }
    double mean() const { return count > 0.0 ? sum / count : 0.0; }
    double variance() const { return count > 0.0 ? std::max(0.0, squares / count - mean() * mean()) : 0.0; }
};

/// What a stroke is compared by: some places of its ring, with their log light, and some within it.
class Fit {
public:
    Fit(const MendedLight &picture, const MendStroke &stroke, const std::vector<Point> &line, int fewer, float toe)
        : fewer_(fewer)
    {
        constexpr size_t kMostSamples = 1200;
        const double ring = std::max(2.0 * fewer, kRing * stroke.radius);
        const Rect box = within(boxOf(line, stroke.radius + ring), picture.width(), picture.height());
        for (int y = box.y0 / fewer; y < box.y1 / fewer; ++y)
            for (int x = box.x0 / fewer; x < box.x1 / fewer; ++x)
                if (const double d = toLine({(x + 0.5) * fewer, (y + 0.5) * fewer}, line); d <= stroke.radius + ring)
                    (d < stroke.radius ? inside_ : ring_).push_back({x, y});
        thin(ring_, kMostSamples);
        thin(inside_, kMostSamples);
        const Stops here(picture, box, fewer, toe);
        const Seen seen = seenIn(here);
        for (size_t c = 0; c < 3; ++c) {
            Moments own;
            for (const ptrdiff_t at : seen.ring) {
                here_[c].push_back(double(here.first(int(c))[at]));
                own.add(here_[c].back());
            }
            variance_[c] = own.variance();
        }
        for (const auto *places : {&ring_, &inside_})
            for (const Place &p : *places)
                box_ = {std::min(box_.x0, p.x), std::min(box_.y0, p.y), std::max(box_.x1, p.x + 1),
                        std::max(box_.y1, p.y + 1)};
    }
    int fewer() const { return fewer_; }

    /// A picture to compare with, and where the places lie in it before they move.
    struct Seen {
        const Stops &stops;
        std::vector<ptrdiff_t> ring{}, inside{};
    };
    Seen seenIn(const Stops &stops) const
    {
        Seen out{stops};
        for (const Place &p : ring_)
            out.ring.push_back(stops.indexOf(p.x, p.y));
        for (const Place &p : inside_)
            out.inside.push_back(stops.indexOf(p.x, p.y));
        return out;
    }
    /// Of a source so many coarse pixels away; infinite where it lies beside what is known.
    double costOf(const Seen &seen, int dx, int dy) const
    {
        if (!seen.stops.holds(shifted(box_, dx, dy)))
            return std::numeric_limits<double>::infinity();
        const ptrdiff_t moved = seen.stops.indexOf(dx, dy) - seen.stops.indexOf(0, 0);
        double out = 0.0;
        for (size_t c = 0; c < 3; ++c) {
            const float *const first = seen.stops.first(int(c));
            Moments difference, ring, inside;
            for (size_t i = 0; i < seen.ring.size(); ++i) {
                const auto there = double(first[seen.ring[i] + moved]);
                difference.add(here_[c][i] - there);
                ring.add(there);
            }
            for (const ptrdiff_t at : seen.inside)
                inside.add(double(first[at + moved]));
            constexpr double kShift = 0.1, kNoVariance = 1e-9;
            const double own = variance_[c], other = ring.variance();
            const double unlike = 2.0 * own * difference.variance() / (own + other + kNoVariance);
            const double strange = inside.variance() + std::pow(inside.mean() - ring.mean(), 2.0) - other;
            const auto rougher = [&](double variance) { return std::pow(std::sqrt(variance) - std::sqrt(own), 2.0); };
            out += unlike + rougher(other) + rougher(inside.variance()) + std::max(0.0, strange) +
                   kShift * difference.mean() * difference.mean();
        }
        return out;
    }

private:
    struct Place {
        int x, y;
    };
    static void thin(std::vector<Place> &places, size_t most)
    {
        const size_t step = places.size() / most + 1;
        std::vector<Place> kept;
        for (size_t i = 0; i < places.size(); i += step)
            kept.push_back(places[i]);
        places = std::move(kept);
    }

    int fewer_;
    std::vector<Place> ring_, inside_;
    Rect box_{std::numeric_limits<int>::max() / 2, std::numeric_limits<int>::max() / 2, 0, 0}; ///< of both
    std::array<std::vector<double>, 3> here_;                                                  ///< of the ring
    std::array<double, 3> variance_{};                                                         ///< of those
};

struct Candidate {
    int x, y; ///< pixels
    double cost;
};

} // namespace

std::vector<Point> mendSources(const MendedLight &picture, const MendStroke &stroke, size_t most)
{
    constexpr std::array kWays{2.2, 2.8, 3.6, 4.6, 6.0, 8.0, 11.0, 16.0}; // radii
    constexpr int kAngles = 24;
    constexpr double kCoarse = 10.0;  // pixels of the radius that are enough to see by
    constexpr double kNothing = 4e-4; // square of 0.02 stops: differences that nobody sees
    const std::vector<Point> line = simplified(stroke.points, stroke.radius);
    const double farthest = kWays.back() * stroke.radius;
    const Rect area = within(boxOf(line, farthest + 1.5 * stroke.radius + 2.0), picture.width(), picture.height());
    if (area.empty())
        return {};
    const int fewer = std::max(1, int(stroke.radius / kCoarse));
    const float toe = toeOf(picture.light(within(boxOf(line, 2.0 * stroke.radius), picture.width(), picture.height())));
    const Fit coarse(picture, stroke, line, fewer, toe), fine(picture, stroke, line, 1, toe);
    const Stops round(picture, area, fewer, toe);
    const Fit::Seen seenRound = coarse.seenIn(round);
    const auto isBeside = [&](double x, double y) { // the source touches nothing that is mended
        return std::ranges::all_of(line, [&](const Point &p) {
            return toLine({p.x + x, p.y + y}, line) >= 2.0 * stroke.radius + 1.0;
        });
    };
    const auto costOf = [&](const Fit &fit, const Fit::Seen &seen, int x, int y) {
        if (!isBeside(x, y))
            return std::numeric_limits<double>::infinity();
        const double seam =
            fit.costOf(seen, int(std::lround(double(x) / fit.fewer())), int(std::lround(double(y) / fit.fewer())));
        return (seam + kNothing) * (1.0 + std::hypot(x, y) / farthest); // of two alike the nearer one
    };
    std::vector<Candidate> found;
    for (const double way : kWays)
        for (int i = 0; i < kAngles; ++i) {
            const double angle = 2.0 * std::numbers::pi * (i + 0.5 * std::fmod(way, 2.0)) / kAngles;
            const int x = int(std::lround(way * stroke.radius * std::cos(angle))),
                      y = int(std::lround(way * stroke.radius * std::sin(angle)));
            if (const double cost = costOf(coarse, seenRound, x, y); std::isfinite(cost))
                found.push_back({x, y, cost});
        }
    std::ranges::sort(found, {}, &Candidate::cost);
    // What is moved further lies apart, so that there is something to choose from.
    const auto areApart = [&](const Candidate &a, const Candidate &b) {
        return std::hypot(a.x - b.x, a.y - b.y) >= stroke.radius;
    };
    std::vector<Candidate> moved;
    for (const Candidate &c : found)
        if (moved.size() < 2 * most && std::ranges::all_of(moved, [&](const Candidate &m) { return areApart(c, m); }))
            moved.push_back(c);
    found = std::move(moved);
    const auto move = [&](Candidate &c, const Fit &fit, const Fit::Seen &seen,
                          int step) { // no farther than half the radius
        const Candidate from = c;
        while (step >= fit.fewer()) {
            const Candidate before = c;
            for (const auto &[dx, dy] :
                 {std::pair(step, 0), std::pair(-step, 0), std::pair(0, step), std::pair(0, -step)}) {
                const int x = before.x + dx, y = before.y + dy;
                if (std::hypot(x - from.x, y - from.y) > std::max(2.0, 0.5 * stroke.radius))
                    continue;
                if (const double cost = costOf(fit, seen, x, y); cost < c.cost)
                    c = {x, y, cost};
            }
            if (c.cost >= before.cost)
                step /= 2;
        }
    };
    for (Candidate &c : found) {
        move(c, coarse, seenRound, std::max(fewer, int(stroke.radius / 2.0)));
        if (fewer == 1)
            continue;
        // To the pixel.
        const Rect there = shifted(boxOf(line, 1.5 * stroke.radius + 2.0 + 2.0 * fewer), c.x, c.y);
        const Stops near(picture, within(there, picture.width(), picture.height()), 1, toe);
        const Fit::Seen seenNear = fine.seenIn(near);
        c.cost = costOf(fine, seenNear, c.x, c.y);
        move(c, fine, seenNear, fewer);
    }
    std::ranges::sort(found, {}, &Candidate::cost);
    std::vector<Point> out;
    for (const Candidate &c : found) {
        const Point at{double(c.x), double(c.y)};
        const auto isNear = [&](const Point &other) { return between(at, other) < 0.5 * stroke.radius; };
        if (out.size() < most && std::isfinite(c.cost) && std::ranges::none_of(out, isNear))
            out.push_back(at);
    }
    return out;
}

} // namespace yolk
