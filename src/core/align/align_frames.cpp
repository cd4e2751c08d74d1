#include "align/align_frames.h"

#include "align/features.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <mutex>
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

constexpr int kFewPlaces = 20;                         // too few to go by at all
constexpr int kManyPlaces = 120;                       // a good fit of fewer may be chance
constexpr int kQuick = 8, kSteps = 20;                 // iterations from a first idea; from what is known
constexpr double kRoughly = 0.1;                       // pixels of the level
constexpr double kClearly = 1.02;                      // better by so much, or the likelier one stays
constexpr double kBeyondDoubt = 0.92, kDoubtful = 0.6; // fit
// A subject in front would have to fill so much to be taken for the scene: where two starts ended, or one alone.
constexpr double kMostAgree = 0.5, kNearlyAllAgree = 0.7;

bool isGood(const Registration &r)
{
    return r.agreement >= kSeen && r.agreement * r.places >= kFewestPlaces && r.overlap > kOverlap;
}

class Aligner {
public:
    Aligner(std::span<const Guide> guides, const AlignOptions &options, ExecContext &ctx)
        : guides_(guides), options_(options), ctx_(ctx.child({})), frames_(guides.size())
    {
    }

    /// From frame `a` to frame `b`, from nothing.
    Registration find(size_t a, size_t b)
    {
        const auto known = pairs_.find({a, b});
        return known != pairs_.end() ? known->second : pairs_[{a, b}] = compare(a, b);
    }

    /// From frame `a` to frame `b`, near `known`.
    Registration refine(size_t a, size_t b, const Transform &known)
    {
        if (!isTemplate(a, b))
            return turned(refine(b, a, known.inverted()));
        const int finest = guides_[a].levelOf(options_.finestPixels);
        // What lay still a level above hardly moves here.
        const RegistrationOptions near{options_.model, known.isIdentity() ? finest : finest + 1, finest, kSteps,
                                       options_.enough};
        const Registration out = registerPair(guides_[a], guides_[b], known, near, ctx_);
        if (out.places >= kFewPlaces)
            return out;
        const double clipping = commonClipping(a, b);
        return registerPair(cutAt(guides_[a], clipping), cutAt(guides_[b], clipping), known, near, ctx_);
    }

    /// Frames in the order in which they are chained to the root: nearer exposures first.
    std::vector<size_t> orderFrom(size_t root) const
    {
        std::vector<size_t> out(guides_.size());
        std::iota(out.begin(), out.end(), size_t(0));
        std::erase(out, root);
        std::ranges::stable_sort(out, {}, [&](size_t i) { return distance(i, root); });
        return out;
    }

    /// Compares all pairs that chain() asks for first, at once.
    void findNeighbours(size_t root, ExecContext &ctx)
    {
        const std::vector<size_t> order = orderFrom(root);
        std::vector<Pair> pairs;
        std::vector<size_t> before{root};
        for (size_t i : order) {
            pairs.push_back({nearestFirst(before, i).front(), i});
            before.push_back(i);
        }
        std::vector<Registration> out(pairs.size());
        forEachPart(ctx, int(pairs.size()), [&](int i, ExecContext &) {
            const auto [from, to] = pairs[size_t(i)];
            out[size_t(i)] = compare(from, to);
        });
        for (size_t i = 0; i < pairs.size(); ++i)
            pairs_[pairs[i]] = out[i];
    }

    using Pairing = std::function<std::optional<Registration>(size_t from, size_t to)>;
    /// A frame against the root itself, near `known`, which came by `links` links, the last one of `places` places.
    using Direct =
        std::function<std::optional<Registration>(size_t frame, const Registration &known, int places, int links)>;

    /// Goes from the root to ever farther exposures; `pair(from, to)` says how neighbours lie, or nothing. What hardly
    /// moved against the root did not: small motions of links may add up to one that counts.
    std::vector<FrameAlignment> chain(size_t root, const Pairing &pair, const Direct &direct = {}) const
    {
        std::vector<FrameAlignment> out(guides_.size());
        std::vector<int> links(guides_.size(), 0);
        out[root].found = true;
        out[root].toReference.agreement = out[root].toReference.overlap = 1.0;
        std::vector<size_t> aligned{root};
        // Who was lost may lie well on a frame that was found after it.
        std::vector<size_t> order = orderFrom(root);
        const size_t first = order.size();
        for (size_t k = 0; k < first; ++k)
            order.push_back(order[k]);
        for (size_t i : order) {
            if (out[i].found)
                continue;
            constexpr size_t kTries = 3;
            const std::vector<size_t> known = nearestFirst(aligned, i);
            for (size_t t = 0; t < std::min(known.size(), kTries) && !out[i].found; ++t)
                if (const auto r = pair(known[t], i)) {
                    out[i] = chained(out[known[t]], *r);
                    links[i] = links[known[t]] + 1;
                    if (direct && links[i] > 1)
                        if (const auto own = direct(i, out[i].toReference, r->places, links[i])) {
                            out[i].toReference = *own;
                            links[i] = 1;
                        }
                }
            if (out[i].found)
                aligned.push_back(i);
        }
        for (size_t i = 0; i < out.size(); ++i) {
            Registration &r = out[i].toReference;
            if (out[i].found && motionOf(r.transform, guides_[i].width, guides_[i].height).corners < kStill) {
                r.transform = {};
                r.model = MotionModel::None;
            }
        }
        return out;
    }

private:
    using Pair = std::pair<size_t, size_t>;

    Registration compare(size_t a, size_t b)
    {
        if (!isTemplate(a, b))
            return turned(compare(b, a));
        const Guide &still = guides_[a], &moving = guides_[b];
        std::vector<Transform> starts = likelyShifts(overviewOfFrame(a), overviewOfFrame(b));
        const Idea idea = bestOf(still, moving, starts);
        if (idea.sure && isClear(idea.best) && idea.best.places >= kManyPlaces)
            return finish(still, moving, idea); // most frames lie so near that corners are not needed
        const auto withCorners = [&](std::vector<Transform> found, const std::vector<Transform> &shifts) {
            found.insert(found.end(), shifts.begin(), shifts.end());
            return found;
        };
        starts = withCorners(likelyTransforms(featuresOfFrame(a), featuresOfFrame(b)), starts);
        const Idea second = bestOf(still, moving, starts);
        Registration out = finish(still, moving, second);
        // What was sure of few places must also hold at the finer level, where there are more.
        if (isClear(out) || (second.sure && out.places >= kManyPlaces && out.agreement > kMostAgree))
            return out;
        // Outlines of clipped areas are features too, once both are cut at the same light.
        const double clipping = commonClipping(a, b);
        starts = withCorners(likelyTransforms(featuresOf(still, clipping), featuresOf(moving, clipping)),
                             likelyShifts(overviewOf(still, clipping), overviewOf(moving, clipping)));
        const Registration other = finish(still, moving, bestOf(still, moving, starts));
        if (scoreOf(other) > kClearly * scoreOf(out))
            out = other;
        if (out.places < kFewPlaces) { // and all there is, where what lies beside them clips
            const Guide cutStill = cutAt(still, clipping), cutMoving = cutAt(moving, clipping);
            out = finish(cutStill, cutMoving, bestOf(cutStill, cutMoving, starts));
        }
        return out;
    }

    static double scoreOf(const Registration &r) { return r.fit * r.overlap * double(r.places); }
    double commonClipping(size_t a, size_t b) const
    {
        return 0.95 / std::max(guides_[a].exposure, guides_[b].exposure);
    }

    /// The best of several starts at a coarse level.
    struct Idea {
        Registration best;
        int level;
        bool sure; // beyond doubt, or where two starts ended, or nearly all of the picture agrees
    };
    static bool isClear(const Registration &r)
    {
        return r.fit >= kBeyondDoubt ||
               (r.places >= kManyPlaces && (r.fit >= kDoubtful || r.agreement > kNearlyAllAgree));
    }

    Idea bestOf(const Guide &still, const Guide &moving, const std::vector<Transform> &starts)
    {
        const int finest = still.levelOf(options_.finestPixels);
        Idea out{{}, std::max(finest, still.levelOf(kCoarse)), false};
        bool twice = false; // another start ended where the best one did
        for (size_t i = 0; i < starts.size() && !out.sure; ++i) {
            const auto at = [&](int level) {
                return registerPair(still, moving, starts[i], {options_.model, level, level, kQuick, kRoughly}, ctx_);
            };
            Registration r = at(out.level);
            // Where nearly all clips in one of both, only fine levels hold enough to choose by.
            while (i == 0 && r.places < kManyPlaces / 2 && out.level > finest)
                r = at(--out.level);
            const bool same =
                i > 0 && largestDistance(r.transform, out.best.transform, still.width, still.height) < 1.0;
            const bool better = i == 0 || scoreOf(r) > kClearly * scoreOf(out.best);
            twice = !better && (twice || same);
            if (better)
                out.best = r;
            out.sure = out.best.fit > kBeyondDoubt || (twice && out.best.agreement > kMostAgree) ||
                       (out.best.places >= kManyPlaces && out.best.agreement > kNearlyAllAgree);
        }
        return out;
    }

    /// On to the finest level, or to the finest at which enough agrees: where things lie at many depths, no single
    /// transform brings most of them within a pixel, and the coarser one is what places go on from by themselves.
    Registration finish(const Guide &still, const Guide &moving, const Idea &idea)
    {
        if (!isGood(idea.best))
            return idea.best;
        for (int level = still.levelOf(options_.finestPixels); level < idea.level; ++level) {
            const Registration out =
                registerPair(still, moving, idea.best.transform,
                             {options_.model, idea.level - 1, level, kSteps, options_.enough}, ctx_);
            if (isGood(out))
                return out;
        }
        return idea.best;
    }

    /// The brighter one is the template: its gradients are the cleaner ones.
    bool isTemplate(size_t a, size_t b) const { return guides_[a].exposure >= guides_[b].exposure; }
    static Registration turned(Registration r)
    {
        r.transform = r.transform.inverted();
        return r;
    }

    static FrameAlignment chained(const FrameAlignment &via, Registration r)
    {
        r.transform = r.transform.after(via.toReference.transform);
        r.model = std::max(r.model, via.toReference.model);
        return {true, r};
    }

    double distance(size_t i, size_t j) const { return std::abs(std::log2(guides_[i].exposure / guides_[j].exposure)); }
    std::vector<size_t> nearestFirst(std::vector<size_t> frames, size_t to) const
    {
        std::ranges::stable_sort(frames, {}, [&](size_t j) { return distance(to, j); });
        return frames;
    }

    /// What is found of a frame when it is first asked for, by any thread.
    struct Known {
        std::once_flag seen, cornered;
        Overview overview;
        Features features;
    };
    const Overview &overviewOfFrame(size_t i)
    {
        std::call_once(frames_[i].seen, [&] { frames_[i].overview = overviewOf(guides_[i]); });
        return frames_[i].overview;
    }
    const Features &featuresOfFrame(size_t i)
    {
        std::call_once(frames_[i].cornered, [&] { frames_[i].features = featuresOf(guides_[i]); });
        return frames_[i].features;
    }

    std::span<const Guide> guides_;
    AlignOptions options_;
    ExecContext ctx_; // without progress
    std::vector<Known> frames_;
    std::map<Pair, Registration> pairs_;
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
    const auto isTooSmall = [](const Guide &g) { return std::min(g.width, g.height) < kSmallest; };
    if (std::ranges::none_of(guides, isTooSmall))
        aligner.findNeighbours(wanted, ctx);
    const auto rootedAt = [&](size_t root) {
        return aligner.chain(root, [&](size_t from, size_t to) -> std::optional<Registration> {
            if (isTooSmall(guides[from]) || isTooSmall(guides[to])) // there is nothing to go by
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
    const auto pair = [&](size_t from, size_t to) -> std::optional<Registration> {
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
    };
    // The errors of links add up. Where a frame shares light with the reference itself, in so many places that these err
    // less than all links do, its motion comes from there.
    const auto direct = [&](size_t i, const Registration &chained, int places,
                            int links) -> std::optional<Registration> {
        constexpr double kNear = 1.0; // pixels: both mean the same
        const Registration r = aligner.refine(reference, i, chained.transform);
        const bool same = largestDistance(r.transform, chained.transform, guides[i].width, guides[i].height) < kNear;
        return isGood(r) && same && r.places * links >= places ? std::optional(r) : std::nullopt;
    };
    auto out = aligner.chain(reference, pair, direct);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
