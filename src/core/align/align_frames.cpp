#include "align/align_frames.h"

#include "align/features.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>
#include <optional>

namespace yolk {
namespace {

constexpr int kSmallest = 40;      // pixels of the shorter side
constexpr double kSeen = 0.15;     // share of textured places that must agree
constexpr int kFewestPlaces = 4;   // of them
constexpr double kOverlap = 0.2;   // of the picture
constexpr double kStill = 0.04;    // pixels: a smaller motion costs less than resampling
constexpr double kCoarse = 0.15e6; // pixels of the level where first ideas are compared

constexpr int kFewPlaces = 20;                          // too few to go by at all
constexpr int kManyPlaces = 120;                        // a good fit of fewer may be chance
constexpr int kQuick = 8;                               // iterations from a first idea
constexpr double kRoughly = 0.1;                        // pixels of the level
constexpr double kClearly = 1.02;                       // better by so much, or the likelier one stays
constexpr double kBeyondDoubt = 0.92, kDoubtful = 0.25; // fit
constexpr double kMostAgree = 0.5; // a subject in front would have to fill so much to be taken for the scene

bool isGood(const Registration &r)
{
    return r.agreement >= kSeen && r.agreement * r.places >= kFewestPlaces && r.overlap > kOverlap;
}

class Aligner {
public:
    Aligner(std::span<const Guide> guides, const AlignOptions &options, ExecContext &ctx)
        : guides_(guides), options_(options), ctx_(ctx), features_(guides.size())
    {
    }

    /// From frame `a` to frame `b`, from nothing.
    Registration find(size_t a, size_t b)
    {
        if (!isTemplate(a, b))
            return turned(find(b, a));
        Registration out = find(guides_[a], guides_[b], likelyTransforms(featuresOfFrame(a), featuresOfFrame(b)));
        if (out.fit >= kDoubtful && (out.fit >= kBeyondDoubt || out.places >= kManyPlaces))
            return out;
        // Outlines of clipped areas are features too, once both are cut at the same light.
        const double clipping = commonClipping(a, b);
        const auto starts = likelyTransforms(featuresOf(guides_[a], clipping), featuresOf(guides_[b], clipping));
        if (const Registration other = find(guides_[a], guides_[b], starts); scoreOf(other) > kClearly * scoreOf(out))
            out = other;
        if (out.places < kFewPlaces) // and all there is, where what lies beside them clips
            out = find(cutAt(guides_[a], clipping), cutAt(guides_[b], clipping), starts);
        return out;
    }

    /// From frame `a` to frame `b`, near `known`.
    Registration refine(size_t a, size_t b, const Transform &known)
    {
        if (!isTemplate(a, b))
            return turned(refine(b, a, known.inverted()));
        const int finest = guides_[a].levelOf(options_.finestPixels);
        const RegistrationOptions near{options_.model, finest + 1, finest};
        const Registration out = registerPair(guides_[a], guides_[b], known, near, ctx_);
        if (out.places >= kFewPlaces)
            return out;
        const double clipping = commonClipping(a, b);
        return registerPair(cutAt(guides_[a], clipping), cutAt(guides_[b], clipping), known, near, ctx_);
    }

    /// Goes from the root to ever farther exposures; `pair(from, to)` says how neighbours lie, or nothing.
    std::vector<FrameAlignment>
    chain(size_t root, const std::function<std::optional<Registration>(size_t from, size_t to)> &pair) const
    {
        std::vector<FrameAlignment> out(guides_.size());
        out[root].found = true;
        out[root].toReference.agreement = out[root].toReference.overlap = 1.0;
        std::vector<size_t> order(guides_.size());
        std::iota(order.begin(), order.end(), size_t(0));
        const auto distance = [&](size_t i, size_t j) {
            return std::abs(std::log2(guides_[i].exposure / guides_[j].exposure));
        };
        std::ranges::stable_sort(order, {}, [&](size_t i) { return distance(i, root); });
        std::vector<size_t> aligned{root};
        for (size_t i : order) {
            if (i == root)
                continue;
            std::ranges::stable_sort(aligned, {}, [&](size_t j) { return distance(i, j); });
            constexpr size_t kTries = 3;
            for (size_t t = 0; t < std::min(aligned.size(), kTries) && !out[i].found; ++t)
                if (const auto r = pair(aligned[t], i))
                    out[i] = chained(out[aligned[t]], *r, i);
            if (out[i].found)
                aligned.push_back(i);
        }
        return out;
    }

private:
    static double scoreOf(const Registration &r) { return r.fit * r.overlap * double(r.places); }
    double commonClipping(size_t a, size_t b) const
    {
        return 0.95 / std::max(guides_[a].exposure, guides_[b].exposure);
    }

    Registration find(const Guide &still, const Guide &moving, const std::vector<Transform> &starts) const
    {
        const int finest = still.levelOf(options_.finestPixels);
        int coarse = std::max(finest, still.levelOf(kCoarse));
        Registration best;
        int same = 0; // starts that ended where the best one did
        for (size_t i = 0; i < starts.size(); ++i) {
            const auto at = [&](int level) {
                return registerPair(still, moving, starts[i], {options_.model, level, level, kQuick, kRoughly}, ctx_);
            };
            Registration r = at(coarse);
            // Where nearly all clips in one of both, only fine levels hold enough to choose by.
            while (i == 0 && r.places < kManyPlaces / 2 && coarse > finest)
                r = at(--coarse);
            same += largestDistance(r.transform, best.transform, still.width, still.height) < 1.0;
            if (i == 0 || scoreOf(r) > kClearly * scoreOf(best)) {
                best = r;
                same = 0;
            }
            if (best.fit > kBeyondDoubt || (same > 0 && best.agreement > kMostAgree))
                break;
        }
        if (!isGood(best) || coarse == finest)
            return best;
        return registerPair(still, moving, best.transform, {options_.model, coarse - 1, finest}, ctx_);
    }

    /// The brighter one is the template: its gradients are the cleaner ones.
    bool isTemplate(size_t a, size_t b) const { return guides_[a].exposure >= guides_[b].exposure; }
    static Registration turned(Registration r)
    {
        r.transform = r.transform.inverted();
        return r;
    }

    FrameAlignment chained(const FrameAlignment &via, Registration r, size_t frame) const
    {
        if (motionOf(r.transform, guides_[frame].width, guides_[frame].height).corners < kStill) {
            r.transform = {};
            r.model = MotionModel::None;
        }
        r.transform = r.transform.after(via.toReference.transform);
        r.model = std::max(r.model, via.toReference.model);
        return {true, r};
    }

    const Features &featuresOfFrame(size_t i)
    {
        if (!features_[i].data)
            features_[i] = featuresOf(guides_[i]);
        return features_[i];
    }

    std::span<const Guide> guides_;
    AlignOptions options_;
    ExecContext &ctx_;
    std::vector<Features> features_;
};

size_t foundIn(const std::vector<FrameAlignment> &alignment)
{
    return size_t(std::ranges::count_if(alignment, &FrameAlignment::found));
}

} // namespace

std::vector<FrameAlignment> alignFrames(std::span<const Guide> guides, size_t wanted, const AlignOptions &options,
                                        ExecContext &ctx)
{
    if (wanted >= guides.size())
        throw ArgumentError("alignment: there is no such frame");
    Aligner aligner(guides, options, ctx);
    const auto rootedAt = [&](size_t root) {
        return aligner.chain(root, [&](size_t from, size_t to) -> std::optional<Registration> {
            for (const size_t i : {from, to}) // in so small a picture there is nothing to go by
                if (std::min(guides[i].width, guides[i].height) < kSmallest)
                    return std::nullopt;
            const Registration r = aligner.find(from, to);
            return isGood(r) ? std::optional(r) : std::nullopt;
        });
    };
    std::vector<FrameAlignment> best = rootedAt(wanted);
    for (size_t i = 0; i < guides.size() && 2 * foundIn(best) < guides.size() + 1; ++i)
        if (!best[i].found)
            if (auto other = rootedAt(i); foundIn(other) > foundIn(best))
                best = std::move(other);
    ctx.report(1.0);
    return best;
}

std::vector<FrameAlignment> refineAlignment(std::span<const Guide> guides, size_t reference,
                                            std::span<const FrameAlignment> known, const AlignOptions &options,
                                            ExecContext &ctx)
{
    if (reference >= guides.size() || guides.size() != known.size() || !known[reference].found)
        throw ArgumentError("alignment: refining needs what is known of each frame and of the reference");
    Aligner aligner(guides, options, ctx);
    auto out = aligner.chain(reference, [&](size_t from, size_t to) -> std::optional<Registration> {
        if (!known[from].found || !known[to].found)
            return std::nullopt;
        const Transform start = known[to].toReference.transform.after(known[from].toReference.transform.inverted());
        Registration r = aligner.refine(from, to, start);
        // A level more may move a corner by a pixel of the level above, not by many.
        constexpr double kFar = 16.0;
        if (options.model == ModelChoice::Automatic &&
            (!isGood(r) || largestDistance(r.transform, start, guides[from].width, guides[from].height) > kFar)) {
            r = known[to].toReference;
            r.transform = start;
        }
        return r;
    });
    ctx.report(1.0);
    return out;
}

} // namespace yolk
