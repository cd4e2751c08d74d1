#include "render/stages/dust_stage.h"

#include "io/linear_codes.h"
#include "mend/speck_shape.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kPixels = 6.5e6; // that dust is looked for in
constexpr uint8_t kHalfBelieved = (kNotBelieved + kBelieved) / 2;

struct Disc {
    Point at;
    double radius;
    double speckRadius, depth; ///< 0: not known, and nothing was given back
};

Rect boxOf(const Disc &disc, int width, int height)
{
    const auto low = [&](double v, int most) { return std::clamp(int(std::floor(v - disc.radius)), 0, most); };
    const auto high = [&](double v, int most) { return std::clamp(int(std::ceil(v + disc.radius)) + 1, 0, most); };
    return {low(disc.at.x, width), low(disc.at.y, height), high(disc.at.x, width), high(disc.at.y, height)};
}

bool isIn(const std::vector<Disc> &discs, int x, int y)
{
    return std::ranges::any_of(
        discs, [&](const Disc &d) { return std::hypot(x + 0.5 - d.at.x, y + 0.5 - d.at.y) < d.radius; });
}

/// Where a frame that was brought onto the reference shows what lies on its sensor.
Point placeOf(const DustSpot &spot, const Transform &back, const Displacements &displacements, int reduction)
{
    const Point onSensor{spot.x / reduction, spot.y / reduction}, near = back(onSensor);
    if (displacements.empty())
        return near;
    const Point beside = displacements.at(near);
    return back({onSensor.x - beside.x, onSensor.y - beside.y});
}

/// How far light that was given back may be believed, beside that of a clean frame: by its noise against how far a fitted
/// depth may be off.
double beliefIn(const Disc &disc, int x, int y, uint16_t code, const NoiseModel &noise)
{
    constexpr double kMayBeOff = 0.25; // of the depth: a fit of five deviations, and a shape that differs by 15 %
    const double dx = (x + 0.5 - disc.at.x) / disc.speckRadius, dy = (y + 0.5 - disc.at.y) / disc.speckRadius;
    const double off = kMayBeOff * disc.depth * speckShape(dx * dx + dy * dy), light = double(linearOfCode(code));
    const double variance = noise.variance(light), wrong = std::pow(off * light, 2.0);
    return wrong > 0.0 ? variance / (variance + wrong) : 1.0;
}

/// Neither clipped nor lost in noise.
class Holds {
public:
    Holds(const Image<uint16_t> &codes, const NoiseModel &noise) : codes_(codes)
    {
        constexpr double kSnr = 3.0, kHeld = 0.85; // of a pixel; of clipping, well below where the merge lets go
        least_ = codeOfLinear(noise.levelOfSnr(kSnr));
        most_ = codeOfLinear(kHeld);
    }
    bool at(int x, int y) const
    {
        return codes_.row(1, y)[x] >= least_ &&
               std::max({codes_.row(0, y)[x], codes_.row(1, y)[x], codes_.row(2, y)[x]}) < most_;
    }

private:
    const Image<uint16_t> &codes_;
    uint16_t least_, most_;
};

} // namespace

std::vector<FoundDust> dustOf(const RenderPlan &plan, ExecContext &ctx)
{
    const Frame &reference = plan.reference();
    if (reference.isRadiance())
        return {};
    int reduction = 1;
    while (double(reference.width) * reference.height / reduction / reduction > kPixels)
        reduction *= 2;
    ExecContext aligning = ctx.part(0.0, 0.6), looking = ctx.part(0.6, 1.0), quiet = ctx.child({});
    const std::shared_ptr<const AlignedSet> aligned = alignedSet(plan, reduction, aligning);
    const auto used = plan.bracket.used();
    std::vector<DustFrame> frames;
    for (size_t i = 0; i < used.size(); ++i) {
        if (used[i]->frame->width != reference.width || used[i]->frame->height != reference.height)
            continue;
        frames.push_back(
            {guideOf({aligned->pixels[i]->view(), used[i]->exposure, used[i]->measured.noise}, kPixels, quiet),
             aligned->alignment[i].toReference.transform.scaled(1.0 / reduction), &aligned->displacements[i],
             aligned->trust[i].get()});
    }
    if (frames.empty())
        return {};
    std::vector<FoundDust> out = findDust(frames, looking);
    for (FoundDust &found : out) {
        found.spot.x *= reduction;
        found.spot.y *= reduction;
        found.spot.radius *= reduction;
    }
    return out;
}

std::shared_ptr<const AlignedSet> withoutDust(const RenderPlan &plan, std::shared_ptr<const AlignedSet> aligned,
                                              int reduction, ExecContext &ctx)
{
    constexpr double kWider = 1.15, kBeyond = 1.0; // what a speck's shape leaves out; pixels
    const SharedList<DustSpot> &dust = plan.recipe.mend.dust;
    if (std::none_of(dust.begin(), dust.end(), [](const DustSpot &spot) { return spot.on; }))
        return aligned;
    const auto used = plan.bracket.used();
    const Shape shape = aligned->pixels.front()->shape();
    std::vector<std::vector<Disc>> discs(used.size());
    std::vector<Holds> holds;
    for (size_t i = 0; i < used.size(); ++i) {
        const Transform back = aligned->alignment[i].toReference.transform.scaled(1.0 / reduction).inverted();
        holds.emplace_back(*aligned->pixels[i], used[i]->measured.noise);
        for (const DustSpot &spot : dust)
            if (spot.on)
                discs[i].push_back({placeOf(spot, back, aligned->displacements[i], reduction),
                                    kWider * spot.radius / reduction + kBeyond, spot.radius / reduction, spot.depth});
    }
    const auto isClean = [&](size_t i, int x, int y, uint8_t least) {
        const auto &trust = aligned->trust[i];
        return holds[i].at(x, y) && (!trust || trust->row(0, y)[x] >= least) && !isIn(discs[i], x, y);
    };
    std::vector<Image<uint8_t>> trust;
    for (size_t i = 0; i < used.size(); ++i) {
        if (aligned->pixels[i]->shape() != shape)
            return aligned; // they are not merged pixel by pixel
        Image<uint8_t> &own = trust.emplace_back(shape.width, shape.height, 1);
        for (int y = 0; y < shape.height; ++y)
            if (aligned->trust[i])
                std::copy_n(aligned->trust[i]->row(0, y), shape.width, own.row(0, y));
            else
                std::fill_n(own.row(0, y), shape.width, kBelieved);
    }
    for (size_t i = 0; i < used.size(); ++i) {
        ctx.throwIfStopped();
        for (const Disc &disc : discs[i]) {
            const Rect box = boxOf(disc, shape.width, shape.height);
            for (int y = box.y0; y < box.y1; ++y)
                for (int x = box.x0; x < box.x1; ++x) {
                    if (std::hypot(x + 0.5 - disc.at.x, y + 0.5 - disc.at.y) >= disc.radius)
                        continue;
                    // A frame that is not believed where dust still shows may contradict nothing but that.
                    const bool stillShows = disc.depth == 0.0;
                    bool stands = false;
                    for (size_t k = 0; k < used.size(); ++k)
                        if (k != i && isClean(k, x, y, stillShows ? kNotBelieved : kHalfBelieved)) {
                            if (stillShows)
                                trust[k].row(0, y)[x] = kBelieved;
                            stands = true;
                        }
                    uint8_t &own = trust[i].row(0, y)[x];
                    if (stands && stillShows)
                        own = kNotCovered;
                    else if (stands && own > kNotBelieved)
                        own = uint8_t(kNotBelieved + std::lround(double(own - kNotBelieved) *
                                                                 beliefIn(disc, x, y, aligned->pixels[i]->row(1, y)[x],
                                                                          used[i]->measured.noise)));
                }
        }
    }
    auto out = std::make_shared<AlignedSet>(); // without displacements: nobody asks for them after this
    out->pixels = aligned->pixels;
    out->alignment = aligned->alignment;
    out->believed = aligned->believed;
    for (Image<uint8_t> &own : trust)
        out->trust.push_back(std::make_shared<const Image<uint8_t>>(std::move(own)));
    return out;
}

} // namespace yolk
