#include "frames/measure.h"

#include "frames/exposure.h"
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
constexpr double kAgreement = 0.012; // EV: what code values and curves leave uncertain in a measured step
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

/// Where each frame stands on a chain of measured steps, and how sure that is, both in EV from `from`.
struct Chain {
    std::vector<double> ev, error;
    std::vector<bool> broken; ///< nothing measured between it and `from`
};
Chain chainOf(std::span<const std::optional<ExposureStep>> steps, size_t from)
{
    const size_t n = steps.size() + 1;
    Chain out{std::vector<double>(n), std::vector<double>(n), std::vector<bool>(n)};
    const auto go = [&](size_t at, size_t to, const std::optional<ExposureStep> &step, double sign) {
        out.ev[to] = out.ev[at] + (step ? sign * step->ev : 0.0);
        out.error[to] = std::hypot(out.error[at], step ? step->standardError : 0.0);
        out.broken[to] = out.broken[at] || !step;
    };
    for (size_t i = from; i + 1 < n; ++i)
        go(i, i + 1, steps[i], 1.0);
    for (size_t i = from; i > 0; --i)
        go(i, i - 1, steps[i - 1], -1.0);
    return out;
}

double medianOf(std::vector<double> values)
{
    std::ranges::sort(values);
    return values[(values.size() - 1) / 2];
}

/// Frames whose statement lies further from what the steps say than can be believed. All in log2, dark to bright.
std::vector<size_t> contradicted(std::span<const std::optional<double>> stated,
                                 const std::vector<std::optional<ExposureStep>> &steps)
{
    const Chain chain = chainOf(steps, stated.size() / 2);
    std::vector<double> offsets;
    for (size_t i = 0; i < stated.size(); ++i)
        if (stated[i] && !chain.broken[i])
            offsets.push_back(*stated[i] - chain.ev[i]);
    std::vector<size_t> out;
    if (offsets.empty())
        return out;
    const double offset = medianOf(offsets);
    for (size_t i = 0; i < stated.size(); ++i)
        if (stated[i] && !chain.broken[i] &&
            std::abs(chain.ev[i] + offset - *stated[i]) > kBelievable + 3.0 * chain.error[i])
            out.push_back(i);
    return out;
}

Response measureResponse(const Measuring &m, std::span<const std::optional<double>> stated, ExecContext &ctx)
{
    const std::vector<size_t> *group = nullptr; // the largest of developed files
    for (const std::vector<size_t> &g : m.groups)
        if (isDeveloped(*m.frames[g[0]]) && (!group || g.size() > group->size()))
            group = &g;
    if (!group || group->size() < 2)
        return {};
    std::vector<MatchedLight> matches(group->size() - 1);
    ExecContext matching = ctx.child({});
    forEachPart(matching, int(matches.size()), [&](int k, ExecContext &) {
        const size_t darker = (*group)[size_t(k)], brighter = (*group)[size_t(k) + 1];
        matches[size_t(k)] = matchedLight(m.pixels[darker]->view(), m.pixels[brighter]->view());
    });
    std::vector<std::optional<double>> exposures;
    for (size_t i : *group)
        exposures.push_back(stated[i] ? std::optional(std::log2(*stated[i])) : std::nullopt);
    const FittedResponse first = fitResponse(matches, exposures, kStatedError);
    const std::vector<size_t> liars = contradicted(exposures, {first.steps.begin(), first.steps.end()});
    if (liars.empty())
        return first.response;
    for (size_t k : liars) // they would bend the curve to their story
        exposures[k].reset();
    return fitResponse(matches, exposures, kStatedError).response;
}

Image<uint16_t> throughTable(const Image<uint16_t> &codes, const std::vector<uint16_t> &table)
{
    Image<uint16_t> out(codes.shape());
    for (int c = 0; c < codes.planes(); ++c)
        for (int y = 0; y < codes.height(); ++y)
            for (int x = 0; x < codes.width(); ++x)
                out.row(c, y)[x] = table[codes.row(c, y)[x]];
    return out;
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

/// Exposures from what is stated and what the steps say; all in the order of brightness.
void settleExposures(std::span<MeasuredFrame *const> frames, const std::vector<std::optional<ExposureStep>> &steps,
                     bool curveIsKnown)
{
    const size_t n = frames.size();
    const Chain chain = chainOf(steps, n / 2);
    std::vector<std::optional<double>> stated(n);
    for (size_t i = 0; i < n; ++i)
        if (frames[i]->stated)
            stated[i] = std::log2(*frames[i]->stated);
    const std::vector<size_t> liars = contradicted(stated, steps);
    for (size_t i : liars)
        stated[i].reset(); // they must not pull the others
    const std::vector<double> settled = reconciledExposures(stated, steps, kStatedError);
    // Where the picture agrees with all exact steps as far as it can tell, the exact ones are the better.
    const bool agrees = [&] {
        for (size_t i = 0; i < n; ++i)
            if (stated[i] && std::abs(settled[i] - *stated[i]) > kAgreement)
                return false;
        return true;
    }();
    for (size_t i = 0; i < n; ++i) {
        MeasuredFrame &f = *frames[i];
        const bool measured = (i > 0 && steps[i - 1]) || (i + 1 < n && steps[i]);
        if (f.stated && !stated[i]) { // said, not taken
            f.pictureSays = settled[i] - std::log2(*f.stated);
            f.exposure = *f.stated;
            f.source = ExposureSource::Stated;
        } else if (f.stated) {
            f.pictureSays = settled[i] - *stated[i];
            f.source = measured && !agrees ? ExposureSource::Refined : ExposureSource::Stated;
            f.exposure = measured && !agrees ? std::exp2(settled[i]) : *f.stated;
        } else {
            f.source = measured ? ExposureSource::Estimated : ExposureSource::Assumed;
            f.exposure = std::exp2(settled[i]);
            f.uncertainty = chain.error[i] + (curveIsKnown ? 0.0 : kCurveUncertainty * std::abs(chain.ev[i]));
        }
    }
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

MeasuredSet measureFrames(std::span<const FramePtr> frames, const Decode &decode, ExecContext &ctx)
{
    std::vector<Metadata> metadata;
    for (const FramePtr &f : frames)
        metadata.push_back(f->metadata);
    const std::vector<std::optional<double>> stated = statedExposures(metadata);

    MeasuredSet out;
    out.frames.resize(frames.size());
    Measuring m{frames, std::vector<DecodedPtr>(frames.size()), {}};
    ExecContext decoding = ctx.part(0.0, 0.8);
    forEachPart(decoding, int(frames.size()), [&](int i, ExecContext &own) {
        if (!frames[size_t(i)]->isRadiance())
            m.pixels[size_t(i)] = decode(*frames[size_t(i)], measuringReduction(*frames[size_t(i)]), own);
    });
    group(m);
    measureNoise(m, out.frames, ctx);
    out.response = measureResponse(m, stated, ctx);
    const std::vector<uint16_t> table = out.response.fitted ? out.response.table() : std::vector<uint16_t>();
    ExecContext looking = ctx.part(0.8, 1.0);
    forEachPart(looking, int(frames.size()), [&](int i, ExecContext &) {
        out.frames[size_t(i)].id = frames[size_t(i)]->id;
        if (!m.pixels[size_t(i)])
            return;
        const bool bent = out.response.fitted && isDeveloped(*frames[size_t(i)]);
        if (bent)
            m.pixels[size_t(i)] = std::make_shared<const Image<uint16_t>>(throughTable(*m.pixels[size_t(i)], table));
        MeasuredFrame &f = out.frames[size_t(i)];
        f.stated = stated[size_t(i)];
        measureShares(m.pixels[size_t(i)]->view(), float(bent ? out.response.lightOf(kClippedFrom) : kClippedFrom), f);
    });

    const bool curveIsKnown = std::ranges::none_of(frames, [](const FramePtr &f) { return isDeveloped(*f); });
    for (const std::vector<size_t> &group : m.groups) {
        std::vector<MeasuredFrame *> sorted;
        for (size_t i : group)
            sorted.push_back(&out.frames[i]);
        std::vector<std::optional<ExposureStep>> steps(group.size() - 1);
        ExecContext comparing = ctx.child({});
        forEachPart(comparing, int(steps.size()), [&](int k, ExecContext &) {
            const size_t darker = group[size_t(k)], brighter = group[size_t(k) + 1];
            steps[size_t(k)] = exposureStep(m.pixels[darker]->view(), m.pixels[brighter]->view());
        });
        settleExposures(sorted, steps, curveIsKnown);
    }
    out.light = lightSamples(m, out.frames);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
