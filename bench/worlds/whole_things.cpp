#include "worlds/whole_things.h"

#include "base/robust.h"
#include "counted_noise.h"
#include "support/pu21.h"
#include "support/synthetic.h"
#include "worlds/luminance.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace yolk::worlds {
namespace {

Image<float> scaled(const Image<float> &image, double factor)
{
    Image<float> out(image.shape());
    for (int c = 0; c < image.planes(); ++c)
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                out.row(c, y)[x] = float(double(image.row(c, y)[x]) * factor);
    return out;
}

/// What makes the light of `got` that of `truth` where nothing moves.
double scaleTo(const Image<float> &got, const Image<float> &truth, const Image<uint8_t> &still)
{
    std::vector<double> ratios;
    for (int y = 0; y < still.height(); y += 3)
        for (int x = 0; x < still.width(); x += 3)
            if (const double a = luminanceAt(got.view(), x, y); still.row(0, y)[x] && a > 0.0)
                ratios.push_back(luminanceAt(truth.view(), x, y) / a);
    return ratios.empty() ? 1.0 : medianOf(ratios);
}

/// A frame as its camera saw it, brought to where the reference's camera sees what is far: what is near lies beside.
Image<float> broughtOnto(const Image<float> &seen, const Pose &from, const Pose &to)
{
    Image<float> out(seen.shape());
    const double cx = seen.width() / 2.0, cy = seen.height() / 2.0;
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            const double dx = (x + 0.5 - cx - to.x) / to.scale, dy = (y + 0.5 - cy - to.y) / to.scale;
            const double qx = std::cos(to.roll) * dx + std::sin(to.roll) * dy;
            const double qy = -std::sin(to.roll) * dx + std::cos(to.roll) * dy;
            const double fx = from.scale * (std::cos(from.roll) * qx - std::sin(from.roll) * qy) + cx + from.x - 0.5;
            const double fy = from.scale * (std::sin(from.roll) * qx + std::cos(from.roll) * qy) + cy + from.y - 0.5;
            const double px = std::clamp(fx, 0.0, seen.width() - 1.001),
                         py = std::clamp(fy, 0.0, seen.height() - 1.001);
            const int u = int(px), v = int(py);
            for (int c = 0; c < seen.planes(); ++c) {
                const float *above = seen.row(c, v) + u, *below = seen.row(c, v + 1) + u;
                out.row(c, y)[x] = std::lerp(std::lerp(above[0], above[1], float(px - u)),
                                             std::lerp(below[0], below[1], float(px - u)), float(py - v));
            }
        }
    return out;
}

/// What is known of every pixel of every state.
class States {
public:
    States(const World &world, const ShotWorld &shot, size_t reference, const MeasuredSet &told, ExecContext &ctx)
        : shot_(shot), told_(told), light_(statesSeenBy(world, shot, reference, ctx)),
          still_(stillMask(light_, reference))
    {
        const Pose &to = world.frames[reference].pose;
        for (size_t i = 0; i < light_.size(); ++i) {
            const Pose &from = world.frames[i].pose;
            brought_.push_back(broughtOnto(shot.seen[i], from, to));
            beside_.push_back({from.aside - to.aside, from.above - to.above});
        }
    }
    size_t count() const { return light_.size(); }
    const Image<float> &operator[](size_t i) const { return light_[i]; }
    const Image<uint8_t> &still() const { return still_; }
    double at(size_t i, int x, int y) const { return luminanceAt(light_[i].view(), x, y); }
    bool moves(int x, int y) const
    {
        for (size_t i = 1; i < count() && !still_.row(0, y)[x]; ++i)
            if (differ(0, i, x, y, 0.05))
                return true;
        return false;
    }
    bool differ(size_t a, size_t b, int x, int y, double share) const
    {
        for (int c = 0; c < 3; ++c) {
            const double u = double(light_[a].row(c, y)[x]), v = double(light_[b].row(c, y)[x]);
            if (std::abs(u - v) > share * std::max(u, v))
                return true;
        }
        return false;
    }
    /// Whether a frame shows its own state there without clipping.
    bool holds(size_t i, int x, int y) const
    {
        constexpr double kClips = 0.95;
        const double clips = kClips * shot_.clipsAt[i] * told_.frames[i].whiteShare;
        for (int c = 0; c < 3; ++c)
            if (double(light_[i].row(c, y)[x]) * told_.frames[i].gains[size_t(c)] >= clips)
                return false;
        return true;
    }
    bool heldBySome(int x, int y) const
    {
        for (size_t i = 0; i < count(); ++i)
            if (holds(i, x, y))
                return true;
        return false;
    }
    double sigmaOf(size_t frame, double light) const
    {
        const double clips = shot_.clipsAt[frame] * told_.frames[frame].whiteShare;
        return std::sqrt(told_.frames[frame].noise.variance(light / clips)) * clips;
    }
    /// Whether some frame may stand there for state `i`.
    bool maySay(size_t i, int x, int y) const
    {
        for (size_t f = 0; f < count(); ++f)
            if (holds(f, x, y) && (f == i || !differ(f, i, x, y, 0.05)))
                return true;
        return false;
    }
    /// Of the least noisy frame that may stand there, for state `i`.
    double leastSigma(size_t i, int x, int y) const
    {
        double out = 1e30;
        for (size_t f = 0; f < count(); ++f)
            if (holds(f, x, y) && (f == i || !differ(f, i, x, y, 0.05)))
                out = std::min(out, sigmaOf(f, at(i, x, y)));
        return out < 1e30 ? out : sigmaOf(i, at(i, x, y));
    }
    /// Of all that state `i` may look like there, what comes nearest: as the reference's camera would have seen it, or
    /// as the frame's own did, as what moved by itself may lie beside by what the hand moved, or by a part of it.
    Vector3 nearestTo(double light, size_t i, int x, int y) const
    {
        Vector3 out = pixelAt(light_[i].view(), x, y);
        const Image<float> &own = brought_[i];
        const double longest = std::max(std::abs(beside_[i].x), std::abs(beside_[i].y));
        const int steps = int(std::ceil(longest));
        for (int s = 0; s <= steps; ++s) {
            const double part = steps > 0 ? double(s) / steps : 0.0;
            const int u = std::clamp(int(std::lround(x + beside_[i].x * part)), 0, own.width() - 1),
                      v = std::clamp(int(std::lround(y + beside_[i].y * part)), 0, own.height() - 1);
            const Vector3 pixel = pixelAt(own.view(), u, v);
            if (std::abs(luminanceOf(pixel) - light) < std::abs(luminanceOf(out) - light))
                out = pixel;
        }
        return out;
    }
    bool shows(double light, size_t i, int x, int y) const
    {
        constexpr double kQuarter = 0.1892; // of the light: 2^(1/4) - 1
        const double truth = luminanceOf(nearestTo(light, i, x, y));
        return std::abs(light - truth) <= std::max(kQuarter * truth, 3.0 * leastSigma(i, x, y));
    }
    /// Whether nobody can take one state for the other.
    bool farApart(size_t i, size_t j, int x, int y) const
    {
        const double a = at(i, x, y), b = at(j, x, y);
        return std::abs(a - b) > std::max(0.5 * std::max(a, b), 3.0 * (leastSigma(i, x, y) + leastSigma(j, x, y)));
    }
    size_t nearest(double light, int x, int y) const
    {
        size_t out = 0;
        for (size_t i = 1; i < count(); ++i)
            if (std::abs(light - at(i, x, y)) < std::abs(light - at(out, x, y)))
                out = i;
        return out;
    }

private:
    const ShotWorld &shot_;
    const MeasuredSet &told_;
    std::vector<Image<float>> light_, brought_;
    std::vector<Point> beside_; ///< how far the nearest things of a frame lie from where the reference has them
    Image<uint8_t> still_;
};

/// Things that travel, at the moment of each frame: whether `got` shows them whole.
void countThings(const World &world, const States &states, const Image<float> &got, size_t reference, WholeVerdict &out)
{
    const std::vector<Leaf> leaves = growLeaves(world.scene);
    for (size_t l = 0; l < leaves.size(); ++l) {
        if (leaves[l].stepX == 0.0 && leaves[l].stepY == 0.0)
            continue;
        for (size_t i = 0; i < states.count(); ++i) {
            const Image<uint8_t> cover = coverOf(leaves, l, world.scene, world.frames[reference].pose, double(i));
            double shown = 0.0, count = 0.0;
            for (int y = 0; y < cover.height(); ++y)
                for (int x = 0; x < cover.width(); ++x) {
                    if (!cover.row(0, y)[x])
                        continue;
                    // Only where nobody can take another state for it.
                    bool alone = true, held = states.holds(i, x, y);
                    for (size_t j = 0; j < states.count() && alone; ++j)
                        alone = j == i || (states.farApart(i, j, x, y) && !states.shows(states.at(i, x, y), j, x, y));
                    if (!alone || !held)
                        continue;
                    count += 1.0;
                    shown += states.shows(luminanceAt(got.view(), x, y), i, x, y);
                }
            constexpr double kFewest = 100.0; // pixels
            if (count < kFewest)
                continue;
            ++out.things;
            out.parts += shown > 0.02 * count && shown < 0.98 * count;
        }
    }
}

Sources sourcesOf(const ShotWorld &shot)
{
    Sources out{{}, std::make_shared<StageCache>(size_t(2) << 30)};
    out.keepFrames = true;
    for (const std::string &path : shot.paths)
        out.frames.push_back(loadFrame(path));
    return out;
}

void removeFiles(const ShotWorld &shot)
{
    for (const std::string &path : shot.paths)
        std::filesystem::remove(path);
}

} // namespace

double sameAsFirstPicture(const World &world, const std::string &folder, ExecContext &ctx)
{
    ExecContext shooting = ctx.child({}), analysing = ctx.child({}), merging = ctx.child({});
    const ShotWorld shot = shoot(world, folder, shooting);
    const Sources sources = sourcesOf(shot);
    const int reduction = previewReduction(sources);
    const Measured measured = analyse(sources, {}, analysing);
    const RenderPlan plan(sources, measured, {});
    const MergedPtr first = mergedOf(plan, reduction, merging), full = mergedOf(plan, 1, merging);
    removeFiles(shot);
    double moved = 0.0, same = 0.0;
    for (int y = 0; y < full->fullHeight; ++y)
        for (int x = 0; x < full->fullWidth; ++x) {
            const int frame = full->movement.frameAt(x, y);
            moved += frame >= 0;
            same += frame >= 0 && frame == first->movement.frameAt(x / reduction, y / reduction);
        }
    return moved > 0.0 ? same / moved : 1.0;
}

WholeVerdict judgeWhole(const World &world, KeeperChoice choice, const std::string &folder, ExecContext &ctx,
                        Image<uint8_t> *misses)
{
    ExecContext shooting = ctx.child({}), analysing = ctx.child({}), merging = ctx.child({}), again = ctx.child({});
    const ShotWorld shot = shoot(world, folder, shooting);
    const Sources sources = sourcesOf(shot);
    Recipe recipe;
    const size_t byHand = demo::hashed(world.seed + 5) % sources.frames.size();
    if (choice == KeeperChoice::ByHand)
        recipe.frames.keeper = sources.frames[byHand]->id;
    const Measured measured = analyse(sources, recipe, analysing);
    const RenderPlan plan(sources, measured, recipe);
    const Matrix3 to709 = rgbToRgb(kRec2020, kRec709);
    const MergedPtr merged = mergedOf(plan, 1, merging);
    const Image<float> raw = test::converted(*sceneOf(plan, {}, again), to709);
    const auto used = plan.bracket.used();
    const auto givenOf = [&](size_t index) { return size_t(used[index]->given - 1); };
    const auto reference = size_t(plan.bracket.frames[plan.bracket.reference].given - 1);
    MeasuredSet told; // noise and clipping as they are
    told.frames = measured.frames;
    told = toldTruth(world, shot, told);
    ExecContext rendering = ctx.child({});
    const States states(world, shot, reference, told, rendering);
    const Image<float> got = scaled(raw, scaleTo(raw, states[reference], states.still()));

    WholeVerdict out;
    if (misses)
        *misses = Image<uint8_t>(got.width(), got.height(), 1);
    Image<float> truth = scaled(states[reference], 1.0);
    double moving = 0.0, whole = 0.0, held = 0.0, obeyed = 0.0;
    std::vector<double> noise;
    for (int y = 0; y < got.height(); ++y)
        for (int x = 0; x < got.width(); ++x) {
            if (!states.moves(x, y) || !states.heldBySome(x, y))
                continue; // nobody can know
            const double light = luminanceAt(got.view(), x, y);
            const int says = merged->movement.frameAt(x, y);
            const size_t state = says >= 0 ? givenOf(size_t(says)) : states.nearest(light, x, y);
            if (choice == KeeperChoice::ByHand && state == byHand && !states.maySay(state, x, y))
                continue; // somebody wants it, and nobody has it
            const bool shows = states.shows(light, state, x, y);
            moving += 1.0;
            whole += shows;
            if (misses)
                misses->row(0, y)[x] = uint8_t(shows ? 1 : 2);
            if (shows)
                noise.push_back(std::abs(light - luminanceOf(states.nearestTo(light, state, x, y))) /
                                states.leastSigma(state, x, y));
            const Vector3 nearest = states.nearestTo(light, state, x, y);
            for (int c = 0; c < 3; ++c)
                truth.row(c, y)[x] = float(nearest[size_t(c)]);
            if (choice == KeeperChoice::ByHand && states.holds(byHand, x, y)) {
                held += 1.0;
                obeyed += states.shows(light, byHand, x, y);
            }
        }
    if (moving > 0.0)
        out.whole = whole / moving;
    if (held > 0.0)
        out.obeyed = obeyed / held;
    if (!noise.empty())
        out.noise = medianOf(noise) / 0.6745;
    countThings(world, states, got, reference, out);
    out.score = test::pu21Psnr(got.view(), truth.view());
    Sources one{{sources.frames[givenOf(merged->movement.keeper)]}, std::make_shared<StageCache>(size_t(1) << 30)};
    ExecContext looking = ctx.child({}), showing = ctx.child({});
    const Measured alone = analyse(one, {}, looking);
    const Image<float> keeper = test::converted(*sceneOf(RenderPlan(one, alone, {}), {}, showing), to709);
    const Image<float> &own = shot.seen[givenOf(merged->movement.keeper)];
    Image<uint8_t> all(own.width(), own.height(), 1);
    for (int y = 0; y < all.height(); ++y)
        std::fill_n(all.row(0, y), all.width(), uint8_t(1));
    out.single = test::pu21Psnr(scaled(keeper, scaleTo(keeper, own, all)).view(), own.view());
    removeFiles(shot);
    return out;
}

} // namespace yolk::worlds
