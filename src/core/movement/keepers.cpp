#include "movement/keepers_p.h"

#include "movement/lights_p.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr double kHolds = 0.5;        // of a place, for a keeper to decide there: most of it
constexpr double kHalfAsGood = 0.5;   // of the best: the preferred one decides, and others stand in for what it lacks
constexpr double kNearlyAsGood = 0.8; // of the best frame: the preferred one keeps, as it is not resampled

/// The frame with the largest merit, or the preferred one where that is nearly as good.
size_t best(const std::vector<double> &merit, size_t preferred)
{
    const auto most = std::ranges::max_element(merit);
    return *most > 0.0 && merit[preferred] >= kNearlyAsGood * *most ? preferred : size_t(most - merit.begin());
}

struct Shown {
    double cells = 0.0;
    std::vector<double> held, unclipped; ///< of each frame: cells
    std::vector<double> merit, net;      ///< the same summed; net of what is lost to clipping
};

/// How each frame shows each place, by number from 1.
class Holdings {
public:
    Holdings(const std::vector<CellFrame> &frames, const Places &places)
        : frames_(frames), shown_(size_t(places.count) + 1)
    {
        for (Shown &s : shown_)
            for (auto *sums : {&s.held, &s.unclipped, &s.merit, &s.net})
                sums->resize(frames.size());
        forEachCore(places, [&](size_t place, int x, int y) {
            Shown &s = shown_[place];
            ++s.cells;
            for (size_t i = 0; i < frames_.size(); ++i) {
                const float merit = meritOf(frames_[i], x, y);
                s.held[i] += merit > 0.0f;
                s.unclipped[i] += !frames_[i].clips.row(0, y)[x] && !frames_[i].absent.row(0, y)[x];
                s.merit[i] += double(merit);
                s.net[i] += double(merit) - (frames_[i].clips.row(0, y)[x] ? double(kClippedCost) : 0.0);
            }
        });
    }

    /// Of all places together.
    size_t keeper(size_t preferred) const
    {
        Shown all{0.0, {}, {}, std::vector<double>(frames_.size()), std::vector<double>(frames_.size())};
        for (const Shown &s : shown_)
            for (size_t i = 0; i < frames_.size(); ++i) {
                all.merit[i] += s.merit[i];
                all.net[i] += s.net[i];
            }
        return bestOf(all, preferred);
    }

    double holds(size_t frame, size_t place) const
    {
        const Shown &s = shown_[place];
        return s.cells > 0.0 ? s.held[frame] / s.cells : 0.0;
    }

    /// One that was chosen by hand decides wherever it shows anything, however dark.
    PlaceKeeper keeperOf(size_t place, size_t keeper, size_t preferred, bool byHand) const
    {
        if (byHand ? shown_[place].unclipped[keeper] > 0.0 : holds(keeper, place) >= kHolds)
            return {keeper, byHand};
        return {bestOf(shown_[place], preferred)};
    }
    /// The frame that shows most of a place, clipped least.
    PlaceKeeper holderOf(size_t place, size_t preferred) const { return {best(shown_[place].net, preferred)}; }

private:
    static size_t bestOf(const Shown &shown, size_t preferred)
    {
        return shown.merit[preferred] > 0.0 && shown.merit[preferred] >= kHalfAsGood * std::ranges::max(shown.merit)
                   ? preferred
                   : best(shown.net, preferred);
    }
    const std::vector<CellFrame> &frames_;
    std::vector<Shown> shown_;
};

/// Whether places must go to another frame as their keeper clips what no frame bears out. That is a light that moved, if
/// it is so of the most of what clips there: it goes unless such lights are taken from elsewhere. Else something dark
/// stands before it in all others: such a place goes only if `mayReplace`, as frames that had to be brought onto each
/// other lie less surely than the reference, and if nobody chose the keeper.
std::vector<bool> mustGo(const std::vector<CellFrame> &frames, const Places &places,
                         const std::vector<PlaceKeeper> &keepers, const Image<uint16_t> &elsewhere, bool mayReplace)
{
    constexpr double kSome = 0.02; // of a place: of a whole thing 98 % are of one state
    std::vector<double> lights(keepers.size()), size(keepers.size()), unborne(keepers.size());
    for (size_t frame = 0; frame < frames.size(); ++frame) {
        if (std::ranges::none_of(keepers, [&](const PlaceKeeper &k) { return k.frame == frame && !k.isDrawn(); }))
            continue;
        const ClippedCells clipped = clippedCells(frames, frame);
        const Image<uint8_t> lone = loneCells(frames[frame], clipped);
        forEachCore(places, [&](size_t place, int x, int y) {
            const size_t at = place - 1;
            if (keepers[at].frame != frame)
                return;
            ++size[at];
            unborne[at] += clipped.alone.row(0, y)[x];
            if (clipped.shown.row(0, y)[x] && !elsewhere.row(0, y)[x])
                lights[at] += lone.row(0, y)[x] ? 1.0 : -1.0;
        });
    }
    std::vector<bool> out(keepers.size());
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = lights[i] > 0.0 || (mayReplace && !keepers[i].inTheDark && unborne[i] > kSome * size[i]);
    return out;
}

} // namespace

Keepers keepersOf(const std::vector<CellFrame> &frames, const Places &places, std::span<const PlaceKeeper> drawn,
                  const KeeperRequest &request, CloseComparisons &close, ExecContext &ctx)
{
    const Holdings holdings(frames, places);
    Keepers out{request.chosen ? *request.chosen : holdings.keeper(request.preferred), {}, {}, {}};
    const size_t found = size_t(places.count) - drawn.size();
    for (size_t i = 0; i < size_t(places.count); ++i) {
        out.held.push_back(holdings.holds(out.ofAll, i + 1));
        out.ofPlace.push_back(i >= found
                                  ? drawn[i - found]
                                  : holdings.keeperOf(i + 1, out.ofAll, request.preferred, request.chosen.has_value()));
        if (out.ofPlace.back().removes)
            out.ofPlace.back().frame = out.ofAll;
    }
    out.lights = lightsElsewhere(frames, places, out.ofPlace, close, ctx);
    const std::vector<bool> goes = mustGo(frames, places, out.ofPlace, out.lights, request.mayReplace);
    for (size_t i = 0; i < found; ++i)
        if (goes[i])
            out.ofPlace[i] = holdings.holderOf(i + 1, request.preferred);
    for (int y = 0; y < out.lights.height(); ++y)
        for (int x = 0; x < out.lights.width(); ++x)
            if (const size_t place = places.of.row(0, y)[x]; place > 0 && goes[place - 1])
                out.lights.row(0, y)[x] = 0;
    return out;
}

} // namespace yolk
