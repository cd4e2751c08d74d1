#include "frames/measure_p.h"

#include "frames/noise_estimate.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <utility>

namespace yolk {
namespace {

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

} // namespace

void groupFrames(Measuring &m)
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

void measureShares(ImageView<const uint16_t> pixels, MeasuredFrame &out)
{
    const float floor = float(out.noise.levelOfSnr(1.0));
    long long clipped = 0, dark = 0;
    for (int y = 0; y < pixels.height(); ++y)
        for (int x = 0; x < pixels.width(); ++x) {
            const float r = linearOfCode(pixels.row(0, y)[x]), g = linearOfCode(pixels.row(1, y)[x]),
                        b = linearOfCode(pixels.row(2, y)[x]);
            clipped += std::max({r, g, b}) >= float(kClippedFrom);
            dark += g < floor;
        }
    const double n = double(pixels.shape().pixels());
    out.clippedShare = double(clipped) / n;
    out.darkShare = double(dark) / n;
}

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

} // namespace yolk
