#include "mend/mend.h"

#include "base/quick_math.h"
#include "mend/membrane.h"
#include "mend/stroke_p.h"
#include "mend/weave.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>

namespace yolk {
namespace {

Point middleOf(const std::vector<Point> &points)
{
    Point out;
    for (const Point &p : points) {
        out.x += p.x / double(points.size());
        out.y += p.y / double(points.size());
    }
    return out;
}

/// Distances of the pixels of an area from a line.
Image<float> distancesIn(const Rect &area, const std::vector<Point> &line)
{
    Image<float> out({area.width(), area.height(), 1}, Fill::Anything);
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x)
            out.row(0, y)[x] = float(toLine({area.x0 + x + 0.5, area.y0 + y + 0.5}, line));
    return out;
}

/// What lies at the source, pixel by pixel of an area.
struct Source {
    Image<float> light;
    Image<uint8_t> clipped;
};

Source sourceOf(const MendedLight &picture, const MendStroke &stroke, const Rect &area)
{
    const int dx = int(std::lround(stroke.source.x)), dy = int(std::lround(stroke.source.y));
    if (stroke.turn == 0.0)
        return {picture.light(shifted(area, dx, dy)), picture.clipped(shifted(area, dx, dy))};
    const Point middle = middleOf(stroke.points);
    const double cosine = std::cos(stroke.turn), sine = std::sin(stroke.turn);
    const auto at = [&](double x, double y) { // turned back round the middle, then shifted
        const double u = x - middle.x, v = y - middle.y;
        return Point{middle.x + stroke.source.x + cosine * u + sine * v,
                     middle.y + stroke.source.y - sine * u + cosine * v};
    };
    std::vector<Point> corners;
    for (const double x : {area.x0, area.x1})
        for (const double y : {area.y0, area.y1})
            corners.push_back(at(x, y));
    const Rect box = boxOf(corners, 2.0);
    const Image<float> light = picture.light(box);
    const Image<uint8_t> clipped = picture.clipped(box);
    Source out{Image<float>({area.width(), area.height(), 3}, Fill::Anything),
               Image<uint8_t>({area.width(), area.height(), 1}, Fill::Anything)};
    for (int y = 0; y < area.height(); ++y)
        for (int x = 0; x < area.width(); ++x) {
            const Point p = at(area.x0 + x + 0.5, area.y0 + y + 0.5);
            const double u = std::clamp(p.x - box.x0 - 0.5, 0.0, box.width() - 1.001),
                         v = std::clamp(p.y - box.y0 - 0.5, 0.0, box.height() - 1.001);
            const int left = int(u), top = int(v);
            const float across = float(u - left), down = float(v - top);
            for (int c = 0; c < 3; ++c) {
                const float *first = light.row(c, top) + left, *second = light.row(c, top + 1) + left;
                const float upper = first[0] + across * (first[1] - first[0]),
                            lower = second[0] + across * (second[1] - second[0]);
                out.light.row(c, y)[x] = upper + down * (lower - upper);
            }
            out.clipped.row(0, y)[x] = clipped.row(0, top + (down >= 0.5f))[left + (across >= 0.5f)];
        }
    return out;
}

/// What is woven from round the stroke, pixel by pixel of an area. So large that it would take seconds, it is woven of
/// fewer pixels, and the whole ones are taken from where those came from.
Source wovenOf(const MendedLight &picture, const MendStroke &stroke, const std::vector<Point> &line, const Rect &area)
{
    constexpr double kReach = 5.0, kLeastReach = 40.0; // radii and pixels that pieces may come from
    constexpr double kMostPixels = 2e5;                // of the hole
    const double reach = std::max(kLeastReach, kReach * stroke.radius);
    const Rect round = within(boxOf(line, stroke.radius + reach), picture.width(), picture.height());
    const Image<float> light = picture.light(round), distances = distancesIn(round, line);
    const Image<uint8_t> clipped = picture.clipped(round);
    const float toe = toeOf(light);
    double holed = 0.0;
    for (int y = 0; y < round.height(); ++y)
        holed += double(std::count_if(distances.row(0, y), distances.row(0, y) + round.width(),
                                      [&](float d) { return double(d) < stroke.radius; }));
    const int fewer = std::max(1, int(std::ceil(std::sqrt(holed / kMostPixels))));
    const int width = (round.width() + fewer - 1) / fewer, height = (round.height() + fewer - 1) / fewer;
    Image<float> stops(width, height, 3);
    Image<uint8_t> hole(width, height, 1);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const int u0 = x * fewer, v0 = y * fewer, u1 = std::min(u0 + fewer, round.width()),
                      v1 = std::min(v0 + fewer, round.height());
            for (int c = 0; c < 3; ++c) {
                float sum = 0.0f;
                for (int v = v0; v < v1; ++v)
                    sum = std::accumulate(light.row(c, v) + u0, light.row(c, v) + u1, sum);
                stops.row(c, y)[x] = stopOf(sum / float((u1 - u0) * (v1 - v0)), toe);
            }
            for (int v = v0; v < v1; ++v)
                for (int u = u0; u < u1; ++u)
                    hole.row(0, y)[x] |= double(distances.row(0, v)[u]) < stroke.radius;
        }
    const Woven made = woven(stops.view(), hole.view(), stroke.weave);
    Source out{picture.light(area), picture.clipped(area)};
    for (int y = 0; y < area.height(); ++y)
        for (int x = 0; x < area.width(); ++x) {
            const int u = area.x0 + x - round.x0, v = area.y0 + y - round.y0;
            if (double(distances.row(0, v)[u]) >= stroke.radius)
                continue;
            const int cu = u / fewer, cv = v / fewer, from = made.taken.row(0, cv)[cu];
            const int fu = std::clamp(from * fewer + u - cu * fewer, 0, round.width() - 1),
                      fv = std::clamp(made.taken.row(1, cv)[cu] * fewer + v - cv * fewer, 0, round.height() - 1);
            for (int c = 0; c < 3; ++c)
                out.light.row(c, y)[x] =
                    fewer > 1 && from >= 0 ? light.row(c, fv)[fu] : quickExp2(made.values.row(c, cv)[cu]) - toe;
            out.clipped.row(0, y)[x] = from >= 0 ? clipped.row(0, fv)[fu] : uint8_t(0);
        }
    return out;
}

/// The mean of known values over a square of pixels round each, in place.
void smoothKnown(Image<float> &values, const Image<uint8_t> &known, int reach)
{
    const int width = values.width(), height = values.height();
    std::vector<double> sums(size_t(width + 1) * size_t(height + 1)), counts(sums.size());
    const auto at = [&](int x, int y) { return size_t(y) * size_t(width + 1) + size_t(x); };
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const bool is = known.row(0, y)[x] != 0;
            sums[at(x + 1, y + 1)] =
                (is ? double(values.row(0, y)[x]) : 0.0) + sums[at(x, y + 1)] + sums[at(x + 1, y)] - sums[at(x, y)];
            counts[at(x + 1, y + 1)] =
                (is ? 1.0 : 0.0) + counts[at(x, y + 1)] + counts[at(x + 1, y)] - counts[at(x, y)];
        }
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            if (!known.row(0, y)[x])
                continue;
            const int x0 = std::max(0, x - reach), x1 = std::min(width, x + reach + 1), y0 = std::max(0, y - reach),
                      y1 = std::min(height, y + reach + 1);
            const auto over = [&](const std::vector<double> &of) {
                return of[at(x1, y1)] - of[at(x0, y1)] - of[at(x1, y0)] + of[at(x0, y0)];
            };
            values.row(0, y)[x] = float(over(sums) / over(counts));
        }
}

/// By how many stops each channel of the other place is lifted to fit here: between the differences in the ring. Where
/// their mean says that something else lies there, an edge or a thing, they do not count: a lift of that much would smear
/// it. By how much a channel differs from the mean is held near to what is usual, as lights change in brightness by far
/// more than in colour: else what is lifted would be tinted.
Image<float> liftOf(const Image<float> &here, const Image<float> &there, const Image<float> &distances,
                    const MendStroke &stroke, double ring, float toe)
{
    constexpr float kLeast = 0.15f, kDeviations = 2.5f, kOfMedian = 1.4826f; // stops; of a normal distribution
    const int width = here.width(), height = here.height();
    Image<float> out(here.shape());
    Image<uint8_t> known(width, height, 1);
    const auto planeOf = [&](const auto &valueAt) {
        Image<float> plane(width, height, 1);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                plane.row(0, y)[x] = valueAt(x, y);
        return plane;
    };
    const auto differenceOf = [&](int c, int x, int y) {
        return stopOf(here.row(c, y)[x], toe) - stopOf(there.row(c, y)[x], toe);
    };
    Image<float> mean = planeOf(
        [&](int x, int y) { return (differenceOf(0, x, y) + differenceOf(1, x, y) + differenceOf(2, x, y)) / 3.0f; });
    const auto medianOfKnown = [&](const auto &valueAt) {
        std::vector<float> values;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                if (known.row(0, y)[x])
                    values.push_back(valueAt(x, y));
        if (values.empty())
            return 0.0f;
        const auto middle = values.begin() + ptrdiff_t(values.size() / 2);
        std::ranges::nth_element(values, middle);
        return *middle;
    };
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double d = double(distances.row(0, y)[x]);
            known.row(0, y)[x] = d >= stroke.radius && d <= stroke.radius + ring && std::isfinite(mean.row(0, y)[x]);
        }
    const float usual = medianOfKnown([&](int x, int y) { return mean.row(0, y)[x]; });
    const float apart = medianOfKnown([&](int x, int y) { return std::abs(mean.row(0, y)[x] - usual); });
    const float most = std::max(kLeast, kDeviations * kOfMedian * apart);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            known.row(0, y)[x] &= std::abs(mean.row(0, y)[x] - usual) <= most;
    std::array<Image<float>, 3> tints;
    for (int c = 0; c < 3; ++c) {
        const auto tintAt = [&](int x, int y) { return differenceOf(c, x, y) - mean.row(0, y)[x]; };
        const float middle = medianOfKnown(tintAt);
        tints[size_t(c)] =
            planeOf([&](int x, int y) { return std::clamp(tintAt(x, y), middle - kLeast, middle + kLeast); });
    }
    const int reach = std::max(1, int(std::lround(stroke.radius / 6.0)));
    for (Image<float> *plane : {&mean, &tints[0], &tints[1], &tints[2]}) {
        smoothKnown(*plane, known, reach);
        fillSmoothly(plane->view(), known.view());
    }
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            std::transform(mean.row(0, y), mean.row(0, y) + width, tints[size_t(c)].row(0, y), out.row(c, y),
                           std::plus<>());
    return out;
}

} // namespace

MendPatch mended(const MendedLight &picture, const MendStroke &stroke)
{
    const std::vector<Point> line = simplified(stroke.points, stroke.radius);
    const double ring = std::max(2.0, kRing * stroke.radius);
    MendPatch out;
    out.area = within(boxOf(line, stroke.radius), picture.width(), picture.height());
    if (out.area.empty())
        return out;
    const Rect wide = within(boxOf(line, stroke.radius + ring), picture.width(), picture.height());
    const Image<float> distances = distancesIn(wide, line), here = picture.light(wide);
    const bool isWoven = stroke.way == MendWay::Woven;
    const Source there = isWoven ? wovenOf(picture, stroke, line, wide) : sourceOf(picture, stroke, wide);
    out.light = picture.light(out.area);
    out.clipped = picture.clipped(out.area);
    const float toe = toeOf(here);
    const int left = out.area.x0 - wide.x0, top = out.area.y0 - wide.y0;
    const bool lifts = stroke.way == MendWay::Seamless;
    const double soft = std::max(1.0, stroke.feather * stroke.radius);
    const auto shareOf = [&](float distance) {
        const double t = std::clamp((stroke.radius - double(distance)) / soft, 0.0, 1.0);
        return float(stroke.strength * t * t * (3.0 - 2.0 * t));
    };
    const Image<float> lift = lifts ? liftOf(here, there.light, distances, stroke, ring, toe) : Image<float>();
    for (int c = 0; c < 3; ++c) {
        for (int y = 0; y < out.area.height(); ++y)
            for (int x = 0; x < out.area.width(); ++x) {
                const float share = shareOf(distances.row(0, top + y)[left + x]);
                if (share <= 0.0f)
                    continue;
                const float other = there.light.row(c, top + y)[left + x];
                const float fitted = lifts ? (other + toe) * quickExp2(lift.row(c, top + y)[left + x]) - toe : other;
                float &light = out.light.row(c, y)[x];
                light = share < 1.0f ? light + share * (fitted - light) : fitted;
                if (share > 0.5f)
                    out.clipped.row(0, y)[x] = there.clipped.row(0, top + y)[left + x];
            }
    }
    return out;
}

} // namespace yolk
