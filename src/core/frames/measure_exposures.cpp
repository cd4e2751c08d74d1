#include "frames/measure_p.h"

#include "base/robust.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// EV: what noise leaves uncertain in a measured step, and what code values and curves of developed files do.
constexpr double kAgreement = 0.012, kCodedAgreement = 0.02;
/// Scene and curve are known only together: what smooth curves leave open, as a share of the distance in EV.
constexpr double kCurveUncertainty = 0.06;
/// How far exposures that are stated a whole stop wrong are followed: where the curve is known and the places agree.
constexpr double kClearly = 0.03; // EV, standard error of the step

} // namespace

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
    const bool mayBeOff = !isDeveloped(*m.frames[group[0]]); // the black level
    const auto compare = [&](double black, bool findsBlack) {
        ExecContext comparing = ctx.child({});
        forEachPart(comparing, int(tasks.size()), [&](int t, ExecContext &) {
            Task &task = tasks[size_t(t)];
            const size_t dark = group[task.dark], bright = group[task.bright];
            const auto at = [&](size_t frame) {
                return size_t(std::ranges::find(placed.frames, frame) - placed.frames.begin());
            };
            const size_t d = at(dark), b = at(bright);
            if (d < placed.frames.size() && b < placed.frames.size()) {
                const double lowest = lowestOf(*m.frames[dark], measured[dark]);
                const auto steps = stepBetween(light[d], light[b], placed.grid, lowest, black);
                if (!steps)
                    return;
                task.step = steps->all;
                const auto offsets =
                    findsBlack ? offsetsBetween(light[d], light[b], placed.grid, lowest) : std::nullopt;
                for (size_t c = 0; c < 3; ++c) {
                    task.channels[c] = steps->channels[c].ev - steps->all.ev;
                    task.errors[c] = steps->channels[c].standardError;
                    if (offsets)
                        task.blacks[c] = (*offsets)[c] / (1.0 - std::exp2(steps->all.ev));
                }
            } else if (task.bright == task.dark + 1) {
                task.step = exposureStep(m.pixels[dark]->view(), m.pixels[bright]->view());
                if (task.step) // ranks of frames that do not lie on each other: for what is not stated only
                    task.step->standardError = std::max(task.step->standardError, 0.1);
            }
        });
    };
    compare(0.0, mayBeOff);
    if (mayBeOff) {
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
                compare(black, false);
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
    // Where not all is known of a curve, most frames must bear each other out: a power of all would make liars of most.
    mayFollow = mayFollow && (curveIsKnown || (n - liars.size() >= 2 && 2 * liars.size() < n));
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

namespace {

/// Slope of `values` over `at`, and the span of what is left without it.
std::pair<double, double> driftAndRest(std::span<const double> at, std::span<const double> values)
{
    const auto n = double(at.size());
    double x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    for (size_t i = 0; i < at.size(); ++i) {
        x += at[i] / n;
        y += values[i] / n;
    }
    for (size_t i = 0; i < at.size(); ++i) {
        xx += (at[i] - x) * (at[i] - x);
        xy += (at[i] - x) * (values[i] - y);
    }
    const double slope = xx > 1e-6 ? xy / xx : 0.0;
    double least = 1e9, most = -1e9;
    for (size_t i = 0; i < at.size(); ++i) {
        least = std::min(least, values[i] - slope * at[i]);
        most = std::max(most, values[i] - slope * at[i]);
    }
    return {slope, most - least};
}

} // namespace

bool settleGains(std::span<MeasuredFrame *const> frames, const GroupLinks &found)
{
    // EV: colour sampling of JPEG makes up to 0.035 of frames 6 EV apart, and a thirtieth of a channel is about what the
    // eye can tell.
    constexpr double kSees = 0.05, kSigmas = 4.0;
    constexpr double kDrifts = 0.025; // EV a stop: the same over two stops
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
        // What drifts evenly with exposure is how dark places are coded, unless it drifts by much.
        std::vector<double> exposures;
        for (const MeasuredFrame *f : frames)
            exposures.push_back(std::log2(f->exposure));
        const auto [drift, rest] = driftAndRest(exposures, ev.ev);
        const double error = *std::ranges::max_element(ev.error);
        differ = differ || rest > kSees + kSigmas * std::min(error, 0.05) || std::abs(drift) > kDrifts;
        for (size_t i = 0; i < frames.size(); ++i)
            gains[i][c] = std::exp2(ev.ev[i]);
    }
    for (size_t i = 0; differ && i < frames.size(); ++i)
        frames[i]->gains = gains[i];
    return differ;
}

void gainsAgainst(size_t reference, std::vector<MeasuredFrame> &frames)
{
    const Vector3 own = frames[reference].gains;
    for (MeasuredFrame &f : frames) {
        for (size_t c = 0; c < 3; ++c)
            f.gains[c] /= own[c];
        f.exposure *= std::max({f.gains[0], f.gains[1], f.gains[2]});
    }
}

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

} // namespace yolk
