#include "movement/keepers_p.h"

#include "image/mat_p.h"
#include "movement/lights_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <limits>

namespace yolk {
namespace {

constexpr double kHolds = 0.5;      // of a place, for a keeper to decide there: most of it
constexpr double kHalfAsGood = 0.5; // of the best: the preferred one decides, and others stand in for what it lacks
// The same of a place among frames that had to be brought onto it: four times the noise, but nothing beside itself. Of 26
// worlds held by hand two came out otherwise than by half: 0.6 and 0.1 dB better.
constexpr double kQuarterAsGood = 0.25;
constexpr double kNearlyAsGood = 0.8; // of the best frame: the preferred one keeps, as it is not resampled
constexpr double kAsGood = 0.97;      // of the best frame: what noise makes of merits is far less

/// Whether a place is a frame's, and nobody drew it.
bool isOf(const PlaceKeeper &keeper, size_t frame)
{
    return keeper.frame == frame && !keeper.isDrawn();
}

struct Shown {
    double cells = 0.0;
    std::vector<double> held, unclipped; ///< of each frame: cells
    std::vector<double> merit, net;      ///< the same summed; net of what is lost to clipping
    std::vector<double> edges;           ///< the same of edgeOf()

    explicit Shown(size_t frames)
    {
        for (auto *sums : {&held, &unclipped, &merit, &net, &edges})
            sums->resize(frames);
    }
};

/// The preferred frame where it is nearly as good as the one of the largest merit, else the sharpest of those that are
/// as good as that: what moves while the shutter is open loses its edges.
size_t best(const std::vector<double> &merit, const std::vector<double> &edges, size_t preferred)
{
    const auto most = std::ranges::max_element(merit);
    if (!(*most > 0.0))
        return size_t(most - merit.begin());
    if (merit[preferred] >= kNearlyAsGood * *most)
        return preferred;
    auto out = size_t(most - merit.begin());
    for (size_t i = 0; i < merit.size(); ++i)
        if (merit[i] >= kAsGood * *most && edges[i] > edges[out])
            out = i;
    return out;
}

/// How steep light is from a cell to the next ones, as squares of its share of the light, less what noise makes of it.
double edgeOf(const CellFrame &frame, int x, int y)
{
    double out = 0.0;
    for (const auto &[u, v] : {std::pair{x + 1, y}, std::pair{x, y + 1}}) {
        if (u >= frame.light.width() || v >= frame.light.height() || frame.nearClips.row(0, y)[x] ||
            frame.nearClips.row(0, v)[u] || frame.absent.row(0, v)[u])
            continue;
        double apart = 0.0, light = 0.0, variance = 0.0;
        for (int c = 0; c < frame.light.planes(); ++c) {
            const float a = frame.light.row(c, y)[x], b = frame.light.row(c, v)[u];
            apart += double(a - b) * double(a - b);
            light += double(a) * double(a) + double(b) * double(b);
            variance += double(frame.pixelVariance(a) + frame.pixelVariance(b)) / frame.pixels;
        }
        if (light > 0.0)
            out += (apart - variance) / (light + variance);
    }
    return out;
}

/// How each frame shows each place, by number from 1.
class Holdings {
public:
    Holdings(const std::vector<CellFrame> &frames, const Places &places)
        : frames_(frames), shown_(size_t(places.count) + 1, Shown(frames.size()))
    {
        forEachCore(places, [&](size_t place, int x, int y) {
            Shown &s = shown_[place];
            ++s.cells;
            for (size_t i = 0; i < frames_.size(); ++i) {
                const float merit = meritOf(frames_[i], x, y);
                s.held[i] += merit > 0.0f;
                s.unclipped[i] += !frames_[i].clips.row(0, y)[x] && !frames_[i].absent.row(0, y)[x];
                s.merit[i] += double(merit);
                s.net[i] += double(merit) - (frames_[i].clips.row(0, y)[x] ? double(kClippedCost) : 0.0);
                s.edges[i] += edgeOf(frames_[i], x, y);
            }
        });
    }

    /// Of all places together.
    size_t keeper(size_t preferred) const
    {
        Shown all(frames_.size());
        for (const Shown &s : shown_)
            for (size_t i = 0; i < frames_.size(); ++i) {
                all.merit[i] += s.merit[i];
                all.net[i] += s.net[i];
                all.edges[i] += s.edges[i];
            }
        return bestOf(all, preferred, kHalfAsGood);
    }

    double holds(size_t frame, size_t place) const
    {
        const Shown &s = shown_[place];
        return s.cells > 0.0 ? s.held[frame] / s.cells : 0.0;
    }

    /// One that was chosen by hand decides wherever it shows anything, however dark.
    PlaceKeeper keeperOf(size_t place, size_t keeper, const KeeperRequest &request) const
    {
        const bool byHand = request.chosen.has_value();
        if (byHand ? shown_[place].unclipped[keeper] > 0.0 : holds(keeper, place) >= kHolds)
            return {keeper, byHand};
        return {bestOf(shown_[place], request.preferred, request.brought ? kQuarterAsGood : kHalfAsGood)};
    }
    /// The frame that shows most of a place, clipped least; `without` any other.
    size_t holderOf(size_t place, size_t preferred, std::optional<size_t> without = std::nullopt) const
    {
        std::vector<double> net = shown_[place].net;
        if (without)
            net[*without] = -std::numeric_limits<double>::max();
        return best(net, shown_[place].edges, preferred);
    }

private:
    /// The preferred one, if it is as good as a share of the best.
    static size_t bestOf(const Shown &shown, size_t preferred, double share)
    {
        return shown.merit[preferred] > 0.0 && shown.merit[preferred] >= share * std::ranges::max(shown.merit)
                   ? preferred
                   : best(shown.net, shown.edges, preferred);
    }
    const std::vector<CellFrame> &frames_;
    std::vector<Shown> shown_;
};

/// What of a place cannot stay as its keeper shows it.
enum class Goes { Nothing, Light, All };

/// What must go to another frame as a place's keeper clips what no frame bears out. That is a light that moved, if it is
/// so of the most of what clips there: all of the place goes, unless such lights are taken from elsewhere; of a keeper
/// that somebody chose no more than the light. Else something dark stands before it in all others: such a place goes
/// only if `mayReplace`, as frames that had to be brought onto each other lie less surely than the reference, and if
/// nobody chose the keeper.
std::vector<Goes> whatGoes(const std::vector<CellFrame> &frames, const Places &places,
                           const std::vector<PlaceKeeper> &keepers, const Image<uint16_t> &elsewhere, bool mayReplace)
{
    constexpr double kSome = 0.02; // of a place: of a whole thing 98 % are of one state
    std::vector<double> lights(keepers.size()), size(keepers.size()), unborne(keepers.size());
    for (size_t frame = 0; frame < frames.size(); ++frame) {
        if (std::ranges::none_of(keepers, [&](const PlaceKeeper &k) { return isOf(k, frame); }))
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
    std::vector<Goes> out(keepers.size(), Goes::Nothing);
    for (size_t i = 0; i < out.size(); ++i) {
        const bool isChosen = keepers[i].isChosen;
        if (isChosen && lights[i] > 0.0)
            out[i] = Goes::Light;
        else if (lights[i] > 0.0 || (mayReplace && !isChosen && unborne[i] > kSome * size[i]))
            out[i] = Goes::All;
    }
    return out;
}

/// Gives what goes to the frame that shows most of its place, a light with the cell round it: its edges, its glow.
void giveAway(const std::vector<CellFrame> &frames, const Places &places, std::span<const Goes> goes,
              const Holdings &holdings, size_t preferred, Keepers &keepers)
{
    std::vector<size_t> holders(goes.size(), keepers.ofAll);
    Image<uint8_t> lights(places.of.width(), places.of.height(), 1);
    for (size_t i = 0; i < goes.size(); ++i)
        if (goes[i] == Goes::All)
            holders[i] = holdings.holderOf(i + 1, preferred);
        else if (goes[i] == Goes::Light)
            holders[i] = holdings.holderOf(i + 1, preferred, keepers.ofAll);
    if (std::ranges::find(goes, Goes::Light) !=
        goes.end()) { // only a chosen keeper has such, and that is the one of all
        lights = loneCells(frames[keepers.ofAll], clippedCells(frames, keepers.ofAll));
        cv::Mat cells = matOf(lights);
        cv::dilate(cells.clone(), cells, cv::Mat::ones(3, 3, CV_8U));
    }
    for (size_t i = 0; i < goes.size(); ++i)
        if (goes[i] == Goes::All)
            keepers.ofPlace[i] = {holders[i]};
    for (int y = 0; y < lights.height(); ++y)
        for (int x = 0; x < lights.width(); ++x) {
            const size_t place = places.of.row(0, y)[x];
            if (place == 0 || place > goes.size())
                continue;
            uint16_t &instead = keepers.instead.row(0, y)[x];
            const size_t holder = holders[place - 1];
            if (goes[place - 1] == Goes::All)
                instead = 0;
            else if (goes[place - 1] == Goes::Light && instead == 0 && lights.row(0, y)[x] &&
                     !frames[holder].clips.row(0, y)[x])
                instead = uint16_t(holder + 1);
        }
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
        out.ofPlace.push_back(i >= found ? drawn[i - found] : holdings.keeperOf(i + 1, out.ofAll, request));
        if (out.ofPlace.back().removes)
            out.ofPlace.back().frame = out.ofAll;
    }
    out.instead = lightsElsewhere(frames, places, out.ofPlace, close, ctx);
    const std::vector<Goes> goes = whatGoes(frames, places, out.ofPlace, out.instead, !request.brought);
    giveAway(frames, places, {goes.data(), found}, holdings, request.preferred, out);
    return out;
}

void keepReference(const std::vector<CellFrame> &frames, const Places &places, const Image<uint8_t> &unseen,
                   size_t reference, double response, CloseComparisons &close, Keepers &keepers, ExecContext &ctx)
{
    for (size_t i = 0; i < frames.size(); ++i) {
        if (i == reference || std::ranges::none_of(keepers.ofPlace, [&](const PlaceKeeper &k) { return isOf(k, i); }))
            continue;
        const Comparison loose = compare(frames[i], frames[reference], Fit::Loose, response, ctx);
        const auto closer = close.of(i, reference, ctx);
        const Places between = placesIn(loose.apart, closer->apart, unseen);
        for (int y = 0; y < keepers.instead.height(); ++y)
            for (int x = 0; x < keepers.instead.width(); ++x) {
                const size_t place = places.of.row(0, y)[x];
                if (place == 0 || !isOf(keepers.ofPlace[place - 1], i) || keepers.instead.row(0, y)[x] ||
                    between.of.row(0, y)[x] || closer->blind.row(0, y)[x] > kSeeing ||
                    frames[reference].nearClips.row(0, y)[x])
                    continue;
                const float merit = meritOf(frames[reference], x, y);
                if (merit > 0.0f && merit >= meritOf(frames[i], x, y))
                    keepers.instead.row(0, y)[x] = uint16_t(reference + 1);
            }
    }
}

} // namespace yolk
