#include "frames/measure.h"

#include "frames/exposure.h"
#include "frames/exposure_ratio.h"
#include "frames/noise_estimate.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <utility>

namespace yolk {
namespace {

constexpr double kMeasuredPixels = 4e5;
/// How far a camera's real exposure lies from the exact step it marks, EV (common practice, no published source).
constexpr double kStatedError = 0.04;
/// EV: what noise leaves uncertain in a measured step, and what code values and curves of developed files do.
constexpr double kAgreement = 0.012, kCodedAgreement = 0.02;
/// Scene and curve are known only together: what smooth curves leave open, as a share of the distance in EV.
constexpr double kCurveUncertainty = 0.06;

struct Measuring {
    std::span<const FramePtr> frames;
    std::vector<DecodedPtr> pixels;
    std::vector<std::vector<size_t>> groups; ///< frames that can be compared, each group dark to bright as its pixels
                                             ///< are; none of radiance
};

double meanGreen(ImageView<const uint16_t> pixels)
{
    double sum = 0.0;
    for (int y = 0; y < pixels.height(); ++y)
        sum += double(std::accumulate(pixels.row(1, y), pixels.row(1, y) + pixels.width(), 0ll));
    return sum / double(pixels.shape().pixels());
}

bool comparable(const Frame &a, const Frame &b)
{
    return a.width == b.width && a.height == b.height && a.isRaw() == b.isRaw() && isDeveloped(a) == isDeveloped(b);
}

void group(Measuring &m)
{
    std::vector<double> brightness;
    for (size_t i = 0; i < m.frames.size(); ++i) {
        brightness.push_back(m.pixels[i] ? meanGreen(m.pixels[i]->view()) : 0.0);
        if (!m.pixels[i])
            continue;
        const auto home = std::ranges::find_if(
            m.groups, [&](const auto &group) { return comparable(*m.frames[group.front()], *m.frames[i]); });
        if (home == m.groups.end())
            m.groups.push_back({i});
        else
            home->push_back(i);
    }
    for (std::vector<size_t> &group : m.groups)
        std::ranges::stable_sort(group, {}, [&](size_t i) { return brightness[i]; });
}

void measureNoise(const Measuring &m, std::vector<MeasuredFrame> &out, ExecContext &ctx)
{
    // Frames of one camera at one ISO share their noise: what one does not show, another does.
    std::map<std::pair<std::string, double>, std::vector<size_t>> alike;
    for (size_t i = 0; i < m.frames.size(); ++i) {
        out[i].noise = m.frames[i]->assumedNoise;
        if (m.frames[i]->isRaw())
            alike[{m.frames[i]->metadata.camera, m.frames[i]->metadata.iso.value_or(0.0)}].push_back(i);
    }
    for (const auto &[camera, members] : alike) {
        std::vector<std::vector<NoiseBlock>> blocks(members.size());
        ExecContext gathering = ctx.child({});
        forEachPart(gathering, int(members.size()), [&](int i, ExecContext &own) {
            blocks[size_t(i)] = noiseBlocks(m.pixels[members[size_t(i)]]->view(), {1, 2, 1}, own);
        });
        std::vector<NoiseBlock> all;
        for (const auto &some : blocks)
            all.insert(all.end(), some.begin(), some.end());
        const std::optional<NoiseEstimate> estimate = estimateNoise(std::move(all));
        if (!estimate)
            continue;
        for (size_t i : members) {
            out[i].noise.gain = estimate->model.gain;
            if (estimate->readNoiseKnown)
                out[i].noise.readVariance = estimate->model.readVariance;
            out[i].noiseSource = estimate->readNoiseKnown ? NoiseSource::FromPicture : NoiseSource::GainOnly;
        }
    }
}

double medianOf(std::vector<double> values)
{
    std::ranges::sort(values);
    return values[(values.size() - 1) / 2];
}

DecodedPtr throughTables(const Image<uint16_t> &codes, const CodeTables &tables)
{
    auto out = std::make_shared<Image<uint16_t>>(codes.shape(), Fill::Anything);
    for (int c = 0; c < codes.planes(); ++c) {
        const std::vector<uint16_t> &table = tables.of[size_t(c)];
        for (int y = 0; y < codes.height(); ++y)
            for (int x = 0; x < codes.width(); ++x)
                out->row(c, y)[x] = table[codes.row(c, y)[x]];
    }
    return out;
}

// ---- where sensors clip

/// Of one camera at one ISO; frames without clipped pixels take it from the camera's others.
void measureWhites(const Measuring &m, const MeasureSources &sources, std::vector<MeasuredFrame> &out, ExecContext &ctx)
{
    if (!sources.sensor)
        return;
    std::vector<SensorLookPtr> looks(m.frames.size());
    for (size_t i = 0; i < m.frames.size(); ++i)
        if (m.frames[i]->isRaw())
            looks[i] = sources.sensor(*m.frames[i], ctx);
    struct Kind {
        std::string camera;
        double iso;
        double white;
        std::array<double, 3> black;
        auto operator<=>(const Kind &) const = default;
    };
    std::map<Kind, std::vector<size_t>> alike;
    for (size_t i = 0; i < looks.size(); ++i)
        if (looks[i])
            alike[{m.frames[i]->metadata.camera, m.frames[i]->metadata.iso.value_or(0.0), looks[i]->counts.white,
                   looks[i]->counts.black}]
                .push_back(i);
    std::map<std::string, double> lowest; // share found at any ISO
    std::map<const std::vector<size_t> *, double> found;
    for (const auto &[kind, members] : alike) {
        std::vector<const SensorCounts *> counts;
        for (size_t i : members)
            counts.push_back(&looks[i]->counts);
        if (const auto level = whiteLevelOf(counts)) {
            found[&members] = level->share;
            auto &least = lowest.try_emplace(kind.camera, 1.0).first->second;
            least = std::min(least, level->share);
        }
    }
    for (const auto &[kind, members] : alike) {
        double share = statedWhiteLevel(looks[members.front()]->counts).share;
        if (const auto own = found.find(&members); own != found.end())
            share = own->second;
        else if (const auto other = lowest.find(kind.camera); other != lowest.end())
            share = std::min(share, other->second);
        for (size_t i : members)
            out[i].whiteShare = share;
    }
}

void findDefects(const Measuring &m, const MeasureSources &sources, MeasuredSet &out, ExecContext &ctx)
{
    if (!sources.sensor)
        return;
    std::map<std::pair<std::string, std::pair<int, int>>, std::vector<SensorLookPtr>> cameras;
    for (const FramePtr &f : m.frames)
        if (f->isRaw())
            cameras[{f->metadata.camera, std::minmax(f->width, f->height)}].push_back(sources.sensor(*f, ctx));
    const auto most = std::ranges::max_element(cameras, {}, [](const auto &c) { return c.second.size(); });
    if (most == cameras.end())
        return;
    std::vector<const std::vector<SensorPlace> *> lists;
    for (const SensorLookPtr &look : most->second)
        lists.push_back(&look->standingOut);
    out.defects = yolk::defectsOf(lists);
    out.defectsOf = most->first.first;
}

// ---- what frames say of each other

/// Frames of one group, dark to bright, at the same places of the scene.
struct PlacedGroup {
    std::vector<size_t> frames; ///< in Measuring::frames
    PlaceGrid grid;
    std::vector<std::vector<PlaceLight>> light;
};

PlacedGroup placedGroup(const Measuring &m, const std::vector<size_t> &group, const SetPlaces &placing,
                        ExecContext &ctx)
{
    PlacedGroup out;
    const Frame &reference = *m.frames[placing.reference];
    for (size_t i : group)
        if (placing.maps[i])
            out.frames.push_back(i);
    if (out.frames.size() < 2)
        return out;
    out.grid = {reference.width, reference.height, 6, measuringReduction(*m.frames[out.frames[0]])};
    out.light.resize(out.frames.size());
    ExecContext own = ctx.child({});
    forEachPart(own, int(out.frames.size()), [&](int k, ExecContext &) {
        const size_t i = out.frames[size_t(k)];
        out.light[size_t(k)] = lightAtPlaces(m.pixels[i]->view(), out.grid, *placing.maps[i]);
    });
    return out;
}

/// The least value of a frame that its places say something at.
double lowestOf(const Frame &frame, const MeasuredFrame &measured)
{
    constexpr double kSnr = 1.5;                                           // of a single pixel; a place has 36
    const double coded = frame.isRaw() || frame.bits == 16 ? 1e-4 : 0.004; // 13 of 255 codes: finer ones round too much
    return std::max(coded, measured.noise.levelOfSnr(kSnr));
}

/// A second look at clipping: where a darker frame says that there is more light, and a brighter one's values stand still
/// below its end, that is where it clips, whatever its file says.
void findStandstill(const Measuring &m, const PlacedGroup &placed, std::vector<MeasuredFrame> &out)
{
    std::map<size_t, double> found; // in the group: share of what counts as clipping so far
    for (size_t k = 1; k < placed.frames.size(); ++k) {
        double share = 1.0;
        const MeasuredFrame &bright = out[placed.frames[k]];
        for (size_t j = 0; j < k; ++j) {
            const MeasuredFrame &dark = out[placed.frames[j]];
            const double ratio = bright.exposure / dark.exposure;
            for (size_t c = 0; c < 3; ++c) {
                std::vector<double> values, promised;
                std::map<int, int> tiles;
                constexpr double kBeyond = 1.3; // more light than clipping, though exposures may be off by a third
                for (size_t i = 0; i < placed.light[k].size(); ++i) {
                    const PlaceLight &b = placed.light[k][i], &d = placed.light[j][i];
                    if (!b.shown || !d.shown || double(d.mean[c]) * ratio < kBeyond || d.mean[c] > 0.9f)
                        continue;
                    values.push_back(double(b.mean[c]));
                    promised.push_back(double(d.mean[c]));
                    ++tiles[placed.grid.tileOf(i)];
                }
                if (values.size() < 60 || tiles.size() < 3)
                    continue;
                const double middle = medianOf(values);
                constexpr double kStands = 0.01, kNearlyAll = 0.85, kWide = 1.5; // an even wall would not be that wide
                constexpr double kAtEnd = 0.99, kLowest = 0.5, kBelow = 0.985;   // the last is bent
                const auto still =
                    std::ranges::count_if(values, [&](double v) { return std::abs(v - middle) < kStands * middle; });
                std::ranges::sort(promised);
                const double wide = promised[promised.size() * 9 / 10] / promised[promised.size() / 10];
                if (middle > kLowest && middle < kAtEnd && wide > kWide &&
                    double(still) > kNearlyAll * double(values.size()))
                    share = std::min(share, middle * kBelow);
            }
        }
        if (share < 1.0)
            found[k] = share;
    }
    for (const auto &[k, share] : found) {
        const Frame &frame = *m.frames[placed.frames[k]];
        if (!frame.isRaw())
            out[placed.frames[k]].whiteShare *= share;
    }
    // Of raw frames at one ISO the sensor is the same in all: the lowest that any shows.
    std::map<double, double> lowest;
    for (const auto &[k, share] : found)
        if (const Frame &frame = *m.frames[placed.frames[k]]; frame.isRaw()) {
            double &least = lowest.try_emplace(frame.metadata.iso.value_or(0.0), 1.0).first->second;
            least = std::min(least, share);
        }
    for (size_t i : placed.frames)
        if (const auto low = lowest.find(m.frames[i]->metadata.iso.value_or(0.0));
            m.frames[i]->isRaw() && low != lowest.end())
            out[i].whiteShare *= low->second;
}

/// Places in light in place of the file's values.
std::vector<std::vector<PlaceLight>> linearPlaces(const Measuring &m, const PlacedGroup &placed, const Response *curve)
{
    std::vector<std::vector<PlaceLight>> out = placed.light;
    for (size_t k = 0; k < out.size(); ++k) {
        if (!curve || !isDeveloped(*m.frames[placed.frames[k]]))
            continue;
        for (PlaceLight &p : out[k])
            for (int c = 0; c < 3; ++c) {
                const auto i = size_t(c);
                const double low = double(p.mean[i] - 0.5f * p.spread[i]),
                             high = double(p.mean[i] + 0.5f * p.spread[i]);
                p.mean[i] = float(curve->lightOf(double(p.mean[i]), c));
                p.spread[i] = float(curve->lightOf(high, c) - curve->lightOf(low, c));
            }
    }
    return out;
}

/// Frames whose statement lies further from what the links say than can be believed; all in log2.
std::vector<size_t> contradicted(std::span<const std::optional<double>> stated, std::span<const ExposureLink> links)
{
    const Exposures picture = reconciledExposures(std::vector<std::optional<double>>(stated.size()), links, 1.0);
    std::vector<bool> linked(stated.size());
    for (const ExposureLink &l : links)
        linked[l.dark] = linked[l.bright] = true;
    std::vector<double> offsets;
    for (size_t i = 0; i < stated.size(); ++i)
        if (stated[i] && linked[i])
            offsets.push_back(*stated[i] - picture.ev[i]);
    std::vector<size_t> out;
    if (offsets.empty())
        return out;
    const double offset = medianOf(offsets);
    for (size_t i = 0; i < stated.size(); ++i)
        if (stated[i] && linked[i] &&
            std::abs(picture.ev[i] + offset - *stated[i]) > kBelievable + 3.0 * std::min(0.3, picture.error[i]))
            out.push_back(i);
    return out;
}

/// How far exposures that are stated a whole stop wrong are followed: where the curve is known and the places agree.
constexpr double kClearly = 0.03; // EV, standard error of the step

struct GroupLinks {
    std::vector<ExposureLink> links;             ///< frames count in the group
    std::vector<std::array<double, 3>> channels; ///< of each link, against all
    std::vector<std::array<double, 3>> channelErrors;
};

/// Steps between the frames of a group, counted as in `group`: from places where frames could be placed, else by rank.
GroupLinks linksOf(const Measuring &m, const std::vector<size_t> &group, const PlacedGroup &placed,
                   const std::vector<std::vector<PlaceLight>> &light, std::span<const MeasuredFrame> measured,
                   ExecContext &ctx)
{
    constexpr size_t kReach = 3; // frames further apart share little that their neighbours do not
    struct Task {
        size_t dark, bright; // in the group
        std::optional<ExposureStep> step;
        std::array<double, 3> channels{}, errors{}, blacks{};
    };
    std::vector<Task> tasks;
    for (size_t b = 1; b < group.size(); ++b)
        for (size_t d = b >= kReach ? b - kReach : 0; d < b; ++d)
            tasks.push_back({d, b, {}, {}, {}, {}});
    const auto compare = [&](double black) {
        ExecContext comparing = ctx.child({});
        forEachPart(comparing, int(tasks.size()), [&](int t, ExecContext &) {
            Task &task = tasks[size_t(t)];
            const size_t dark = group[task.dark], bright = group[task.bright];
            const auto at = [&](size_t frame) {
                return size_t(std::ranges::find(placed.frames, frame) - placed.frames.begin());
            };
            const size_t d = at(dark), b = at(bright);
            if (d < placed.frames.size() && b < placed.frames.size()) {
                const auto steps =
                    stepBetween(light[d], light[b], placed.grid, lowestOf(*m.frames[dark], measured[dark]), black);
                if (!steps)
                    return;
                task.step = steps->all;
                for (size_t c = 0; c < 3; ++c) {
                    task.channels[c] = steps->channels[c].ev - steps->all.ev;
                    task.errors[c] = steps->channels[c].standardError;
                    task.blacks[c] = steps->offsets[c] / (1.0 - std::exp2(steps->all.ev));
                }
            } else if (task.bright == task.dark + 1) {
                task.step = exposureStep(m.pixels[dark]->view(), m.pixels[bright]->view());
                if (task.step) // ranks of frames that do not lie on each other: for what is not stated only
                    task.step->standardError = std::max(task.step->standardError, 0.1);
            }
        });
    };
    compare(0.0);
    if (!isDeveloped(*m.frames[group[0]])) {
        // A black level that is off is off alike in all pairs and channels; what misplaced pixels make of it is not.
        std::vector<double> blacks, away;
        for (const Task &t : tasks)
            for (size_t c = 0; c < 3; ++c)
                if (t.step && t.errors[c] > 0.0 && t.errors[c] < 0.1 && t.step->ev > 0.5)
                    blacks.push_back(t.blacks[c]);
        if (blacks.size() >= 3) {
            const double black = medianOf(blacks);
            for (double v : blacks)
                away.push_back(std::abs(v - black));
            const double error = 1.2533 * 1.4826 * medianOf(away) / std::sqrt(double(blacks.size()));
            constexpr double kSigmas = 4.0, kMost = 2e-3; // of clipping: more is no slip of a level
            if (std::abs(black) > kSigmas * error && std::abs(black) < kMost)
                compare(black);
        }
    }
    GroupLinks out;
    for (const Task &t : tasks)
        if (t.step) {
            out.links.push_back({t.dark, t.bright, *t.step});
            out.channels.push_back(t.channels);
            out.channelErrors.push_back(t.errors);
        }
    return out;
}

/// Exposures from what is stated and what the links say.
void settleExposures(std::span<MeasuredFrame *const> frames, const GroupLinks &found, bool curveIsKnown, bool mayFollow)
{
    const size_t n = frames.size();
    std::vector<std::optional<double>> stated(n);
    for (size_t i = 0; i < n; ++i)
        if (frames[i]->stated)
            stated[i] = std::log2(*frames[i]->stated);
    const std::vector<std::optional<double>> said = stated;
    const std::vector<size_t> liars = contradicted(stated, found.links);
    for (size_t i : liars)
        stated[i].reset(); // they must not pull the others
    const Exposures settled = reconciledExposures(stated, found.links, kStatedError);
    // Where the picture agrees with all exact steps as far as it can tell, the exact ones are the better.
    const bool agrees = [&] {
        for (size_t i = 0; i < n; ++i)
            if (stated[i] && std::abs(settled.ev[i] - *stated[i]) > (curveIsKnown ? kAgreement : kCodedAgreement))
                return false;
        return true;
    }();
    std::vector<double> surest(n, 1e9);
    for (const ExposureLink &l : found.links)
        for (size_t i : {l.dark, l.bright})
            surest[i] = std::min(surest[i], l.step.standardError);
    const auto middle = n / 2;
    for (size_t i = 0; i < n; ++i) {
        MeasuredFrame &f = *frames[i];
        const bool measured = surest[i] < 1e9, lies = said[i] && !stated[i];
        f.uncertainty = 0.0;
        if (lies) {
            f.pictureSays = settled.ev[i] - *said[i];
            const bool clear = mayFollow && surest[i] < kClearly;
            f.source = clear ? ExposureSource::Corrected : ExposureSource::Stated;
            f.exposure = std::exp2(clear ? settled.ev[i] : *said[i]);
        } else if (said[i]) {
            f.pictureSays = settled.ev[i] - *said[i];
            const bool refines = measured && !agrees && std::min(surest[i], 1.0) < kStatedError;
            f.source = refines ? ExposureSource::Refined : ExposureSource::Stated;
            f.exposure = std::exp2(refines ? settled.ev[i] : *said[i]);
        } else {
            f.source = measured ? ExposureSource::Estimated : ExposureSource::Assumed;
            f.exposure = std::exp2(settled.ev[i]);
            const double distance = std::abs(settled.ev[i] - settled.ev[middle]);
            f.uncertainty = std::min(settled.error[i], 1e3) + (curveIsKnown ? 0.0 : kCurveUncertainty * distance);
        }
    }
}

/// Light of red and blue over green, against the first frame's, where the frames were developed with white balances that
/// differ; says whether they were.
bool settleGains(std::span<MeasuredFrame *const> frames, const GroupLinks &found)
{
    // EV: colour sampling of JPEG makes up to 0.035 of frames 6 EV apart, and a thirtieth of a channel is about what the
    // eye can tell.
    constexpr double kSees = 0.05, kSigmas = 4.0;
    const std::vector<std::optional<double>> none(frames.size());
    std::vector<Vector3> gains(frames.size(), {1.0, 1.0, 1.0});
    bool differ = false;
    for (size_t c : {0u, 2u}) {
        std::vector<ExposureLink> links;
        for (size_t l = 0; l < found.links.size(); ++l)
            if (found.channelErrors[l][c] < 1.0 && found.channelErrors[l][c] > 0.0) {
                links.push_back(found.links[l]);
                links.back().step = {found.channels[l][c] - found.channels[l][1],
                                     std::hypot(found.channelErrors[l][c], found.channelErrors[l][1])};
            }
        if (links.empty())
            continue;
        const Exposures ev = reconciledExposures(none, links, 1.0);
        const auto [least, most] = std::ranges::minmax(ev.ev);
        const double error = *std::ranges::max_element(ev.error);
        differ = differ || most - least > kSees + kSigmas * std::min(error, 0.05);
        for (size_t i = 0; i < frames.size(); ++i)
            gains[i][c] = std::exp2(ev.ev[i]);
    }
    for (size_t i = 0; differ && i < frames.size(); ++i)
        frames[i]->gains = gains[i];
    return differ;
}

/// Gains against the reference frame's, whose white balance counts. Codes are then those of the channel that got least.
void gainsAgainst(size_t reference, std::vector<MeasuredFrame> &frames)
{
    const Vector3 own = frames[reference].gains;
    for (MeasuredFrame &f : frames) {
        for (size_t c = 0; c < 3; ++c)
            f.gains[c] /= own[c];
        f.exposure *= std::min({f.gains[0], f.gains[1], f.gains[2]});
    }
}

/// Exposures where nothing is stated, before the frames have been placed: by ranks of values.
void roughExposures(const Measuring &m, std::span<const std::optional<double>> stated, std::vector<MeasuredFrame> &out,
                    ExecContext &ctx)
{
    for (const std::vector<size_t> &group : m.groups) {
        const bool known = std::ranges::all_of(group, [&](size_t i) { return stated[i].has_value(); });
        GroupLinks found;
        if (!known) {
            std::vector<std::optional<ExposureStep>> steps(group.size() - 1);
            ExecContext comparing = ctx.child({});
            forEachPart(comparing, int(steps.size()), [&](int k, ExecContext &) {
                steps[size_t(k)] =
                    exposureStep(m.pixels[group[size_t(k)]]->view(), m.pixels[group[size_t(k) + 1]]->view());
            });
            for (size_t k = 0; k < steps.size(); ++k)
                if (steps[k])
                    found.links.push_back({k, k + 1, *steps[k]});
        }
        std::vector<MeasuredFrame *> sorted;
        for (size_t i : group)
            sorted.push_back(&out[i]);
        settleExposures(sorted, found, false, false);
    }
}

void measureShares(ImageView<const uint16_t> pixels, float clippedFrom, MeasuredFrame &out)
{
    const float floor = float(out.noise.levelOfSnr(1.0));
    long long clipped = 0, dark = 0;
    for (int y = 0; y < pixels.height(); ++y)
        for (int x = 0; x < pixels.width(); ++x) {
            const float r = linearOfCode(pixels.row(0, y)[x]), g = linearOfCode(pixels.row(1, y)[x]),
                        b = linearOfCode(pixels.row(2, y)[x]);
            clipped += std::max({r, g, b}) >= clippedFrom;
            dark += g < floor;
        }
    const double n = double(pixels.shape().pixels());
    out.clippedShare = double(clipped) / n;
    out.darkShare = double(dark) / n;
}

/// Each place from the brightest frame that does not clip there, of the group with most frames.
std::vector<LightSample> lightSamples(const Measuring &m, std::span<const MeasuredFrame> measured)
{
    if (m.groups.empty())
        return {};
    const std::vector<size_t> &group = *std::ranges::max_element(m.groups, {}, &std::vector<size_t>::size);
    const Shape shape = m.pixels[group[0]]->shape();
    const int step = std::max(1, int(std::sqrt(double(shape.pixels()) / 8e3)));
    std::vector<LightSample> out;
    for (int y = step / 2; y < shape.height; y += step)
        for (int x = step / 2; x < shape.width; x += step)
            for (size_t k = group.size(); k-- > 0;) {
                const Image<uint16_t> &p = *m.pixels[group[k]];
                const uint16_t most = std::max({p.row(0, y)[x], p.row(1, y)[x], p.row(2, y)[x]});
                if (double(linearOfCode(most)) >= kClippedFrom && k > 0)
                    continue;
                const float perLight = float(1.0 / measured[group[k]].exposure);
                out.push_back({linearOfCode(p.row(1, y)[x]) * perLight, linearOfCode(most) * perLight});
                break;
            }
    return out;
}

} // namespace

bool isDeveloped(const Frame &frame)
{
    const std::vector<float> &curve = frame.codeValues.curves[1];
    return !frame.isRaw() && !frame.isRadiance() && !curve.empty() && std::abs(curve[curve.size() / 2] - 0.5f) > 0.02f;
}

int measuringReduction(const Frame &frame)
{
    if (frame.isRaw())
        return 2;
    int r = 1;
    while (r < 8 && double(frame.width) * frame.height / (4.0 * r * r) >= kMeasuredPixels)
        r *= 2;
    return r;
}

MeasuredSet measureFrames(std::span<const FramePtr> frames, const MeasureSources &sources, ExecContext &ctx)
{
    std::vector<Metadata> metadata;
    for (const FramePtr &f : frames)
        metadata.push_back(f->metadata);
    const std::vector<std::optional<double>> stated = statedExposures(metadata);

    MeasuredSet out;
    out.frames.resize(frames.size());
    Measuring m{frames, std::vector<DecodedPtr>(frames.size()), {}};
    ExecContext decoding = ctx.part(0.0, 0.5), placing = ctx.part(0.5, 0.9), looking = ctx.part(0.9, 1.0);
    forEachPart(decoding, int(frames.size()), [&](int i, ExecContext &own) {
        if (!frames[size_t(i)]->isRadiance())
            m.pixels[size_t(i)] = sources.decode(*frames[size_t(i)], measuringReduction(*frames[size_t(i)]), own);
    });
    const std::vector<DecodedPtr> asStated = m.pixels;
    const auto applyTables = [&](const Response *response) {
        forEachPart(looking, int(frames.size()), [&](int i, ExecContext &) {
            const MeasuredFrame &f = out.frames[size_t(i)];
            if (!asStated[size_t(i)])
                return;
            const CodeTables tables =
                codeTables(response && isDeveloped(*frames[size_t(i)]) ? response : nullptr, f.whiteShare, f.gains);
            m.pixels[size_t(i)] = tables.empty() ? asStated[size_t(i)] : throughTables(*asStated[size_t(i)], tables);
        });
    };
    group(m);
    measureWhites(m, sources, out.frames, ctx);
    findDefects(m, sources, out, ctx);
    applyTables(nullptr);
    measureNoise(m, out.frames, ctx);
    const auto tellStated = [&] {
        for (size_t i = 0; i < frames.size(); ++i)
            if (m.pixels[i] && stated[i])
                out.frames[i].stated = *stated[i] / out.frames[i].whiteShare;
    };
    const auto lookAtShares = [&](bool throughCurve) {
        forEachPart(looking, int(frames.size()), [&](int i, ExecContext &) {
            const bool bent = throughCurve && isDeveloped(*frames[size_t(i)]);
            double from = kClippedFrom;
            for (int c = 0; bent && c < 3; ++c)
                from = std::min(from, out.response.lightOf(kClippedFrom, c));
            if (m.pixels[size_t(i)])
                measureShares(m.pixels[size_t(i)]->view(), float(from), out.frames[size_t(i)]);
        });
    };
    for (size_t i = 0; i < frames.size(); ++i)
        out.frames[i].id = frames[i]->id;
    tellStated();
    lookAtShares(false);
    roughExposures(m, stated, out.frames, ctx);

    SetPlaces placed;
    if (sources.place && frames.size() > 1)
        placed = sources.place(out, placing);
    else
        placed.maps.assign(frames.size(), PlaceMap([](double x, double y) { return std::array{x, y}; }));
    std::vector<PlacedGroup> groups;
    for (const std::vector<size_t> &g : m.groups)
        groups.push_back(placedGroup(m, g, placed, ctx));
    bool standsStill = false;
    for (const PlacedGroup &g : groups) {
        const std::vector<MeasuredFrame> before = out.frames;
        findStandstill(m, g, out.frames);
        standsStill = standsStill || before != out.frames;
    }
    if (standsStill) {
        tellStated();
        applyTables(nullptr);
        for (size_t g = 0; g < groups.size(); ++g)
            groups[g] = placedGroup(m, m.groups[g], placed, ctx);
    }

    // The curve of the largest group of developed files.
    const PlacedGroup *developed = nullptr;
    for (const PlacedGroup &g : groups)
        if (g.frames.size() > 1 && isDeveloped(*frames[g.frames[0]]) &&
            (!developed || g.frames.size() > developed->frames.size()))
            developed = &g;
    if (developed) {
        std::vector<double> lowest;
        std::vector<std::optional<double>> exposures;
        bool coarse = false;
        for (size_t i : developed->frames) {
            lowest.push_back(lowestOf(*frames[i], out.frames[i]));
            exposures.push_back(stated[i] ? std::optional(std::log2(*stated[i])) : std::nullopt);
            coarse = coarse || frames[i]->bits == 8;
        }
        const double codeStep = coarse ? 0.6 / 255.0 : 2.0 / 65535.0; // rounding, and what JPEG coding makes of a place
        const auto pairs = lightPairs(developed->light, developed->grid, lowest, codeStep);
        out.response = fitResponse(pairs, exposures, kStatedError);
        const auto light =
            linearPlaces(m, *developed, isTaken(out.response, ResponseChoice::Automatic) ? &out.response : nullptr);
        // A frame whose file lies would bend the curve to its story.
        const std::vector<size_t> liars =
            contradicted(exposures, linksOf(m, developed->frames, *developed, light, out.frames, ctx).links);
        if (!liars.empty()) {
            for (size_t k : liars)
                exposures[k].reset();
            out.response = fitResponse(pairs, exposures, kStatedError);
        }
    }
    const auto settledWith = [&](const Response *curve) {
        std::vector<MeasuredFrame> settled = out.frames;
        for (size_t g = 0; g < groups.size(); ++g) {
            const std::vector<size_t> &group = m.groups[g];
            const bool known = !isDeveloped(*frames[group[0]]);
            GroupLinks found = linksOf(m, group, groups[g], linearPlaces(m, groups[g], curve), out.frames, ctx);
            std::vector<MeasuredFrame *> sorted;
            for (size_t i : group)
                sorted.push_back(&settled[i]);
            if (!frames[group[0]]->isRaw() && settleGains(sorted, found)) // green alone is comparable
                for (size_t l = 0; l < found.links.size(); ++l)
                    found.links[l].step = {found.links[l].step.ev + found.channels[l][1],
                                           std::max(1e-3, found.channelErrors[l][1])};
            settleExposures(sorted, found, known, known);
        }
        gainsAgainst(placed.reference, settled);
        return settled;
    };
    const std::vector<MeasuredFrame> byProfile = settledWith(nullptr);
    const std::vector<MeasuredFrame> byCurve = out.response.fitted ? settledWith(&out.response) : byProfile;
    const bool taken = isTaken(out.response, ResponseChoice::Automatic);
    out.frames = taken ? byCurve : byProfile;
    for (size_t i = 0; i < frames.size(); ++i) {
        out.frames[i].byProfile = {byProfile[i].exposure, byProfile[i].gains};
        out.frames[i].byCurve = {byCurve[i].exposure, byCurve[i].gains};
    }
    applyTables(taken ? &out.response : nullptr);
    lookAtShares(taken);
    out.light = lightSamples(m, out.frames);
    ctx.report(1.0);
    return out;
}

CodeTables codeTables(const Response *response, double whiteShare, const Vector3 &gains)
{
    CodeTables out;
    const bool balanced = gains == Vector3{1.0, 1.0, 1.0};
    if (!response && whiteShare >= 1.0 && balanced)
        return out;
    const double least = std::min({gains[0], gains[1], gains[2]});
    for (int c = 0; c < 3; ++c) {
        const double factor = least / gains[size_t(c)];
        // What clips in the file clips, however its channel is balanced.
        const double clips = balanced ? 1.0 : kClippedFrom;
        std::vector<uint16_t> &table = out.of[size_t(c)];
        table.resize(65536);
        for (size_t i = 0; i < table.size(); ++i) {
            const double y = double(linearOfCode(uint16_t(i))) / whiteShare;
            const double z = (response ? response->lightOf(y, c) : y) * factor;
            table[i] = codeOfLinear(y >= clips ? 1.0 : std::min(z, 1.0));
        }
    }
    return out;
}

} // namespace yolk
