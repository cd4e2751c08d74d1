#include "render/files/radiance_export.h"

#include "io/atomic_file.h"
#include "io/dng.h"
#include "io/tiff.h"
#include "render/files/written_metadata.h"
#include "render/stages/align_stage.h"
#include "render/stages/scene_rows.h"

#include <algorithm>
#include <vector>

namespace yolk {
namespace {

RadianceNotes notesOf(const Bracket &bracket, const Primaries &primaries)
{
    const Metadata &m = bracket.frames[bracket.reference].frame->metadata;
    RadianceNotes out{primaries, m.exposureSeconds, m.fNumber, m.iso, m.dateTime.substr(0, 19),
                      m.camera,  kSoftware,         {},        {}};
    for (const BracketFrame *f : bracket.used()) {
        out.frameNames.push_back(f->frame->name);
        out.frameEvs.push_back(float(f->ev));
    }
    return out;
}

/// Strips of an area of a merged set in the primaries of the file.
class Strips {
public:
    Strips(const MergedSet &set, const Rect &area, const RenderPlan &plan, LampWhitePtr lamp, MendingPtr mending,
           const Primaries &primaries, ExecContext &ctx)
        : set_(set), area_(area), toFile_(rgbToRgb(kRec2020, primaries) * plan.white),
          rim_(plan.rim, set.fullWidth, set.fullHeight),
          rows_(set, plan.white, std::move(lamp), plan.rim, rgbToRgb(kRec2020, primaries), std::move(mending)),
          ctx_(ctx)
    {
    }
    void fill(const RadianceStrip &strip) const
    {
        ctx_.throwIfStopped();
        ctx_.report(double(strip.y) / area_.height());
        for (int y = 0; y < strip.rgb.height(); ++y) {
            float *const to[3] = {strip.rgb.row(0, y), strip.rgb.row(1, y), strip.rgb.row(2, y)};
            rows_.read(area_.y0 + strip.y + y, area_.x0, area_.x1, to);
            if (strip.variance.height() > 0)
                fillVariance(strip, y);
            for (int i = 0; i < strip.shares.planes(); ++i)
                std::transform(set_.pixels.shares.row(i, area_.y0 + strip.y + y) + area_.x0,
                               set_.pixels.shares.row(i, area_.y0 + strip.y + y) + area_.x1, strip.shares.row(i, y),
                               [](uint8_t share) { return float(share) / 255.0f; });
        }
    }

private:
    /// Noise of the three channels is independent before the matrix, so that variances add with its squares.
    void fillVariance(const RadianceStrip &strip, int y) const
    {
        const Image<uint16_t> &from = set_.pixels.variance;
        for (int c = 0; c < 3; ++c) {
            float *to = strip.variance.row(c, y);
            for (int x = 0; x < area_.width(); ++x) {
                double sum = 0.0;
                for (int k = 0; k < 3; ++k)
                    sum += toFile_(c, k) * toFile_(c, k) *
                           double(ofBrief(from.row(k, area_.y0 + strip.y + y)[area_.x0 + x]));
                const float gain =
                    rim_.at((area_.x0 + x + 0.5) / set_.fullWidth, (area_.y0 + strip.y + y + 0.5) / set_.fullHeight);
                to[x] = rim_.isNone() ? float(sum) : float(sum) * gain * gain;
            }
        }
    }

    const MergedSet &set_;
    Rect area_;
    Matrix3 toFile_;
    RimLight rim_;
    SceneRows rows_;
    ExecContext &ctx_;
};

long long countTooBright(const RadianceStrip &strip)
{
    constexpr float kHalfMost = 65504.0f;
    long long out = 0;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < strip.rgb.height(); ++y)
            out += std::count_if(strip.rgb.row(c, y), strip.rgb.row(c, y) + strip.rgb.width(),
                                 [](float v) { return !(v <= kHalfMost && v >= -kHalfMost); });
    return out;
}

/// Interleaved rows in their order, of strips that are filled as they are needed.
FillRowReal rowsOfStrips(Shape shape, const FillStrip &fill, ExecContext &ctx)
{
    const auto rows = std::make_shared<Image<float>>(shape.width, kBandRows, 3);
    return [=, &ctx](int y, std::span<float> row) {
        if (y % kBandRows == 0)
            fill({y, rows->view().crop({0, 0, shape.width, std::min(kBandRows, shape.height - y)}), {}, {}});
        ctx.throwIfStopped();
        for (size_t x = 0; x < size_t(shape.width); ++x)
            for (size_t c = 0; c < 3; ++c)
                row[3 * x + c] = rows->row(int(c), y % kBandRows)[x];
    };
}

/// The brightest value of all strips, above 0.
double peakOf(Shape shape, const FillStrip &fill)
{
    Image<float> rows(shape.width, kBandRows, 3);
    float peak = 1e-6f;
    for (int y = 0; y < shape.height; y += kBandRows) {
        const Rect part{0, 0, shape.width, std::min(kBandRows, shape.height - y)};
        fill({y, rows.view().crop(part), {}, {}});
        for (int c = 0; c < 3; ++c)
            for (int row = 0; row < part.height(); ++row)
                for (int x = 0; x < shape.width; ++x)
                    peak = std::max(peak, rows.row(c, row)[x]); // NaN changes nothing
    }
    return double(std::min(peak, 1e6f));
}

} // namespace

RadianceFormat radianceFormatOf(const std::string &path)
{
    const std::string ext = extensionOf(path);
    if (ext == ".exr")
        return RadianceFormat::Exr;
    if (ext == ".hdr")
        return RadianceFormat::Hdr;
    if (ext == ".tif" || ext == ".tiff")
        return RadianceFormat::Tiff;
    if (ext == ".dng")
        return RadianceFormat::Dng;
    throw ArgumentError(path + ": radiance can be written as .exr, .hdr, .tif or .dng");
}

RadianceReport exportRadiance(const Sources &sources, const Recipe &recipe, const Measured &measured,
                              const std::string &path, ExecContext &ctx)
{
    const RadianceFormat format = radianceFormatOf(path);
    const RadianceSettings &settings = recipe.radiance;
    const Primaries &primaries = primariesOf(settings.space);
    if (format == RadianceFormat::Hdr && primaries != kRec709)
        throw ArgumentError(path + ": Radiance HDR holds Rec. 709 primaries only");
    const RenderPlan plan(sources, measured, recipe);
    const Bracket &bracket = plan.bracket;
    RadianceReport report;
    ExecContext merging = ctx.part(0.0, 0.8), lighting = ctx.part(0.8, 0.82), writing = ctx.part(0.82, 1.0);
    writeAtomically(
        path,
        [&](const std::string &temporary) { // first the file, so that a bad place is said at once
            report.merged = mergedOf(plan, 1, merging);
            const MergedSet &set = *report.merged;
            const Rect area = croppedArea(plan);
            const Shape shape{area.width(), area.height(), 3};
            const Strips strips(set, area, plan, lampWhiteOf(plan, lighting), mendingOf(plan, 1, merging), primaries,
                                writing);
            const FillStrip fill = [&](const RadianceStrip &strip) {
                strips.fill(strip);
                if (format == RadianceFormat::Exr && settings.pixels == RadiancePixels::Half)
                    report.tooBright += countTooBright(strip);
            };
            switch (format) {
            case RadianceFormat::Exr:
                writeExr(temporary, shape.width, shape.height, notesOf(bracket, primaries),
                         {settings.pixels, settings.compression, settings.variance == Extra::On && set.noiseKnown(),
                          settings.shares == Extra::On ? set.pixels.shares.planes() : 0},
                         fill);
                break;
            case RadianceFormat::Hdr:
                report.negatives = writeRadianceHdr(temporary, shape.width, shape.height, fill);
                break;
            case RadianceFormat::Tiff:
                writeRadianceTiff(temporary, shape.width, shape.height, linearIccProfile(primaries, "Linear light"),
                                  rowsOfStrips(shape, fill, writing));
                writeMetadata(plan.reference().path, temporary, {shape.width, shape.height, kSoftware}, writing);
                break;
            case RadianceFormat::Dng:
                writeDng(temporary, shape.width, shape.height,
                         {settings.dngSamples, primaries, plan.reference().metadata.camera, peakOf(shape, fill)},
                         rowsOfStrips(shape, fill, writing));
                writeMetadata(plan.reference().path, temporary, {shape.width, shape.height, kSoftware}, writing);
                break;
            }
        },
        Durability::Flushed, &ctx);
    ctx.report(1.0);
    return report;
}

} // namespace yolk
