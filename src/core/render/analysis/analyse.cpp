#include "render/analysis/analyse.h"

#include "colour/matrix_rows.h"
#include "image/copy.h"
#include "recipe/sections.h"
#include "render/set/measured_json.h"
#include "render/stages/frame_stage.h"
#include "render/stages/scene_stage.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// From lens data, else from the two raw frames that hold most of the scene.
Fringes findFringes(const Sources &sources, const Bracket &bracket, ExecContext &ctx)
{
    std::vector<const BracketFrame *> raw;
    for (const BracketFrame &f : bracket.frames)
        if (f.usable && f.frame->isRaw())
            raw.push_back(&f);
    if (raw.empty())
        return {};
    const Frame &first = *raw.front()->frame;
    if (const auto listed = fringesFromLensData({first.metadata.camera, first.metadata.lens,
                                                 first.metadata.focalLength.value_or(0.0), first.width, first.height}))
        return *listed;
    std::ranges::stable_sort(raw, {},
                             [](const BracketFrame *f) { return f->measured.clippedShare + f->measured.darkShare; });
    constexpr size_t kFrames = 2;
    raw.resize(std::min(raw.size(), kFrames));
    std::vector<std::optional<Fringes>> found(raw.size());
    const int reduction = std::max(measuringReduction(first), previewReduction(sources));
    forEachPart(ctx, int(raw.size()), [&](int i, ExecContext &own) {
        const DecodedPtr pixels = decoded(sources, *raw[size_t(i)]->frame, reduction, own);
        if (pixels->width() >= 64 && pixels->height() >= 64)
            found[size_t(i)] = estimateFringes(pixels->view(), raw[size_t(i)]->measured.noise, own);
    });
    Fringes mean;
    double count = 0.0;
    for (const auto &f : found)
        count += f.has_value();
    for (const auto &f : found)
        if (f) {
            mean.source = Fringes::Source::Picture;
            mean.red = {mean.red.scale + f->red.scale / count, mean.red.bend + f->red.bend / count};
            mean.blue = {mean.blue.scale + f->blue.scale / count, mean.blue.bend + f->blue.bend / count};
        }
    constexpr double kVisible = 0.1; // pixels
    return mean.largestShift(first.width, first.height) >= kVisible ? mean : Fringes{};
}

/// The light of a scene in Rec. 2020 as shot; as shot when the picture is too dark to tell.
WhitePoint guessedWhite(const CodeValues &colour, const Image<float> &scene, const WhitePoint &asShot, ExecContext &ctx)
{
    Image<float> own = copyOf(scene);
    ExecContext turning = ctx.child({});
    applyMatrix(inverse(colour.toRec2020), own.view(), turning);
    try {
        return automaticWhite(colour, own.view());
    } catch (const ArgumentError &) {
        return asShot;
    }
}

/// How the frames that can be compared lie to each other; says of each whether it does.
void findMotions(const Sources &sources, const Recipe &recipe, const Bracket &bracket, PlacedSet &set, ExecContext &ctx)
{
    const BracketFrame &reference = bracket.frames[bracket.reference];
    set.alignment.assign(sources.frames.size(), {});
    std::vector<const BracketFrame *> compared;
    for (const BracketFrame &f : bracket.frames) {
        const bool turned = f.frame->width == reference.frame->height && f.frame->height == reference.frame->width;
        if (!f.frame->isRadiance() && (f.usable || turned))
            compared.push_back(&f);
    }
    if (compared.size() < 2)
        return;
    const int reduction = previewReduction(sources);
    AlignOptions options;
    if (reduction > 1)
        options.enough = 0.03; // they are refined in the full frames
    Recipe ofFrames;           // what is mended in them changes no measurement
    ofFrames.prepare = recipe.prepare;
    ExecContext preparing = ctx.part(0.0, 0.4), aligning = ctx.part(0.4, 1.0);
    std::vector<Guide> guides(compared.size());
    forEachPart(preparing, int(compared.size()), [&](int i, ExecContext &own) {
        const BracketFrame &f = *compared[size_t(i)];
        const DecodedPtr pixels = prepared(sources, *f.frame, preparationOf(f, set, ofFrames), reduction, own);
        guides[size_t(i)] = guideOf({pixels->view(), f.exposure, f.measured.noise}, options.finestPixels, own);
    });
    const size_t wanted = size_t(std::ranges::find(compared, &reference) - compared.begin());
    const auto found = alignFrames(guides, wanted, options, aligning);
    for (size_t i = 0; i < compared.size(); ++i) {
        FrameAlignment a = found[i];
        a.toReference.transform = a.toReference.transform.scaled(reduction);
        a.toReference.residual *= reduction;
        const size_t given = size_t(compared[i]->given - 1);
        set.alignment[given] = a;
        set.frames[given].aligned = a.found;
    }
}

/// Fringes, then motions, by what is known of the frames so far.
PlacedSet placed(const Sources &sources, const Recipe &recipe, const MeasuredSet &known, ExecContext &ctx)
{
    ExecContext looking = ctx.part(0.0, 0.25), moving = ctx.part(0.25, 1.0);
    const Bracket bracket = arrangeBracket(sources.frames, known.frames, recipe.frames);
    PlacedSet out{known, findFringes(sources, bracket, looking), {}};
    findMotions(sources, recipe, bracket, out, moving);
    return out;
}

auto lost(const MeasuredSet &set)
{
    return std::ranges::count_if(set.frames, [](const MeasuredFrame &f) { return !f.aligned.value_or(true); });
}

/// Once more with a guess at the curve; taken where fewer frames are lost by it.
PlacedSet placedByCurve(const Sources &sources, const Recipe &recipe, const Response &curve, PlacedSet set,
                        ExecContext &ctx)
{
    if (!curve.fitted)
        return set;
    MeasuredSet guess = set;
    guess.response = curve;
    Recipe bent = recipe;
    bent.prepare.response = ResponseChoice::Fitted;
    PlacedSet other = placed(sources, bent, guess, ctx);
    if (lost(other) >= lost(set))
        return set;
    other.response = set.response;
    return other;
}

/// Where the frames lie to that one of them which most lie on.
SetPlaces placingOf(const PlacedSet &set, const Bracket &bracket)
{
    SetPlaces out;
    out.maps.resize(set.alignment.size());
    out.reference = size_t(bracket.frames[bracket.reference].given - 1);
    const FrameAlignment &origin = set.alignment[out.reference];
    for (size_t i = 0; i < out.maps.size(); ++i) {
        const FrameAlignment &a = set.alignment[i];
        Transform transform;
        if (i != out.reference) {
            if (!a.found || !origin.found)
                continue;
            transform = a.toReference.transform.after(origin.toReference.transform.inverted());
        }
        out.maps[i] = [transform](double x, double y) {
            const Point p = transform({x, y});
            return std::array{p.x, p.y};
        };
    }
    return out;
}

/// cd/m2 that 0.18 of the scene's light stands for, by what the reference frame says of its exposure: 0.18 of what
/// saturates, 78 lux seconds over the speed, through a lens of q = 0.65 [ISO12232] (from memory).
std::optional<double> luminanceOfGrey(const Bracket &bracket)
{
    const BracketFrame &reference = bracket.frames[bracket.reference];
    const Metadata &m = reference.frame->metadata;
    if (!m.exposureSeconds || !m.fNumber || !m.iso || !(*m.exposureSeconds > 0.0) || !(*m.iso > 0.0))
        return std::nullopt;
    constexpr double kGrey = 0.18, kSaturates = 78.0, kLens = 0.65;
    const double ofFrame = kGrey * kSaturates / kLens * *m.fNumber * *m.fNumber / (*m.exposureSeconds * *m.iso);
    return ofFrame * reference.exposure / bracket.anchorExposure;
}

/// Of a pixel's luminance in the merge, if all frames show it that do not clip; of radiance files nothing is known.
std::function<double(double)> mergedNoise(const Bracket &bracket)
{
    struct Seen {
        double exposure;
        NoiseModel noise;
    };
    std::vector<Seen> frames;
    for (const BracketFrame *f : bracket.used()) {
        if (f->frame->isRadiance())
            return {};
        frames.push_back({f->exposure / bracket.anchorExposure, f->measured.noise});
    }
    return [frames](double light) {
        constexpr double kClips = 0.97, kOfLuminance = 0.75; // root of the sum of the squared weights of Rec. 709
        double certainty = 0.0;
        for (const Seen &f : frames)
            if (const double code = light * f.exposure; code < kClips)
                certainty += f.exposure * f.exposure / f.noise.variance(code);
        return certainty > 0.0 && light > 0.0 ? kOfLuminance / (std::sqrt(certainty) * light) : 0.0;
    };
}

/// Whites, anchor and start of the tone of frames that have been measured and placed.
Measured finished(const Sources &sources, const Recipe &recipe, PlacedSet set, ExecContext &ctx)
{
    // A frame that turned out to be of another scene is no anchor.
    const Bracket bracket = bracketOf(sources, set, 0.0, inForce(recipe, Recipe()));
    Measured out;
    static_cast<PlacedSet &>(out) = std::move(set);
    out.anchorExposure = bracket.anchorExposure;
    out.generation = generationOf(out);
    const CodeValues &colour = bracket.frames[bracket.reference].frame->codeValues;
    Recipe asShot = recipe;
    asShot.white = {};
    asShot.mend = {}; // of the frames alone
    asShot.returnedLight = {};
    asShot.align.local = AlignMode::Off; // nothing here depends on it, and the first picture waits
    const RenderRequest request = measuringRequest(sources, *bracket.frames[bracket.reference].frame);
    const RenderPlan plan(sources, out, asShot);
    ExecContext looking = ctx.part(0.0, 0.95), again = ctx.part(0.95, 1.0);
    const PicturePtr scene = sceneOf(plan, request, looking);
    const MergedPtr merged = mergedOf(plan, request.reduction, again); // made by then
    out.ringsFilled = merged->ringsFilled;
    out.asShot = lightOf(colour, colour.neutral);
    out.automaticWhite = guessedWhite(colour, *scene, out.asShot, again);
    out.tone =
        toneStartOf(scene->view(), {luminanceOfGrey(bracket), mergedNoise(bracket), merged->pixels.clipped.view()});
    return out;
}

} // namespace

Measured analyse(const Sources &sources, const Recipe &recipe, ExecContext &ctx)
{
    ExecContext measuring = ctx.part(0.0, 0.65), again = ctx.part(0.65, 0.7), merging = ctx.part(0.7, 1.0);
    MeasureSources asked;
    asked.decode = [&](const Frame &frame, int reduction, ExecContext &own) {
        return decoded(sources, frame, reduction, own);
    };
    asked.sensor = [&](const Frame &frame, ExecContext &own) { return sensorLook(sources, frame, own); };
    PlacedSet set;
    bool isFinal = false;
    asked.place = [&](const MeasuredSet &rough, const std::function<Response()> &curveByRank, ExecContext &own) {
        if (!isFinal) {
            set = placed(sources, recipe, rough, own);
            if (lost(set) > 0)
                set = placedByCurve(sources, recipe, curveByRank(), std::move(set), own);
        }
        return placingOf(set, arrangeBracket(sources.frames, set.frames, recipe.frames));
    };
    const auto measure = [&](ExecContext &own) {
        MeasuredSet found = measureFrames(sources.frames, asked, own);
        for (size_t i = 0; i < set.frames.size(); ++i)
            found.frames[i].aligned = set.frames[i].aligned;
        static_cast<MeasuredSet &>(set) = std::move(found);
    };
    measure(measuring);
    if (set.alignment.size() != sources.frames.size()) { // nothing was there to be placed
        set = placed(sources, recipe, set, again);
    } else if (const auto before = lost(set); before > 0) {
        // A frame may have been lost because its exposure or the curve was not known yet; what is found then speaks too.
        set = placed(sources, recipe, set, again);
        isFinal = true;
        if (lost(set) < before)
            measure(again);
    }
    return finished(sources, recipe, std::move(set), merging);
}

Measured analyseWith(const Sources &sources, const Recipe &recipe, const MeasuredSet &known, ExecContext &ctx)
{
    ExecContext placing = ctx.part(0.0, 0.5), merging = ctx.part(0.5, 1.0);
    return finished(sources, recipe, placed(sources, recipe, known, placing), merging);
}

} // namespace yolk
