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
                    if (const PlaceKeeper &k = keepers[place - 1]; k.frame == keeper && !k.whatever)
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

Image<uint16_t> lightsElsewhere(const std::vector<CellFrame> &frames, const Places &places,
                                std::span<const PlaceKeeper> keepers, CloseComparisons &close, ExecContext &ctx)
{
    const int width = places.of.width(), height = places.of.height();
    Image<uint16_t> out(width, height, 1);
    std::map<size_t, ClippedCells> clipped; // of each frame, where it is asked for
    for (size_t keeper = 0; keeper < frames.size(); ++keeper) {
        if (std::ranges::none_of(keepers, [&](const PlaceKeeper &k) { return k.frame == keeper && !k.whatever; }))
            continue;
        const Lights lights(frames, places, keepers, keeper);
        for (size_t number = 1; number < lights.count(); ++number) {
            const Light &light = lights[number];
            if (light.cells < kFewest)
                continue;
            const auto forPlace = [&](const auto &visit) {
                for (int y = 0; y < height; ++y)
                    for (int x = 0; x < width; ++x)
                        if (places.of.row(0, y)[x] == light.place)
                            visit(x, y);
            };
            std::vector<Substitute> all(frames.size());
            for (size_t i = 0; i < frames.size(); ++i) {
                if (i == keeper)
                    continue;
                const ClippedCells &own = clipped.try_emplace(i, clippedCells(frames, i)).first->second;
                forPlace([&](int x, int y) {
                    all[i].alone += own.alone.row(0, y)[x];
                    all[i].holds += holdsLight(frames[i], frames[keeper], light, x, y);
                    if (lights.at(x, y) == int(number))
                        all[i].merit += double(meritOf(frames[i], x, y));
                });
            }
            const size_t best = bestOf(all, keeper, light.cells);
            if (best == keeper)
                continue;
            // Wherever both differ and that hangs together with the light, here or there.
            ExecContext own = ctx.child({});
            const auto pair = close.of(keeper, best, own);
            Image<uint8_t> differs(width, height, 1), seeds(width, height, 1);
            forPlace([&](int x, int y) {
                const bool here = lights.at(x, y) == int(number),
                           there = holdsLight(frames[best], frames[keeper], light, x, y);
                seeds.row(0, y)[x] = here || there;
                differs.row(0, y)[x] = here || there || pair->apart.row(0, y)[x] > kSame;
            });
            cv::Mat labels;
            const int count = cv::connectedComponents(matOf(differs), labels, 8, CV_32S);
            std::vector<bool> taken(size_t(count), false);
            forPlace([&](int x, int y) {
                if (seeds.row(0, y)[x])
                    taken[size_t(labels.at<int>(y, x))] = true;
            });
            Image<uint8_t> region(width, height, 1);
            forPlace([&](int x, int y) {
                const int label = labels.at<int>(y, x);
                region.row(0, y)[x] = label > 0 && taken[size_t(label)];
            });
            cv::Mat wider;
            cv::dilate(matOf(region), wider, cv::Mat::ones(3, 3, CV_8U));
            forPlace([&](int x, int y) {
                if (wider.at<uint8_t>(y, x))
                    out.row(0, y)[x] = uint16_t(best + 1);
            });
        }
    }
    return out;
}

} // namespace yolk
