#include "movement/lights_p.h"

#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <map>

namespace yolk {
namespace {

constexpr int kFewest = 9; // cells of a light, once what is thinner than three is gone

/// A light of one place.
struct Light {
    size_t place = 0;
    double cells = 0.0;
    std::vector<float> level{}; ///< the keeper's light there, of each channel: it has at least that
};

/// Which of the places' cells are lights of their keeper's, by number from 1.
class Lights {
public:
    Lights(const std::vector<CellFrame> &frames, const Places &places, std::span<const PlaceKeeper> keepers,
           size_t keeper)
        : at_(places.of.width(), places.of.height(), 1), lights_(1)
    {
        const int width = at_.width(), height = at_.height();
        const CellFrame &own = frames[keeper];
        const ClippedCells clipped = clippedCells(frames, keeper);
        const Image<uint8_t> lone = loneCells(own, clipped);
        Image<uint8_t> candidates(width, height, 1);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                if (const size_t place = places.of.row(0, y)[x]; place > 0)
                    if (const PlaceKeeper &k = keepers[place - 1]; k.frame == keeper && !k.isDrawn())
                        candidates.row(0, y)[x] = lone.row(0, y)[x];
        cv::Mat opened, labels;
        cv::morphologyEx(matOf(candidates), opened, cv::MORPH_OPEN, cv::Mat::ones(3, 3, CV_8U));
        const int count = cv::connectedComponents(opened, labels, 8, CV_32S);
        lights_.resize(size_t(count));
        for (Light &l : lights_)
            l.level.resize(size_t(own.light.planes()));
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const auto label = size_t(labels.at<int>(y, x));
                at_.row(0, y)[x] = int(label);
                if (label == 0)
                    continue;
                Light &light = lights_[label];
                light.place = places.of.row(0, y)[x];
                ++light.cells;
                for (int c = 0; c < own.light.planes(); ++c)
                    light.level[size_t(c)] = std::max(light.level[size_t(c)], own.light.row(c, y)[x]);
            }
    }
    size_t count() const { return lights_.size(); }
    const Light &operator[](size_t number) const { return lights_[number]; }
    int at(int x, int y) const { return at_.row(0, y)[x]; }

private:
    Image<int> at_;
    std::vector<Light> lights_;
};

/// How a frame would do in place of the keeper of a light.
struct Substitute {
    double alone = 0.0; ///< cells of the place that it clips and nobody bears out
    double holds = 0.0; ///< cells of the place in which it holds such light, where the keeper shows less
    double merit = 0.0; ///< in the cells of the light
};

/// The one that shows best what lies behind, of those that hold the light elsewhere and clip none themselves; the keeper
/// where there is none.
size_t bestOf(const std::vector<Substitute> &all, size_t keeper, double cells)
{
    constexpr double kClips = 0.1, kHolds = 0.25; // of the light's cells
    size_t out = keeper;
    for (size_t i = 0; i < all.size(); ++i)
        if (i != keeper && all[i].alone <= kClips * cells && all[i].holds >= kHolds * cells &&
            (out == keeper || all[i].merit > all[out].merit))
            out = i;
    return out;
}

bool holdsLight(const CellFrame &frame, const CellFrame &keeper, const Light &light, int x, int y)
{
    if (frame.clips.row(0, y)[x] || frame.absent.row(0, y)[x] || keeper.clips.row(0, y)[x] ||
        keeper.absent.row(0, y)[x])
        return false;
    for (int c = 0; c < frame.light.planes(); ++c)
        if (frame.light.row(c, y)[x] >= light.level[size_t(c)] && light.level[size_t(c)] > 0.0f)
            return true;
    return false;
}

} // namespace

ClippedCells clippedCells(const std::vector<CellFrame> &frames, size_t frame)
{
    const CellFrame &own = frames[frame];
    const int width = own.clips.width(), height = own.clips.height();
    ClippedCells out{Image<uint8_t>(width, height, 1), Image<uint8_t>(width, height, 1)};
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            if (!own.clips.row(0, y)[x])
                continue;
            bool shown = false, borneOut = false;
            for (const CellFrame &f : frames)
                if (!f.clips.row(0, y)[x] && !f.absent.row(0, y)[x]) {
                    shown = true;
                    borneOut = borneOut || !isDarkerThanClipped(own, f, x, y);
                }
            out.shown.row(0, y)[x] = shown;
            out.alone.row(0, y)[x] = shown && !borneOut;
        }
    return out;
}

Image<uint8_t> loneCells(const CellFrame &frame, const ClippedCells &clipped)
{
    cv::Mat parts;
    std::vector<double> most(size_t(cv::connectedComponents(matOf(frame.clips), parts, 8, CV_32S)));
    Image<uint8_t> out(frame.clips.shape());
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x)
            if (clipped.shown.row(0, y)[x])
                most[size_t(parts.at<int>(y, x))] += clipped.alone.row(0, y)[x] ? 1.0 : -1.0;
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x)
            out.row(0, y)[x] = clipped.alone.row(0, y)[x] && most[size_t(parts.at<int>(y, x))] > 0.0;
    return out;
}

namespace {

/// The cells of one place, and pictures of them alone.
class PlaceCells {
public:
    PlaceCells(const Places &places, size_t place, const Rect &area) : places_(places), place_(place), area_(area) {}
    /// Calls visit(x, y) for each.
    template <class Visit> void forEach(Visit &&visit) const
    {
        for (int y = area_.y0; y < area_.y1; ++y)
            for (int x = area_.x0; x < area_.x1; ++x)
                if (places_.of.row(0, y)[x] == place_)
                    visit(x, y);
    }
    /// 1 where `says` does.
    template <class Says> cv::Mat1b where(const Says &says) const
    {
        cv::Mat1b out(area_.height(), area_.width(), uint8_t(0));
        forEach([&](int x, int y) { out(y - area_.y0, x - area_.x0) = says(x, y) ? 1 : 0; });
        return out;
    }
    template <class T> T at(const cv::Mat_<T> &picture, int x, int y) const
    {
        return picture(y - area_.y0, x - area_.x0);
    }

private:
    const Places &places_;
    size_t place_;
    Rect area_;
};

/// Around each place, by number from 1.
std::vector<Rect> areasOf(const Places &places)
{
    std::vector<Rect> out(size_t(places.count) + 1, {places.of.width(), places.of.height(), 0, 0});
    for (int y = 0; y < places.of.height(); ++y)
        for (int x = 0; x < places.of.width(); ++x) {
            Rect &r = out[places.of.row(0, y)[x]];
            r = {std::min(r.x0, x), std::min(r.y0, y), std::max(r.x1, x + 1), std::max(r.y1, y + 1)};
        }
    return out;
}

/// 1 wherever two frames differ and that hangs together with a light, where the one has it and where the other has.
cv::Mat1b regionOf(const PlaceCells &cells, const Comparison &pair, const cv::Mat1b &seeds)
{
    const cv::Mat1b differs =
        cells.where([&](int x, int y) { return cells.at(seeds, x, y) || pair.apart.row(0, y)[x] > kSame; });
    cv::Mat1i labels;
    std::vector<bool> taken(size_t(cv::connectedComponents(differs, labels, 8, CV_32S)), false);
    cells.forEach([&](int x, int y) {
        if (cells.at(seeds, x, y))
            taken[size_t(cells.at(labels, x, y))] = true;
    });
    cv::Mat1b out = cells.where([&](int x, int y) {
        const int label = cells.at(labels, x, y);
        return label > 0 && taken[size_t(label)];
    });
    cv::dilate(out, out, cv::Mat::ones(3, 3, CV_8U));
    return out;
}

} // namespace

Image<uint16_t> lightsElsewhere(const std::vector<CellFrame> &frames, const Places &places,
                                std::span<const PlaceKeeper> keepers, CloseComparisons &close, ExecContext &ctx)
{
    Image<uint16_t> out(places.of.width(), places.of.height(), 1);
    const std::vector<Rect> areas = areasOf(places);
    std::map<size_t, ClippedCells> clipped; // of each frame, where it is asked for
    for (size_t keeper = 0; keeper < frames.size(); ++keeper) {
        if (std::ranges::none_of(keepers, [&](const PlaceKeeper &k) { return k.frame == keeper && !k.isDrawn(); }))
            continue;
        const CellFrame &own = frames[keeper];
        const Lights lights(frames, places, keepers, keeper);
        for (size_t number = 1; number < lights.count(); ++number) {
            const Light &light = lights[number];
            if (light.cells < kFewest)
                continue;
            ctx.throwIfStopped();
            const PlaceCells cells(places, light.place, areas[light.place]);
            std::vector<Substitute> all(frames.size());
            for (size_t i = 0; i < frames.size(); ++i) {
                if (i == keeper)
                    continue;
                if (!clipped.contains(i))
                    clipped.emplace(i, clippedCells(frames, i));
                const Image<uint8_t> &alone = clipped.at(i).alone;
                cells.forEach([&](int x, int y) {
                    all[i].alone += alone.row(0, y)[x];
                    all[i].holds += holdsLight(frames[i], own, light, x, y);
                    if (lights.at(x, y) == int(number))
                        all[i].merit += double(meritOf(frames[i], x, y));
                });
            }
            const size_t best = bestOf(all, keeper, light.cells);
            if (best == keeper)
                continue;
            ExecContext comparing = ctx.child({});
            const cv::Mat1b seeds = cells.where([&](int x, int y) {
                return lights.at(x, y) == int(number) || holdsLight(frames[best], own, light, x, y);
            });
            const cv::Mat1b region = regionOf(cells, *close.of(keeper, best, comparing), seeds);
            // A glow is no wider than the light itself. Whatever takes more room is a thing with a clipped spot.
            constexpr int kGlow = 4; // times the light's own cells, in both frames
            if (cv::countNonZero(region) > kGlow * cv::countNonZero(seeds))
                continue;
            cells.forEach([&](int x, int y) {
                if (cells.at(region, x, y))
                    out.row(0, y)[x] = uint16_t(best + 1);
            });
        }
    }
    return out;
}

} // namespace yolk
