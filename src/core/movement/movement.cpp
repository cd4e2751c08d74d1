#include "movement/movement.h"

#include "align/warp.h"
#include "base/vectorise.h"
#include "image/copy.h"
#include "image/mat_p.h"
#include "movement/cells_p.h"
#include "movement/keepers_p.h"
#include "movement/places_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <numeric>

namespace yolk {
namespace {

constexpr int kAround = 2; // cells around a difference that are not believed either

/// Whether an area of a task is a place of its own.
bool makesPlace(HandTask task)
{
    return task == HandTask::TakeFrom || task == HandTask::Remove;
}

/// What was drawn, by the cells it covers.
struct DrawnCells {
    HandTask task;
    size_t frame;
    Image<uint8_t> inside;
};

/// 1 where the photographer lets evidence count.
Image<uint8_t> cellsThatCount(const std::vector<DrawnCells> &drawn, int width, int height)
{
    // What is treated is all there is, if anything is named; what is left alone has nothing.
    const bool named = std::ranges::any_of(drawn, [](const auto &r) { return r.task == HandTask::Treat; });
    Image<uint8_t> out(width, height, 1);
    for (int y = 0; y < height; ++y)
        std::fill_n(out.row(0, y), width, uint8_t(!named));
    for (const DrawnCells &region : drawn)
        for (int y = 0; y < height && !makesPlace(region.task); ++y)
            for (int x = 0; x < width; ++x)
                if (region.inside.row(0, y)[x])
                    out.row(0, y)[x] = region.task == HandTask::Treat;
    return out;
}

/// The largest disagreement where it counts, and the least blindness.
YOLK_MULTIVERSION
void gatherRow(const float *apart, const float *blind, const uint8_t *counts, int width, float *most, float *least)
{
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // what is written overlaps nothing that is read
        const float a = counts[x] ? apart[x] : 0.0f;
        most[x] = most[x] > a ? most[x] : a;
        least[x] = least[x] < blind[x] ? least[x] : blind[x];
    }
}

/// Whether two frames can show the same where one is near clipping, and bent.
bool alike(const CellFrame &a, const CellFrame &b, int x, int y)
{
    constexpr float kBent = 0.2f, kSigmas = 3.0f; // share of the light; of the noise
    float la = 0.0f, lb = 0.0f, variance = 0.0f;
    for (int c = 0; c < a.light.planes(); ++c) {
        la += a.light.row(c, y)[x];
        lb += b.light.row(c, y)[x];
        variance += a.pixelVariance(a.light.row(c, y)[x]) + b.pixelVariance(b.light.row(c, y)[x]);
    }
    return std::abs(la - lb) <= kBent * std::max(la, lb) + kSigmas * std::sqrt(variance / float(a.pixels));
}

/// What perhaps moved in a row: light beside clipping is not compared, as it is bent, but not by any factor.
void addBent(const CellFrame &a, const CellFrame &b, int y, const uint8_t *counts, float *most)
{
    constexpr float kPerhaps = 0.8f; // no thing by itself, but part of one that it touches
    for (int x = 0; x < a.light.width(); ++x) {
        const bool bent = a.nearClips.row(0, y)[x] || b.nearClips.row(0, y)[x];
        if (bent && counts[x] && !a.clips.row(0, y)[x] && !b.clips.row(0, y)[x] && !a.absent.row(0, y)[x] &&
            !b.absent.row(0, y)[x] && !alike(a, b, x, y))
            most[x] = std::max(most[x], kPerhaps);
    }
}

/// What the pairs say together.
struct Evidence {
    Image<float> apart; ///< the largest disagreement, where it counts
    Image<float> blind; ///< the least, by which frames could differ without being noticed
};
Evidence evidence(const std::vector<CellFrame> &cells, size_t preferred, const Image<uint8_t> &counts, Fit fit,
                  double response, CloseComparisons &close, ExecContext ctx)
{
    const int width = counts.width(), height = counts.height();
    Evidence out{Image<float>(width, height, 1), Image<float>(width, height, 1)};
    for (int y = 0; y < height; ++y)
        std::fill_n(out.blind.row(0, y), width, kBlind);
    const auto pairs = pairsToCompare(cells.size(), preferred);
    for (size_t i = 0; i < pairs.size(); ++i) {
        const size_t a = pairs[i].first, b = pairs[i].second;
        ExecContext own = ctx.part(double(i) / double(pairs.size()), double(i + 1) / double(pairs.size()));
        const auto pair = fit == Fit::Close
                              ? close.of(a, b, own)
                              : std::make_shared<const Comparison>(compare(cells[a], cells[b], fit, response, own));
        ExecContext gathering = ctx.child({});
        forEachBand(gathering, height, [&](int y0, int y1) {
            for (int y = y0; y < y1; ++y) {
                gatherRow(pair->apart.row(0, y), pair->blind.row(0, y), counts.row(0, y), width, out.apart.row(0, y),
                          out.blind.row(0, y));
                addBent(cells[a], cells[b], y, counts.row(0, y), out.apart.row(0, y));
            }
        });
    }
    return out;
}

/// 1 in cells, and beside them, where frames near clipping are merged that nobody can compare: what moves there shows
/// only when it is mixed. `counts` as for evidence().
Image<uint8_t> unseenCells(const std::vector<CellFrame> &cells, const Image<uint8_t> &counts, const Image<float> &blind,
                           ExecContext ctx)
{
    const int width = blind.width(), height = blind.height();
    Image<uint8_t> out(width, height, 1), mixed(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                if (!counts.row(0, y)[x] || !(blind.row(0, y)[x] > kSeeing))
                    continue;
                int shown = 0, bent = 0;
                for (const CellFrame &f : cells) {
                    const bool shows = !f.clips.row(0, y)[x] && !f.absent.row(0, y)[x];
                    shown += shows;
                    bent += shows && f.nearClips.row(0, y)[x];
                }
                out.row(0, y)[x] = 1;
                mixed.row(0, y)[x] = shown > 1 && bent > 0;
            }
    });
    cv::Mat unseen = matOf(out), near;
    cv::dilate(matOf(mixed), near, cv::Mat::ones(3, 3, CV_8U));
    unseen &= near;
    return out;
}

/// Cells of a rectangle where frame `b` shows the same as `a`, as far as anybody can tell; of one that was exposed less
/// also those where `a` clips and `b` is no darker than that.
enum class Other { Darker, Brighter };
Image<uint8_t> sameCells(const CellFrame &a, const CellFrame &b, Other other, const Comparison &pair, const Rect &area,
                         ExecContext &ctx)
{
    // What differs just outside counts as well.
    const Rect all{std::max(0, area.x0 - kAround), std::max(0, area.y0 - kAround),
                   std::min(pair.apart.width(), area.x1 + kAround), std::min(pair.apart.height(), area.y1 + kAround)};
    Image<uint8_t> out(all.width(), all.height(), 1), differs(all.width(), all.height(), 1);
    forEachBand(ctx, all.height(), [&](int y0, int y1) {
        for (int v = y0; v < y1; ++v)
            for (int u = 0; u < all.width(); ++u) {
                const int x = all.x0 + u, y = all.y0 + v;
                const bool standsIn = other == Other::Darker && a.nearClips.row(0, y)[x] && !b.nearClips.row(0, y)[x] &&
                                      !b.absent.row(0, y)[x];
                out.row(0, v)[u] = standsIn || pair.blind.row(0, y)[x] <= kSeeing;
                differs.row(0, v)[u] =
                    pair.apart.row(0, y)[x] > kSame || (standsIn && !a.clips.row(0, y)[x] && !alike(a, b, x, y));
            }
    });
    cv::Mat same = matOf(out), around;
    cv::dilate(matOf(differs), around, cv::Mat::ones(2 * kAround + 1, 2 * kAround + 1, CV_8U));
    same.setTo(0, around);
    Image<uint8_t> inside(area.width(), area.height(), 1);
    for (int v = 0; v < area.height(); ++v)
        std::copy_n(out.row(0, v + area.y0 - all.y0) + area.x0 - all.x0, area.width(), inside.row(0, v));
    return inside;
}

/// Around the cells in which each frame stands, by index.
std::vector<Rect> standingAreas(const Image<uint16_t> &standing, size_t frames)
{
    std::vector<Rect> out(frames + 1, {standing.width(), standing.height(), 0, 0});
    for (int y = 0; y < standing.height(); ++y)
        for (int x = 0; x < standing.width(); ++x) {
            Rect &r = out[standing.row(0, y)[x]];
            r = {std::min(r.x0, x), std::min(r.y0, y), std::max(r.x1, x + 1), std::max(r.y1, y + 1)};
        }
    out.erase(out.begin()); // nobody
    return out;
}

/// Of each place, the frame that stands in most of its cells.
std::vector<size_t> mostlyStanding(const Image<uint16_t> &standing, const Places &places, size_t frames)
{
    std::vector<size_t> cells(size_t(places.count) * frames), out;
    forEachCore(places, [&](size_t place, int x, int y) {
        if (const size_t frame = standing.row(0, y)[x]; frame > 0)
            ++cells[(place - 1) * frames + frame - 1];
    });
    for (auto from = cells.begin(); from != cells.end(); from += ptrdiff_t(frames))
        out.push_back(size_t(std::max_element(from, from + ptrdiff_t(frames)) - from));
    return out;
}

/// What each frame is worth in each cell of the places, by the frames that stand there: those count, and who shows the
/// same.
void steerFrames(const std::vector<CellFrame> &frames, const Places &places, CloseComparisons &close, Movement &out,
                 ExecContext &ctx)
{
    const Image<uint16_t> &standing = out.standing;
    for (size_t i = 0; i < frames.size(); ++i)
        out.grids.emplace_back(places.of.width(), places.of.height(), 1);
    const std::vector<Rect> areas = standingAreas(standing, frames.size());
    std::mutex counting;
    for (size_t state = 0; state < frames.size(); ++state)
        for (size_t i = 0; i < frames.size() && areas[state].x1 > 0; ++i) {
            ExecContext own = ctx.child({});
            const Rect &area = areas[state];
            const Image<uint8_t> same =
                i == state ? Image<uint8_t>()
                           : sameCells(frames[state], frames[i], i < state ? Other::Darker : Other::Brighter,
                                       *close.of(state, i, own), area, own);
            forEachBand(own, area.height(), [&](int y0, int y1) {
                std::vector<int> counted(out.places.size());
                for (int y = area.y0 + y0; y < area.y0 + y1; ++y)
                    for (int x = area.x0; x < area.x1; ++x) {
                        if (standing.row(0, y)[x] != state + 1)
                            continue;
                        const size_t at = places.of.row(0, y)[x] - 1u;
                        const bool counts =
                            i == state || (!out.places[at].byHand && same.row(0, y - area.y0)[x - area.x0]);
                        const int weight = places.weight.row(0, y)[x];
                        out.grids[i].row(0, y)[x] = int8_t(counts ? weight : -weight);
                        counted[at] += counts && places.core.row(0, y)[x];
                    }
                const std::scoped_lock lock(counting);
                for (size_t at = 0; at < counted.size(); ++at)
                    out.places[at].counts[i] += counted[at];
            });
        }
    const double cellPixels = double(out.cell) * out.cell;
    for (MovedPlace &p : out.places)
        for (double &c : p.counts)
            c = p.pixels > 0.0 ? std::min(1.0, c * cellPixels / p.pixels) : 0.0;
}

void check(std::span<const AlignedFrame> frames, const MovementRequest &request)
{
    if (frames.empty() || request.preferred >= frames.size() || request.keeper.value_or(0) >= frames.size() ||
        std::ranges::any_of(request.drawn, [&](const DrawnRegion &r) { return r.frame >= frames.size(); }))
        throw ArgumentError("movement: there is no such frame");
    if (!(request.sensitivity >= 0.0 && request.sensitivity <= 100.0))
        throw ArgumentError(textOf("movement: sensitivity %g must lie in 0 to 100", request.sensitivity));
    if (request.drawn.size() > kMostRegions)
        throw ArgumentError(
            textOf("movement: %zu areas: at most %zu can be drawn", request.drawn.size(), kMostRegions));
    const Shape shape = frames[0].codes.shape();
    for (const AlignedFrame &f : frames)
        if (shape.empty() || shape.planes != 3 || f.codes.shape() != shape ||
            (f.trust.shape() != Shape{} && f.trust.shape() != Shape{shape.width, shape.height, 1}))
            throw ArgumentError("movement: the frames are not of one size");
}

/// Puts things before edges and the larger places first, in all that names them.
void sortPlaces(Movement &movement)
{
    std::vector<size_t> order(movement.places.size());
    std::iota(order.begin(), order.end(), size_t(0));
    std::ranges::stable_sort(order, std::greater{}, [&](size_t i) {
        return std::pair(!movement.places[i].slight, movement.places[i].pixels);
    });
    std::vector<MovedPlace> sorted;
    std::vector<uint16_t> now(order.size() + 1, 0);
    for (size_t i = 0; i < order.size(); ++i) {
        const MovedPlace &place = movement.places[order[i]];
        if (place.pixels <= 0.0)
            continue; // all of it was drawn over
        sorted.push_back(place);
        now[order[i] + 1] = uint16_t(sorted.size());
    }
    movement.places = std::move(sorted);
    for (int y = 0; y < movement.cells.height(); ++y)
        for (int x = 0; x < movement.cells.width(); ++x) {
            uint16_t &at = movement.cells.row(0, y)[x];
            at = now[at];
        }
}

} // namespace

int Movement::placeAt(int x, int y) const
{
    const int u = x / cell, v = y / cell;
    return x >= 0 && y >= 0 && u < cells.width() && v < cells.height() ? int(cells.row(0, v)[u]) - 1 : -1;
}

int Movement::frameAt(int x, int y) const
{
    return placeAt(x, y) < 0 ? -1 : int(standing.row(0, y / cell)[x / cell]) - 1;
}

std::vector<double> Movement::standingShares(size_t frames) const
{
    std::vector<double> out(frames);
    double all = 0.0;
    for (int y = 0; y < cells.height(); ++y)
        for (int x = 0; x < cells.width(); ++x)
            if (const size_t frame = standing.row(0, y)[x]; cells.row(0, y)[x] && frame > 0 && frame <= frames) {
                ++out[frame - 1];
                ++all;
            }
    for (double &v : out)
        v /= std::max(all, 1.0);
    return out;
}

double Movement::share() const
{
    double out = 0.0;
    for (const MovedPlace &place : places)
        out += place.slight ? 0.0 : place.pixels;
    const double all = double(cells.shape().pixels()) * cell * cell;
    return all > 0.0 ? std::min(1.0, out / all) : 0.0;
}

size_t Movement::bytes() const
{
    size_t out = cells.bytes() + standing.bytes();
    for (const Image<int8_t> &grid : grids)
        out += grid.bytes();
    return out;
}

Movement enlarged(const Movement &movement, int factor, int width, int height)
{
    Movement out{movement.keeper,        movement.places,           movement.cell * factor,
                 copyOf(movement.cells), copyOf(movement.standing), {}};
    for (MovedPlace &p : out.places) {
        p.area = {p.area.x0 * factor, p.area.y0 * factor, std::min(p.area.x1 * factor, width),
                  std::min(p.area.y1 * factor, height)};
        p.pixels *= double(factor) * factor;
    }
    for (const Image<int8_t> &grid : movement.grids)
        out.grids.push_back(copyOf(grid));
    return out;
}

Movement findMovement(std::span<const AlignedFrame> frames, const MovementRequest &request, ExecContext &ctx)
{
    check(frames, request);
    const Shape shape = frames[0].codes.shape();
    Movement out;
    out.cell = std::max(1, int(std::ceil(std::sqrt(double(shape.pixels()) / request.mostCells))));
    out.keeper = request.keeper.value_or(request.preferred);
    const bool draws = std::ranges::any_of(request.drawn, [](const auto &r) { return makesPlace(r.task); });
    if (frames.size() < 2 || (request.sensitivity <= 0.0 && !draws))
        return out;
    ExecContext reducing = ctx.part(0.0, 0.4), comparing = ctx.part(0.4, 0.8), deciding = ctx.part(0.8, 1.0);
    std::vector<CellFrame> cells;
    for (size_t i = 0; i < frames.size(); ++i) {
        ExecContext own = reducing.part(double(i) / double(frames.size()), double(i + 1) / double(frames.size()));
        cells.push_back(cellsOf(frames[i], out.cell, own));
    }
    const int width = cells[0].light.width(), height = cells[0].light.height();
    std::vector<DrawnCells> drawn;
    for (const DrawnRegion &region : request.drawn)
        drawn.push_back({region.task, region.frame, drawnCells(region, out.cell, width, height)});
    const double response = responseTolerance(request.sensitivity);
    CloseComparisons close(cells, request.preferred, response);
    const Image<uint8_t> counts = cellsThatCount(drawn, width, height);
    const auto look = [&](Fit fit, double from, double to) {
        if (request.sensitivity <= 0.0)
            return Evidence{Image<float>(width, height, 1), Image<float>(width, height, 1)};
        return evidence(cells, request.preferred, counts, fit, response, close, comparing.part(from, to));
    };
    // Frames that were brought onto each other say pixel by pixel where they may be believed, which settles what is
    // slight.
    const bool brought = std::ranges::any_of(frames, [](const AlignedFrame &f) { return !f.trust.shape().empty(); });
    const Image<float> loosely = brought ? look(Fit::Loose, 0.0, 0.5).apart : Image<float>();
    const Evidence closely = look(Fit::Close, brought ? 0.5 : 0.0, 1.0);
    const Image<uint8_t> unseen = unseenCells(cells, counts, closely.blind, ctx.child({}));
    Places places = brought ? placesIn(loosely, closely.apart, unseen) : placesIn(closely.apart, unseen);
    const int found = places.count;
    std::vector<PlaceKeeper> byHand;
    for (const DrawnCells &region : drawn) {
        if (makesPlace(region.task)) {
            addPlace(region.inside, places);
            byHand.push_back(region.task == HandTask::TakeFrom
                                 ? PlaceKeeper{.frame = region.frame, .isChosen = true, .whatever = true}
                                 : PlaceKeeper{.removes = true});
        } else if (region.task == HandTask::LeaveAlone) {
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    if (region.inside.row(0, y)[x])
                        places.of.row(0, y)[x] = places.weight.row(0, y)[x] = 0;
        }
    }
    if (places.count == 0)
        return out;
    Keepers keepers = keepersOf(cells, places, byHand, {request.keeper, request.preferred, brought}, close, deciding);
    out.keeper = keepers.ofAll;
    if (brought)
        keepReference(cells, places, unseen, request.preferred, response, close, keepers, deciding);

    out.places.resize(size_t(places.count));
    for (size_t i = 0; i < out.places.size(); ++i) {
        MovedPlace &p = out.places[i];
        p.byHand = keepers.ofPlace[i].whatever;
        p.removed = keepers.ofPlace[i].removes;
        p.slight = int(i) < found && int(i) >= places.wide;
        p.frame = keepers.ofPlace[i].frame;
        p.keeperHolds = keepers.held[i];
        p.counts.assign(frames.size(), 0.0);
        p.area = {shape.width, shape.height, 0, 0};
    }
    forEachCore(places, [&](size_t place, int x, int y) {
        MovedPlace &p = out.places[place - 1];
        const Rect here{x * out.cell, y * out.cell, std::min(shape.width, (x + 1) * out.cell),
                        std::min(shape.height, (y + 1) * out.cell)};
        p.pixels += double(here.width()) * here.height();
        p.area = {std::min(p.area.x0, here.x0), std::min(p.area.y0, here.y0), std::max(p.area.x1, here.x1),
                  std::max(p.area.y1, here.y1)};
    });
    out.standing = standingFrames(cells, places, keepers.ofPlace, keepers.instead, close, deciding);
    const std::vector<size_t> mostly = mostlyStanding(out.standing, places, frames.size());
    for (size_t i = 0; i < out.places.size(); ++i) {
        MovedPlace &p = out.places[i];
        if (p.removed)
            p.frame = mostly[i];
        p.slight = p.slight || (int(i) < found && p.pixels < kLeastThing * double(shape.pixels()));
    }
    steerFrames(cells, places, close, out, deciding);
    out.cells = std::move(places.of);
    sortPlaces(out);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
