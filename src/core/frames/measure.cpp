#include "frames/measure_p.h"

#include "frames/exposure.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>
#include <utility>

namespace yolk {
namespace {

constexpr double kMeasuredPixels = 4e5;

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

namespace {

/// The steps of measureFrames(), in their order.
class SetMeasurement {
public:
    SetMeasurement(std::span<const FramePtr> frames, const MeasureSources &sources, ExecContext &ctx)
        : frames_(frames), sources_(sources), ctx_(ctx),
          looking_(ctx.part(0.9, 1.0)), m_{frames, std::vector<DecodedPtr>(frames.size()), {}}
    {
        std::vector<Metadata> metadata;
        for (const FramePtr &f : frames)
            metadata.push_back(f->metadata);
        stated_ = statedExposures(metadata);
        out_.frames.resize(frames.size());
        for (size_t i = 0; i < frames.size(); ++i)
            out_.frames[i].id = frames[i]->id;
    }

    MeasuredSet run()
    {
        lookAtEach();
        place();
        fitCurve();
        settle();
        applyTables(taken());
        lookAtShares();
        out_.light = lightSamples(m_, out_.frames);
        ctx_.report(1.0);
        return std::move(out_);
    }

private:
    void lookAtEach()
    {
        ExecContext decoding = ctx_.part(0.0, 0.5);
        forEachPart(decoding, int(frames_.size()), [&](int i, ExecContext &own) {
            const Frame &frame = *frames_[size_t(i)];
            if (!frame.isRadiance())
                m_.pixels[size_t(i)] = sources_.decode(frame, measuringReduction(frame), own);
        });
        asDecoded_ = m_.pixels;
        groupFrames(m_);
        measureWhites(m_, sources_, out_.frames, ctx_);
        findDefects(m_, sources_, out_, ctx_);
        applyTables(nullptr);
        measureNoise(m_, out_.frames, ctx_);
        tellStated();
        lookAtShares();
        roughExposures(m_, stated_, out_.frames, ctx_);
    }

    void place()
    {
        ExecContext placing = ctx_.part(0.5, 0.9);
        if (sources_.place && frames_.size() > 1)
            placed_ = sources_.place(
                out_, [this] { return curveByRank(); }, placing);
        else
            placed_.maps.assign(frames_.size(), PlaceMap([](double x, double y) { return std::array{x, y}; }));
        readPlaces();
        const std::vector<MeasuredFrame> before = out_.frames;
        for (const PlacedGroup &g : groups_)
            findStandstill(m_, g, out_.frames);
        if (before != out_.frames) {
            tellStated();
            applyTables(nullptr);
            readPlaces();
        }
    }
    void readPlaces()
    {
        groups_.clear();
        for (const std::vector<size_t> &g : m_.groups)
            groups_.push_back(placedGroup(m_, g, placed_, ctx_));
    }

    /// The curve of the largest group of developed files.
    void fitCurve()
    {
        const PlacedGroup *developed = nullptr;
        for (const PlacedGroup &g : groups_)
            if (g.frames.size() > 1 && isDeveloped(*frames_[g.frames[0]]) &&
                (!developed || g.frames.size() > developed->frames.size()))
                developed = &g;
        if (!developed)
            return;
        std::vector<double> lowest;
        for (size_t i : developed->frames)
            lowest.push_back(lowestOf(*frames_[i], out_.frames[i]));
        std::vector<std::optional<double>> exposures = statedEvs(developed->frames);
        std::vector<LightPair> pairs;
        const auto fit = [&](const std::vector<std::vector<PlaceLight>> &places) {
            pairs = lightPairs(places, developed->grid, lowest, codeStepOf(developed->frames), ctx_);
            out_.response = fitResponse(pairs, exposures, kStatedError, ctx_);
        };
        const auto ofFit = [&] { return out_.response.fitted ? &out_.response : nullptr; };
        fit(developed->light);
        // Bands of lamps that flicker drown the bend of a curve, and a wrong curve blurs bands: in turns, while it helps.
        std::vector<MeasuredFrame> banded = out_.frames;
        constexpr int kTurns = 4;
        constexpr double kHelps = 0.95; // of the disagreement
        for (int turn = 0; turn < kTurns; ++turn) {
            const double before = out_.response.disagreementAfter;
            std::vector<MeasuredFrame> next = out_.frames;
            if (!findUnevenness(m_, *developed, placed_,
                                linearPlaces(m_, *developed, placed_, ofFit(), out_.frames, ctx_), next, ctx_)) {
                if (turn == 0 && ofFit() == taken())
                    even_ = developed;
                break;
            }
            banded = std::move(next);
            fit(evenedPlaces(m_, *developed, placed_, ofFit(), banded, ctx_));
            if (out_.response.disagreementAfter > kHelps * before)
                break;
        }
        // A frame whose file lies would bend the curve to its story. One that differs by a wrong curve is no liar: then
        // most do.
        const auto light = linearPlaces(m_, *developed, placed_, ofFit(), banded, ctx_);
        const std::vector<size_t> liars =
            contradicted(exposures, linksOf(m_, developed->frames, *developed, light, out_.frames, ctx_).links);
        if (liars.empty() || 2 * liars.size() >= exposures.size())
            return;
        even_ = nullptr; // with another curve it may not be
        for (size_t k : liars)
            exposures[k].reset();
        out_.response = fitResponse(pairs, exposures, kStatedError, ctx_);
    }

    /// A curve from values of like rank of the largest group, for frames that do not lie on each other yet: good enough
    /// to place them by, no more.
    Response curveByRank() const
    {
        const std::vector<size_t> *largest = nullptr;
        for (const std::vector<size_t> &g : m_.groups)
            if (g.size() > 1 && isDeveloped(*frames_[g[0]]) && (!largest || g.size() > largest->size()))
                largest = &g;
        if (!largest)
            return {};
        std::vector<ImageView<const uint16_t>> codes;
        for (size_t i : *largest)
            codes.push_back(m_.pixels[i]->view());
        return fitResponse(lightPairsByRank(codes), statedEvs(*largest), kStatedError, ctx_);
    }

    void settle()
    {
        const std::vector<MeasuredFrame> first = settledWith(taken());
        bool uneven = false;
        for (const PlacedGroup &g : groups_)
            if (g.frames.size() > 1 && &g != even_) {
                std::vector<MeasuredFrame> found = first;
                const auto light = linearPlaces(m_, g, placed_, taken(), out_.frames, ctx_);
                if (!findUnevenness(m_, g, placed_, light, found, ctx_))
                    continue;
                uneven = true;
                // Bands are the mean's, but the rim is the reference's: it is part of how the picture was taken.
                const double rim = found[placed_.reference].unevenness.rim;
                for (size_t i : g.frames) {
                    out_.frames[i].unevenness = found[i].unevenness;
                    out_.frames[i].unevenness.rim -= rim;
                }
            }
        const std::vector<MeasuredFrame> automatic = uneven ? settledWith(taken()) : first;
        const std::vector<MeasuredFrame> byProfile = taken() ? settledWith(nullptr) : automatic;
        const std::vector<MeasuredFrame> byCurve = taken()                ? automatic
                                                   : out_.response.fitted ? settledWith(&out_.response)
                                                                          : byProfile;
        out_.frames = automatic;
        for (size_t i = 0; i < frames_.size(); ++i) {
            out_.frames[i].byProfile = {byProfile[i].exposure, byProfile[i].gains, byProfile[i].noise};
            out_.frames[i].byCurve = {byCurve[i].exposure, byCurve[i].gains, byCurve[i].noise};
        }
    }
    std::vector<MeasuredFrame> settledWith(const Response *curve)
    {
        std::vector<MeasuredFrame> settled = out_.frames;
        for (size_t g = 0; g < groups_.size(); ++g) {
            const std::vector<size_t> &group = m_.groups[g];
            const bool known = !isDeveloped(*frames_[group[0]]);
            const auto light = linearPlaces(m_, groups_[g], placed_, curve, out_.frames, ctx_);
            GroupLinks found = linksOf(m_, group, groups_[g], light, out_.frames, ctx_);
            std::vector<MeasuredFrame *> sorted;
            for (size_t i : group)
                sorted.push_back(&settled[i]);
            if (!frames_[group[0]]->isRaw() && settleGains(sorted, found)) // green alone is comparable
                for (size_t l = 0; l < found.links.size(); ++l)
                    found.links[l].step = {found.links[l].step.ev + found.channels[l][1],
                                           std::max(1e-3, found.channelErrors[l][1])};
            const bool agrees = out_.response.verdict == ResponseVerdict::ProfileAgrees ||
                                out_.response.verdict == ResponseVerdict::Found;
            settleExposures(sorted, found, known, known || agrees);
        }
        gainsAgainst(placed_.reference, settled);
        for (MeasuredFrame &f : settled)
            f.exposure *= std::exp2(f.unevenness.most());
        for (size_t i = 0; curve && i < settled.size(); ++i)
            if (const Frame &frame = *frames_[i]; isDeveloped(frame))
                settled[i].noise = defaultNoise(frame.bits, frame.metadata.iso.value_or(100.0), frame.codingVariance,
                                                [curve](double y) { return curve->lightOf(y); });
        return settled;
    }

    const Response *taken() const
    {
        return isTaken(out_.response, ResponseChoice::Automatic) ? &out_.response : nullptr;
    }
    std::vector<std::optional<double>> statedEvs(std::span<const size_t> frames) const
    {
        std::vector<std::optional<double>> out;
        for (size_t i : frames)
            out.push_back(stated_[i] ? std::optional(std::log2(*stated_[i])) : std::nullopt);
        return out;
    }
    /// What a code is worth, as a share of all: rounding, and what JPEG coding makes of a place.
    double codeStepOf(std::span<const size_t> frames) const
    {
        return std::ranges::any_of(frames, [&](size_t i) { return frames_[i]->bits == 8; }) ? 0.6 / 255.0
                                                                                            : 2.0 / 65535.0;
    }
    void applyTables(const Response *response)
    {
        using Kind = std::tuple<bool, double, Vector3>; // mostly one for all
        std::map<Kind, CodeTables> tables;
        const auto kindOf = [&](size_t i) {
            const MeasuredFrame &f = out_.frames[i];
            return Kind(response && isDeveloped(*frames_[i]), f.whiteShare, f.gains);
        };
        for (size_t i = 0; i < frames_.size(); ++i)
            if (const auto [place, isNew] = tables.try_emplace(kindOf(i)); isNew)
                place->second = codeTables(std::get<bool>(place->first) ? response : nullptr,
                                           std::get<double>(place->first), std::get<Vector3>(place->first));
        forEachPart(looking_, int(frames_.size()), [&](int i, ExecContext &) {
            const DecodedPtr &codes = asDecoded_[size_t(i)];
            const CodeTables &own = tables.at(kindOf(size_t(i)));
            if (codes)
                m_.pixels[size_t(i)] = own.empty() ? codes : throughTables(*codes, own);
        });
    }
    void tellStated()
    {
        for (size_t i = 0; i < frames_.size(); ++i)
            if (m_.pixels[i] && stated_[i])
                out_.frames[i].stated = *stated_[i] / out_.frames[i].whiteShare;
    }
    void lookAtShares()
    {
        forEachPart(looking_, int(frames_.size()), [&](int i, ExecContext &) {
            if (m_.pixels[size_t(i)])
                measureShares(m_.pixels[size_t(i)]->view(), out_.frames[size_t(i)]);
        });
    }

    std::span<const FramePtr> frames_;
    const MeasureSources &sources_;
    ExecContext &ctx_;
    ExecContext looking_;
    Measuring m_;
    std::vector<DecodedPtr> asDecoded_;
    std::vector<std::optional<double>> stated_; ///< relative exposures
    SetPlaces placed_;
    std::vector<PlacedGroup> groups_;   ///< one for each of m_.groups
    const PlacedGroup *even_ = nullptr; ///< of which fitCurve() has found that lamps did not flicker
    MeasuredSet out_;
};

} // namespace

MeasuredSet measureFrames(std::span<const FramePtr> frames, const MeasureSources &sources, ExecContext &ctx)
{
    return SetMeasurement(frames, sources, ctx).run();
}

CodeTables codeTables(const Response *response, double whiteShare, const Vector3 &gains)
{
    CodeTables out;
    const bool balanced = gains == Vector3{1.0, 1.0, 1.0};
    if (!response && whiteShare >= 1.0 && balanced)
        return out;
    const double most = std::max({gains[0], gains[1], gains[2]});
    for (int c = 0; c < 3; ++c) {
        const double factor = most / gains[size_t(c)];
        // What clips in the file clips, however its channel is balanced, and however far a shoulder spreads the last codes.
        const double clips = balanced && !response ? 1.0 : kClippedFrom;
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
