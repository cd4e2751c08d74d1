#include "render/stages/align_stage.h"

#include "align/common_area.h"
#include "align/local_motion.h"
#include "align/trust.h"
#include "movement/moved_ground.h"
#include "render/plan/render_plan.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kFullPixels = 8e6;    // of the level that full-size motions are refined at
constexpr double kLocalPixels = 2.2e6; // of the level that near and far are told apart at

std::vector<DecodedPtr> preparedFrames(const Sources &sources, const std::vector<const BracketFrame *> &used,
                                       const Measured &measured, const Recipe &recipe, int reduction, ExecContext &ctx)
{
    std::vector<DecodedPtr> out(used.size());
    forEachPart(ctx, int(used.size()), [&](int i, ExecContext &own) {
        const BracketFrame &f = *used[size_t(i)];
        out[size_t(i)] = prepared(sources, *f.frame, preparationOf(f, measured, recipe), reduction, own);
    });
    return out;
}

/// Side of the blocks, in pixels, that near and far are told apart by.
int localStep(Shape shape)
{
    int out = 1;
    while (double(shape.pixels()) / (double(out) * out) > kLocalPixels)
        out *= 2;
    return out;
}

std::vector<FrameAlignment> scaled(std::vector<FrameAlignment> alignment, double factor)
{
    for (FrameAlignment &a : alignment) {
        a.toReference.transform = a.toReference.transform.scaled(factor);
        a.toReference.residual *= factor;
    }
    return alignment;
}

/// Frames as they lie to the reference, from where all lie to some other.
std::vector<FrameAlignment> alignmentIn(const Bracket &bracket, const Measured &measured, const AlignSettings &settings)
{
    const auto used = bracket.used();
    std::vector<FrameAlignment> out(used.size());
    const BracketFrame &reference = bracket.frames[bracket.reference];
    if (settings.mode == AlignMode::Off || measured.alignment.empty())
        return out;
    const FrameAlignment &origin = measured.alignment[size_t(reference.given - 1)];
    for (size_t i = 0; i < used.size(); ++i) {
        const FrameAlignment &a = measured.alignment[size_t(used[i]->given - 1)];
        if (used[i] == &reference) {
            out[i].found = true;
            out[i].toReference.agreement = out[i].toReference.overlap = 1.0;
        } else if (a.found && origin.found) {
            out[i] = a;
            out[i].toReference.transform = a.toReference.transform.after(origin.toReference.transform.inverted());
        }
    }
    return out;
}

class SetAligner {
public:
    SetAligner(const std::vector<const BracketFrame *> &used, size_t reference, std::vector<DecodedPtr> pixels,
               const AlignSettings &settings, int reduction)
        : used_(used), reference_(reference), settings_(settings), reduction_(reduction)
    {
        out_.reduction = reduction;
        out_.pixels = std::move(pixels);
        out_.trust.resize(used.size());
        out_.displacements.resize(used.size());
        out_.believed.assign(used.size(), 1.0);
    }

    /// `first`: the same frames at a reduction at which displacements are looked for in as many pixels as here, which
    /// are taken from there; nullptr: they are looked for.
    AlignedSet run(const std::vector<FrameAlignment> &known, const AlignedSet *first, ExecContext &ctx)
    {
        out_.alignment = known;
        const bool refines = reduction_ == 1 || settings_.model != ModelChoice::Automatic;
        const Shape shape = out_.pixels[reference_]->shape();
        const bool oneShape = std::ranges::all_of(out_.pixels, [&](const auto &p) { return p->shape() == shape; });
        if (oneShape && std::ranges::count_if(known, &FrameAlignment::found) < 2)
            return std::move(out_);
        ExecContext looking = ctx.part(0.0, 0.2), refining = ctx.part(0.2, 0.5), moving = ctx.part(0.5, 1.0);
        std::vector<FrameAlignment> here = scaled(known, 1.0 / reduction_);
        std::vector<Guide> guides;
        for (size_t i = 0; i < used_.size(); ++i) {
            ExecContext own = looking.part(double(i) / double(used_.size()), double(i + 1) / double(used_.size()));
            guides.push_back(
                guideOf({out_.pixels[i]->view(), used_[i]->exposure, used_[i]->measured.noise}, kFullPixels, own));
        }
        if (refines)
            here = refineAlignment(guides, reference_, here, {settings_.model, kFullPixels}, refining);
        refining.report(1.0);
        out_.alignment = scaled(here, reduction_);
        moveAll(guides, here, first, moving);
        return std::move(out_);
    }

private:
    /// From the reference outwards, darker frames first: they show what clips in it.
    void moveAll(const std::vector<Guide> &guides, const std::vector<FrameAlignment> &here, const AlignedSet *first,
                 ExecContext &ctx)
    {
        std::vector<size_t> order;
        for (size_t i = reference_; i-- > 0;)
            order.push_back(i);
        for (size_t i = reference_ + 1; i < used_.size(); ++i)
            order.push_back(i);
        std::erase_if(order, [&](size_t i) {
            const bool moves = here[i].found && !here[i].toReference.transform.isIdentity();
            return !moves && out_.pixels[i]->shape() == out_.pixels[reference_]->shape();
        });
        ExecContext following = ctx.part(0.0, 0.6), warping = ctx.part(0.6, 1.0);
        out_.displacements = first ? enlargedAll(*first, here, order) : followAll(guides, here, order, following);
        for (size_t k = 0; k < order.size(); ++k) {
            ExecContext own = warping.part(double(k) / double(order.size()), double(k + 1) / double(order.size()));
            move(order[k], here[order[k]].toReference.transform, out_.displacements[order[k]], own);
            own.report(1.0);
        }
    }

    std::vector<Displacements> enlargedAll(const AlignedSet &first, const std::vector<FrameAlignment> &here,
                                           const std::vector<size_t> &order) const
    {
        std::vector<Displacements> out(here.size());
        for (size_t i : order)
            if (const Displacements &small = first.displacements[i]; !small.empty())
                out[i] = enlarged(small, first.reduction / double(reduction_),
                                  first.alignment[i].toReference.transform.scaled(1.0 / reduction_),
                                  here[i].toReference.transform);
        return out;
    }

    /// How near and far moved beside the transforms; nothing of what walked about.
    std::vector<Displacements> followAll(const std::vector<Guide> &guides, const std::vector<FrameAlignment> &here,
                                         const std::vector<size_t> &order, ExecContext &ctx)
    {
        std::vector<Displacements> out(used_.size());
        if (settings_.local == AlignMode::Off || order.empty())
            return out;
        const int level = guides[reference_].levelOf(kLocalPixels);
        LocalMotion local(guides[reference_], level);
        const double steps = 2.0 * double(order.size()) + 1.0; // found, then finished; the last: what moved
        for (size_t k = 0; k < order.size(); ++k) {
            ExecContext own = ctx.part(double(k) / steps, double(k + 1) / steps);
            local.find(guides[order[k]], here[order[k]].toReference.transform, own);
            own.report(1.0);
        }
        for (size_t k = 0; k < order.size(); ++k) {
            out[order[k]] = local.finish(k, guides[order[k]], here[order[k]].toReference.transform, ctx);
            ctx.report(double(order.size() + k + 1) / steps);
        }
        // A thing that was followed looks as if it had stayed, but bent: it shows fully only once it is not followed.
        const Shape shape = guides[reference_].levels[size_t(level)].light.shape();
        constexpr int kRounds = 2;
        for (int round = 0; round < kRounds; ++round) {
            std::vector<GroundFrame> frames(used_.size());
            ExecContext seeing = ctx.child({});
            forEachPart(seeing, int(frames.size()), [&](int part, ExecContext &own) {
                const size_t i = size_t(part);
                const Guide &g = guides[i];
                frames[i] = {seenLevel(g, level, here[i].toReference.transform, out[i], shape, own),
                             g.variance(1.0, level) - g.variance(0.0, level), g.variance(0.0, level)};
            });
            const std::vector<MovedGround> ground = movedGround(frames, reference_, ctx);
            for (size_t i : order)
                if (!ground[i].moved.shape().empty())
                    bridge(out[i], ground[i].moved, ground[i].cell, ctx);
        }
        return out;
    }

    void move(size_t i, const Transform &transform, const Displacements &displacements, ExecContext &ctx)
    {
        ExecContext own = ctx.child({});
        const Shape shape = out_.pixels[reference_]->shape();
        // The least exposed frame has none darker to stand in for it.
        const ClippedRim rim = i == 0 ? ClippedRim::Believe : ClippedRim::Drop;
        Warped warped =
            warpFrame(out_.pixels[i]->view(), transform, displacements, shape.width, shape.height, rim, own);
        out_.pixels[i] = std::make_shared<const Image<uint16_t>>(std::move(warped.codes));
        if (settings_.local == AlignMode::On) {
            const auto side = [&](size_t k) {
                return AlignedFrame{out_.pixels[k]->view(),
                                    out_.trust[k] ? out_.trust[k]->view() : ImageView<const uint8_t>{},
                                    used_[k]->exposure, used_[k]->measured.noise};
            };
            const size_t neighbour = i < reference_ ? i + 1 : i - 1;
            for (const size_t known : {reference_, neighbour}) {
                AlignedFrame frame = side(i);
                frame.trust = warped.trust.view();
                if (out_.pixels[known]->shape() == shape)
                    warped.trust = doubted(frame, side(known), own);
                if (neighbour == reference_)
                    break;
            }
        }
        long long covered = 0, believed = 0;
        for (int y = 0; y < shape.height; ++y)
            for (int x = 0; x < shape.width; ++x) {
                const uint8_t t = warped.trust.row(0, y)[x];
                covered += t != kNotCovered;
                believed += t > kBelieved / 2;
            }
        out_.believed[i] = covered > 0 ? double(believed) / double(covered) : 0.0;
        out_.trust[i] = std::make_shared<const Image<uint8_t>>(std::move(warped.trust));
    }

    const std::vector<const BracketFrame *> &used_;
    size_t reference_;
    AlignSettings settings_;
    int reduction_;
    AlignedSet out_;
};

} // namespace

size_t AlignedSet::bytes() const
{
    size_t out = 0;
    for (const DecodedPtr &p : pixels)
        out += p->bytes();
    for (const auto &t : trust)
        out += t ? t->bytes() : 0;
    for (const Displacements &d : displacements)
        out += d.field.bytes();
    return out;
}

std::shared_ptr<const AlignedSet> alignedSet(const RenderPlan &plan, int reduction, ExecContext &ctx)
{
    const Bracket &bracket = plan.bracket;
    const AlignSettings &settings = plan.recipe.align;
    const auto used = bracket.used();
    const auto make = [&](ExecContext &own) {
        ExecContext decoding = own.part(0.0, 0.7), aligning = own.part(0.7, 1.0);
        const size_t reference = size_t(std::ranges::find(used, &bracket.frames[bracket.reference]) - used.begin());
        const int preview = previewReduction(plan.sources);
        std::shared_ptr<const AlignedSet> first;
        const Shape whole{plan.reference().width, plan.reference().height, 1};
        if (settings.local == AlignMode::On && reduction < preview && localStep(whole) == preview) {
            ExecContext looking = own.child({});
            first = alignedSet(plan, preview, looking);
        }
        auto pixels = preparedFrames(plan.sources, used, plan.measured, plan.recipe, reduction, decoding);
        return SetAligner(used, reference, std::move(pixels), settings, reduction)
            .run(alignmentIn(bracket, plan.measured, settings), first.get(), aligning);
    };
    if (settings.mode == AlignMode::Off || (reduction == 1 && !plan.sources.keepFrames))
        return std::make_shared<const AlignedSet>(make(ctx));
    return plan.sources.cache->get<AlignedSet>(plan.alignedKey(reduction), ctx, make,
                                               [](const AlignedSet &set) { return set.bytes(); });
}

Rect croppedArea(const RenderPlan &plan)
{
    const Frame &reference = plan.reference();
    if (plan.recipe.geometry.crop == CropMode::Whole)
        return {0, 0, reference.width, reference.height};
    const auto used = plan.bracket.used();
    const auto alignment = alignmentIn(plan.bracket, plan.measured, plan.recipe.align);
    std::vector<Placed> placed;
    for (size_t i = 0; i < used.size(); ++i)
        placed.push_back({alignment[i].toReference.transform, used[i]->frame->width, used[i]->frame->height});
    return commonArea(reference.width, reference.height, placed);
}

Rect pictureArea(const RenderPlan &plan)
{
    const GeometrySettings &s = plan.recipe.geometry;
    const PictureMap &map = plan.map;
    const double w = map.width(), h = map.height();
    const auto ordered = [](double a, double b) { return std::pair(std::min(a, b), std::max(a, b)); };
    const auto [left, right] = ordered(s.left, s.right);
    const auto [top, bottom] = ordered(s.top, s.bottom);
    RealRect area{left * w, top * h, right * w, bottom * h};
    const RealRect kept = realOf(croppedArea(plan));
    if (map.isIdentity())
        area = {std::max(area.x0, kept.x0), std::max(area.y0, kept.y0), std::min(area.x1, kept.x1),
                std::min(area.y1, kept.y1)};
    else if (s.corners == Corners::Cut)
        area = map.covered(area, kept);
    constexpr double kOnEdge = 1e-6; // pixels: what lies on an edge within this does so
    Rect out{int(std::ceil(area.x0 - kOnEdge)), int(std::ceil(area.y0 - kOnEdge)), int(std::floor(area.x1 + kOnEdge)),
             int(std::floor(area.y1 + kOnEdge))};
    out.x0 = std::clamp(out.x0, 0, map.width() - 1);
    out.y0 = std::clamp(out.y0, 0, map.height() - 1);
    out.x1 = std::clamp(out.x1, out.x0 + 1, map.width());
    out.y1 = std::clamp(out.y1, out.y0 + 1, map.height());
    return out;
}

Transform transformBetween(const std::string &from, const std::string &to, const Sources &sources,
                           const Measured &measured)
{
    const auto aligned = [&](const std::string &id) -> const FrameAlignment * {
        const auto at = std::ranges::find(sources.frames, id, [](const FramePtr &f) { return f->id; });
        const size_t i = size_t(at - sources.frames.begin());
        return i < measured.alignment.size() && measured.alignment[i].found ? &measured.alignment[i] : nullptr;
    };
    const FrameAlignment *a = aligned(from), *b = aligned(to);
    if (from == to || !a || !b)
        return {};
    return b->toReference.transform.after(a->toReference.transform.inverted());
}

} // namespace yolk
