#include "render/views/inspect.h"

#include "colour/oklab.h"
#include "image/copy.h"
#include "io/linear_codes.h"
#include "render/stages/align_stage.h"
#include "render/stages/lamp_stage.h"
#include "render/stages/scene_stage.h"
#include "render/views/picture.h"
#include "render/views/through_map.h"
#include "tone/tone_curve.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

constexpr double kRec709Luminance[3] = {0.2126, 0.7152, 0.0722}; // [BT709]

double luminanceOf(const Image<float> &rgb, int x, int y)
{
    double out = 0.0;
    for (int c = 0; c < 3; ++c)
        out += double(kLuminance2020[size_t(c)]) * double(rgb.row(c, y)[x]);
    return out;
}

void toScreen(Image<float> &rec2020, ExecContext &ctx)
{
    const OklabSpace screen(kRec709);
    const Matrix3 m = rgbToRgb(kRec2020, kRec709);
    forEachBand(ctx, rec2020.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < rec2020.width(); ++x) {
                Vector3 rgb = m * Vector3{rec2020.row(0, y)[x], rec2020.row(1, y)[x], rec2020.row(2, y)[x]};
                const bool inside = std::ranges::all_of(rgb, [](double v) { return v >= 0.0 && v <= 1.0; });
                if (!inside)
                    rgb = mapIntoGamut(rgb, screen);
                for (int c = 0; c < 3; ++c)
                    rec2020.row(c, y)[x] = float(rgb[size_t(c)]);
            }
    });
}

void lightView(Inspected &out, double exposureEv, ExecContext &ctx)
{
    const float scale = float(std::exp2(exposureEv));
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        for (int c = 0; c < 3; ++c)
            for (int y = y0; y < y1; ++y)
                for (int x = 0; x < out.display.width(); ++x) // cut as a display would
                    out.display.row(c, y)[x] = std::clamp(out.display.row(c, y)[x] * scale, 0.0f, 1.0f);
    });
    toScreen(out.display, ctx);
}

/// Stops of the window become even steps of coded lightness; colour keeps its ratios as far as the display holds them.
void peekView(Inspected &out, double lowEv, double highEv, ExecContext &ctx)
{
    constexpr double kDark = 0.06, kLight = 0.94; // coded; what lies beyond the window is flat there, and hatched
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.display.width(); ++x) {
                const double luminance = luminanceOf(out.display, x, y);
                const double t = (evOfLuminance(luminance) - lowEv) / (highEv - lowEv);
                const double coded = kDark + std::clamp(t, 0.0, 1.0) * (kLight - kDark);
                const double wanted = std::pow((coded + 0.055) / 1.055, 2.4); // sRGB
                const bool beyond = !(t >= 0.0 && t <= 1.0);
                out.hatch.row(0, y)[x] = uint8_t(!beyond ? Hatch::None : t > 1.0 ? Hatch::Above : Hatch::Below);
                for (int c = 0; c < 3; ++c) {
                    float &v = out.display.row(c, y)[x];
                    v = float(beyond || luminance <= 0.0 ? wanted : std::max(0.0, double(v)) * wanted / luminance);
                }
            }
    });
    toScreen(out.display, ctx);
}

/// What lies under a pixel of the view in the merge.
struct Footprint {
    double x0, y0, stepX, stepY; ///< in merged pixels
    int width, height;           ///< of the merge
    Rect at(int x, int y) const
    {
        const auto span = [](double from, double step, int i, int size) {
            const int first = std::clamp(int(from + step * i), 0, size - 1);
            return std::pair(first, std::clamp(int(std::ceil(from + step * (i + 1) - 1e-9)), first + 1, size));
        };
        const auto [left, right] = span(x0, stepX, x, width);
        const auto [top, bottom] = span(y0, stepY, y, height);
        return {left, top, right, bottom};
    }
    /// Up to four merged pixels spread over it.
    template <class Visit> void sample(int x, int y, Visit &&visit) const
    {
        const Rect r = at(x, y);
        const int dx = std::max(1, r.width() / 2), dy = std::max(1, r.height() / 2);
        for (int v = r.y0 + dy / 2; v < r.y1; v += dy)
            for (int u = r.x0 + dx / 2; u < r.x1; u += dx)
                visit(u, v);
    }
};

Footprint footprintOf(const MergedSet &set, const RenderRequest &request)
{
    RealRect region = request.region;
    if (region == RealRect{})
        region = {0, 0, double(set.fullWidth), double(set.fullHeight)};
    const double r = set.reduction;
    return {region.x0 / r,
            region.y0 / r,
            (region.x1 - region.x0) / r / request.width,
            (region.y1 - region.y0) / r / request.height,
            set.pixels.radiance.width(),
            set.pixels.radiance.height()};
}

void markClipped(const MergedSet &set, const Footprint &under, Inspected &out, ExecContext &ctx)
{
    if (set.clippedShare == 0.0)
        return;
    forEachBand(ctx, out.hatch.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.hatch.width(); ++x) {
                const Rect r = under.at(x, y);
                bool clipped = false;
                for (int v = r.y0; v < r.y1 && !clipped; ++v)
                    clipped = std::any_of(set.pixels.clipped.row(0, v) + r.x0, set.pixels.clipped.row(0, v) + r.x1,
                                          [](uint8_t c) { return c != 0; });
                if (clipped)
                    out.hatch.row(0, y)[x] = uint8_t(Hatch::Clipped);
            }
    });
}

/// How bright a place is drawn under its colour, so that the picture can still be made out: 0.55 .. 1 over 12 stops.
double shade(double ev)
{
    return std::clamp(0.85 + ev / 12.0 * 0.45, 0.55, 1.0);
}

void sourcesView(const MergedSet &set, const Footprint &under, Inspected &out, ExecContext &ctx)
{
    const Image<uint8_t> &shares = set.pixels.shares;
    std::vector<Vector3> colours;
    for (int i = 0; i < shares.planes(); ++i)
        colours.push_back(sourceColour(i, shares.planes()));
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.display.width(); ++x) {
                Vector3 sum{};
                double weight = 0.0;
                under.sample(x, y, [&](int u, int v) {
                    for (int i = 0; i < shares.planes(); ++i) {
                        const double share = shares.row(i, v)[u];
                        weight += share;
                        for (size_t c = 0; c < 3; ++c)
                            sum[c] += share * colours[size_t(i)][c];
                    }
                });
                const double light = shade(evOfLuminance(luminanceOf(out.display, x, y)));
                for (size_t c = 0; c < 3; ++c) // clipped everywhere: no frame's colour
                    out.display.row(int(c), y)[x] = float(light * (weight > 0.0 ? sum[c] / weight : 0.5));
            }
    });
}

void noiseView(const MergedSet &set, const Footprint &under, Inspected &out, ExecContext &ctx)
{
    // Luminance as a sum of the merge's own channels.
    Vector3 weights{};
    for (int k = 0; k < 3; ++k)
        for (int c = 0; c < 3; ++c)
            weights[size_t(k)] += double(kLuminance2020[size_t(c)]) * set.colour.toRec2020(c, k);
    const Image<float> &rgb = set.pixels.radiance;
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.display.width(); ++x) {
                double light = 0.0, variance = 0.0, count = 0.0;
                under.sample(x, y, [&](int u, int v) {
                    for (int k = 0; k < 3; ++k) {
                        const double w = weights[size_t(k)];
                        light += w * double(rgb.row(k, v)[u]);
                        variance += w * w * double(ofBrief(set.pixels.variance.row(k, v)[u]));
                    }
                    ++count;
                });
                // Of one pixel of the merge, whatever the zoom: averaging for a small view would flatter it.
                const double sigma = std::sqrt(variance / count);
                constexpr Vector3 kUnknown{0.2, 0.2, 0.2};
                const Vector3 colour =
                    sigma > 0.0 ? noiseColour(std::log2(std::max(1e-9, light / count / sigma))) : kUnknown;
                for (size_t c = 0; c < 3; ++c)
                    out.display.row(int(c), y)[x] = float(colour[c]);
            }
    });
}

/// Slope of log light beyond what noise makes at each pixel of a view of an aligned frame, 0 .. 1; what clips has none.
Image<float> edgesOf(const AlignedSet &set, size_t index, const BracketFrame &frame, const RenderRequest &request,
                     ExecContext &ctx)
{
    const Image<uint16_t> &codes = *set.pixels[index];
    const double r = request.reduction;
    RealRect region{request.region.x0 / r, request.region.y0 / r, request.region.x1 / r, request.region.y1 / r};
    const int left = std::clamp(int(region.x0) - 2, 0, codes.width() - 1),
              top = std::clamp(int(region.y0) - 2, 0, codes.height() - 1);
    const int right = std::clamp(int(region.x1) + 3, left + 1, codes.width()),
              bottom = std::clamp(int(region.y1) + 3, top + 1, codes.height());
    const double dark = std::max(4.0 * std::sqrt(frame.measured.noise.variance(0.0)), 1e-6);
    Image<float> logs(right - left, bottom - top, 1);
    forEachBand(ctx, logs.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < logs.width(); ++x)
                logs.row(0, y)[x] = float(std::log2(
                    std::clamp(double(linearOfCode(codes.row(1, y + top)[x + left])), 0.0, kClippedFrom) + dark));
    });
    region = {region.x0 - left, region.y0 - top, region.x1 - left, region.y1 - top};
    const Image<float> seen = resample(logs.view(), region, request.width, request.height, ctx);
    const double averaging = std::min(1.0, request.width / (region.x1 - region.x0)); // what is left of a sigma
    Image<float> out(request.width, request.height, 1);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.width(); ++x) {
                const auto at = [&](int u, int v) {
                    return seen.row(0, std::clamp(v, 0, out.height() - 1))[std::clamp(u, 0, out.width() - 1)];
                };
                const float slope = std::hypot(at(x + 1, y) - at(x - 1, y), at(x, y + 1) - at(x, y - 1));
                constexpr float kFaint = 0.15f, kStrong = 1.2f, kBeyondNoise = 3.5f; // stops over two pixels; sigmas
                const double light = std::exp2(double(at(x, y)));
                const double sigma =
                    std::sqrt(frame.measured.noise.variance(light - dark)) * averaging / (light * std::numbers::ln2);
                const float least = kFaint + kBeyondNoise * float(sigma);
                out.row(0, y)[x] = std::clamp((slope - least) / (kStrong - kFaint), 0.0f, 1.0f);
            }
    });
    return out;
}

void edgesView(const RenderPlan &plan, const RenderRequest &request, const Inspection &inspection, Inspected &out,
               ExecContext &ctx)
{
    const Bracket &bracket = plan.bracket;
    const auto used = bracket.used();
    const auto set = alignedSet(plan, request.reduction, ctx);
    const size_t reference = size_t(std::ranges::find(used, &bracket.frames[bracket.reference]) - used.begin());
    const size_t other = edgesFrame(bracket, inspection);
    ExecContext own = ctx.child({});
    const Image<float> a = edgesOf(*set, reference, *used[reference], request, own),
                       b = edgesOf(*set, other, *used[other], request, own);
    for (int y = 0; y < out.display.height(); ++y)
        for (int x = 0; x < out.display.width(); ++x)
            for (size_t c = 0; c < 3; ++c) {
                constexpr float kGround = 0.015f;
                out.display.row(int(c), y)[x] = std::min(1.0f, kGround + a.row(0, y)[x] * float(kReferenceEdges[c]) +
                                                                   b.row(0, y)[x] * float(kFrameEdges[c]));
            }
}

/// Places in the colours of the frames that stand there; things hatched, edges that do not meet only coloured.
void movementView(const MergedSet &set, const Footprint &under, Inspected &out, ExecContext &ctx)
{
    const Movement &movement = set.movement;
    const int frames = int(set.frameIds.size());
    std::vector<Vector3> colours;
    for (int i = 0; i < frames; ++i)
        colours.push_back(sourceColour(i, frames));
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.display.width(); ++x) {
                double grey = 0.0;
                for (int c = 0; c < 3; ++c)
                    grey += kRec709Luminance[c] * double(out.display.row(c, y)[x]);
                const Rect r = under.at(x, y);
                const int atX = (r.x0 + r.x1) / 2, atY = (r.y0 + r.y1) / 2;
                const int place = movement.placeAt(atX, atY), stands = movement.frameAt(atX, atY);
                constexpr double kGround = 0.12; // so that the colour shows in the dark too
                for (size_t c = 0; c < 3; ++c) {
                    const double tint = stands < 0 ? 1.0 : colours[size_t(stands)][c] * 1.5;
                    out.display.row(int(c), y)[x] =
                        float(std::clamp(stands < 0 ? grey : (kGround + grey) * tint, 0.0, 1.0));
                }
                if (place >= 0 && !movement.places[size_t(place)].slight)
                    out.hatch.row(0, y)[x] = uint8_t(Hatch::Moved);
            }
    });
}

/// The share of the lamp under the picture's own lightness.
void lightsView(const RenderPlan &plan, const MergedSet &set, const Footprint &under, Inspected &out, ExecContext &ctx)
{
    const LampWhitePtr lamp = lampWhiteOf(plan, ctx);
    const Image<float> &rgb = set.pixels.radiance;
    const int width = out.display.width();
    forEachBand(ctx, out.display.height(), [&](int y0, int y1) {
        std::vector<float> shares(size_t(width), 0.0f), seen[3];
        for (int y = y0; y < y1; ++y) {
            if (lamp) {
                for (int c = 0; c < 3; ++c) {
                    seen[c].clear();
                    for (int x = 0; x < width; ++x) {
                        const Rect r = under.at(x, y);
                        seen[c].push_back(rgb.row(c, (r.y0 + r.y1) / 2)[(r.x0 + r.x1) / 2]);
                    }
                }
                const float *const rows[] = {seen[0].data(), seen[1].data(), seen[2].data()};
                lamp->gains.shares(rows, width, (under.x0 + 0.5 * under.stepX) / under.width, under.stepX / under.width,
                                   (under.y0 + (y + 0.5) * under.stepY) / under.height, shares.data());
            }
            for (int x = 0; x < out.display.width(); ++x) {
                double luminance = 0.0;
                for (int c = 0; c < 3; ++c)
                    luminance += kRec709Luminance[c] * double(out.display.row(c, y)[x]);
                const Vector3 colour = lampColour(double(shares[size_t(x)]));
                constexpr double kGround = 0.25; // so that the colour shows in the dark too
                for (int c = 0; c < 3; ++c)
                    out.display.row(c, y)[x] = float(std::clamp(colour[size_t(c)] * (kGround + luminance), 0.0, 1.0));
            }
        }
    });
}

/// Log light over its mean round each pixel, in grey, by how much it usually differs there: on smooth light a few percent show,
/// textures and edges stay calm.
void faintView(Inspected &out, ExecContext &ctx)
{
    constexpr double kRound = 16.0, kWider = 24.0; // pixels of the view
    constexpr double kFaint = 0.04;                // stops, of what differs on light that is smooth: some 3 %
    const int width = out.display.width(), height = out.display.height();
    cv::Mat stops(height, width, CV_32F), mean, square, usual;
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x)
                stops.at<float>(y, x) = float(std::log2(std::max(1e-6, luminanceOf(out.display, x, y))));
    });
    cv::GaussianBlur(stops, mean, {}, kRound, kRound, cv::BORDER_REFLECT);
    stops -= mean;
    square = stops.mul(stops);
    cv::GaussianBlur(square, usual, {}, kWider, kWider, cv::BORDER_REFLECT);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                const double over =
                    double(stops.at<float>(y, x)) / std::sqrt(double(usual.at<float>(y, x)) + kFaint * kFaint);
                const double coded = 0.5 + 0.45 * std::tanh(0.7 * over);
                const float grey = float(std::pow((coded + 0.055) / 1.055, 2.4)); // sRGB
                for (int c = 0; c < 3; ++c)
                    out.display.row(c, y)[x] = grey;
            }
    });
}

/// Hatches light that is brighter than a screen which goes so many stops over white.
void hdrView(const RenderPlan &plan, const RenderRequest &request, double stops, Inspected &out, ExecContext &ctx)
{
    const ExportSettings &settings = plan.recipe.output;
    const OutputLight output(OutputSpace::Rec2020, HdrLights{settings.lightsBegin / 100.0, settings.peak / kHdrWhite});
    const Image<float> bright = render(plan, output, request, ctx);
    const float most = float(std::exp2(stops));
    forEachBand(ctx, bright.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < bright.width(); ++x)
                if (std::max({bright.row(0, y)[x], bright.row(1, y)[x], bright.row(2, y)[x]}) > most)
                    out.hatch.row(0, y)[x] = uint8_t(Hatch::EndsWhite);
    });
}

} // namespace

Vector3 lampColour(double share)
{
    const double t = std::clamp(share, 0.0, 1.0);
    constexpr double kDayHue = 250.0, kLampHue = 70.0, kChroma = 0.11; // opposite: grey half way
    const double hue = (t < 0.5 ? kDayHue : kLampHue) / 180.0 * std::numbers::pi,
                 chroma = kChroma * std::abs(2.0 * t - 1.0);
    static const OklabSpace screen(kRec709);
    return screen.withinCube({0.5 + 0.4 * t, chroma * std::cos(hue), chroma * std::sin(hue)});
}

size_t edgesFrame(const Bracket &bracket, const Inspection &inspection)
{
    const auto used = bracket.used();
    const BracketFrame *reference = &bracket.frames[bracket.reference];
    for (size_t i = 0; i < used.size(); ++i)
        if (used[i]->frame->id == inspection.frame && used[i] != reference)
            return i;
    for (size_t i = 0; i < used.size(); ++i)
        if (used[i] != reference)
            return i;
    return 0;
}

Vector3 sourceColour(int index, int count)
{
    // Once round most of the hues in even steps, each lighter than the one before: told apart by lightness alone too.
    const double t = count > 1 ? double(index) / (count - 1) : 0.5;
    const double hue = (285.0 - 230.0 * t) / 180.0 * std::numbers::pi, chroma = 0.11;
    static const OklabSpace screen(kRec709);
    return screen.withinCube({0.42 + 0.42 * t, chroma * std::cos(hue), chroma * std::sin(hue)});
}

Vector3 noiseColour(double stops)
{
    const double step = std::clamp(std::floor(stops), 0.0, double(kCleanStops)) / kCleanStops;
    const double hue = 15.0 / 180.0 * std::numbers::pi, chroma = 0.16 * (1.0 - step); // noisy: dark red; clean: light
    static const OklabSpace screen(kRec709);
    return screen.withinCube({0.30 + 0.62 * step, chroma * std::cos(hue), chroma * std::sin(hue)});
}

Inspected inspect(const Sources &sources, const Recipe &recipe, const Measured &measured, const RenderRequest &request,
                  const Inspection &inspection, ExecContext &ctx)
{
    if (inspection.mode == InspectMode::Peek && !(inspection.highEv - inspection.lowEv >= kLeastWindowEv))
        throw ArgumentError("the window to peek through is too narrow");
    const RenderPlan plan(sources, measured, recipe);
    if (const auto through = throughMap(plan.map, plan.reference(), request, plan.recipe.geometry.corners)) {
        const Inspected flat = inspect(sources, withoutMap(plan.recipe), measured, through->flat, inspection, ctx);
        return {through->light(plan.map, flat.display.view(), ctx), through->marks(plan.map, flat.hatch.view(), ctx)};
    }
    Inspected out;
    const bool overPicture = inspection.mode == InspectMode::Clipped || inspection.mode == InspectMode::Movement ||
                             inspection.mode == InspectMode::Lights || inspection.mode == InspectMode::Hdr;
    out.display = overPicture ? render(plan, OutputSpace::Srgb, request, ctx) : copyOf(*sceneOf(plan, request, ctx));
    out.hatch = Image<uint8_t>(out.display.width(), out.display.height(), 1);
    const MergedPtr set = mergedOf(plan, request.reduction, ctx);
    RenderRequest sized = request;
    sized.width = out.display.width();
    sized.height = out.display.height();
    const Footprint under = footprintOf(*set, sized);
    switch (inspection.mode) {
    case InspectMode::Light:
        lightView(out, inspection.exposureEv, ctx);
        break;
    case InspectMode::Peek:
        peekView(out, inspection.lowEv, inspection.highEv, ctx);
        break;
    case InspectMode::Sources:
        sourcesView(*set, under, out, ctx);
        markClipped(*set, under, out, ctx);
        break;
    case InspectMode::Noise:
        noiseView(*set, under, out, ctx);
        markClipped(*set, under, out, ctx);
        break;
    case InspectMode::Clipped:
        markClipped(*set, under, out, ctx);
        break;
    case InspectMode::Movement:
        movementView(*set, under, out, ctx);
        break;
    case InspectMode::Lights:
        lightsView(plan, *set, under, out, ctx);
        break;
    case InspectMode::Faint:
        faintView(out, ctx);
        break;
    case InspectMode::Hdr:
        hdrView(plan, request, inspection.screenStops, out, ctx);
        break;
    case InspectMode::Edges:
        if (sized.region == RealRect{})
            sized.region = {0, 0, double(set->fullWidth), double(set->fullHeight)};
        edgesView(plan, sized, inspection, out, ctx);
        break;
    }
    return out;
}

} // namespace yolk
