#include "render/files/output.h"

#include "base/text.h"
#include "io/atomic_file.h"
#include "io/png.h"
#include "io/still_encoder.h"
#include "recipe/export_preset.h"
#include "render/files/file_codes.h"
#include "render/files/hdr_jpeg.h"
#include "render/files/output_sharpening.h"
#include "render/files/written_metadata.h"
#include "render/stages/align_stage.h"
#include "render/views/picture.h"
#include "render/views/through_map.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <vector>

namespace yolk {
namespace {

/// One picture on its way into a file.
class Writing {
public:
    Writing(const RenderPlan &plan, const ExportSettings &settings, const PictureTarget &target, ExecContext &ctx)
        : plan_(plan), settings_(settings), target_(target), traits_(traitsOf(settings.format)),
          rendering_(ctx.part(0.0, 0.8)), writing_(ctx.part(0.8, 1.0))
    {
        isHdr_ = settings.light == ExportLight::Hdr;
        if (isHdr_ && !traits_.hdr)
            throw ArgumentError(target.path + ": " + std::string(traits_.name) + " holds no light above white");
        const Rect area = pictureArea(plan);
        const Shape asked = sizeUnder(settings, area.width(), area.height());
        size_ = fittedSize(asked.width, asked.height, target.maxWidth, target.maxHeight);
        reduction_ = double(area.width()) / size_.width;
        request_ = {1, realOf(area), size_.width, size_.height, true};
        space_ = spaceWithin();
        if (space_ == OutputSpace::Profile && settings.profile.empty())
            throw ArgumentError(target.path + ": no colour profile is chosen to write it through");
        if (space_ == OutputSpace::Profile)
            profile_ = {readTargetProfile(settings.profile), settings.intent};
    }

    PictureReport report() const
    {
        return {size_.width, size_.height, bits_, traits_.loses ? quality_ : 0,
                (long long)std::filesystem::file_size(target_.path)};
    }

    void to(const std::string &temporary)
    {
        quality_ = int(std::lround(settings_.quality));
        switch (settings_.format) {
        case PictureFormat::Tiff:
        case PictureFormat::Exr:
        case PictureFormat::Hdr:
            if (settings_.format != PictureFormat::Tiff || isLinearTiff())
                return writeLinear(temporary);
            return writeCodes(temporary);
        case PictureFormat::Png:
            return writeCodes(temporary);
        case PictureFormat::Jpeg:
            return isHdr_ ? writeHdrJpeg(temporary) : writeStandardJpeg(temporary);
        case PictureFormat::Avif:
        case PictureFormat::Jxl:
            return writeStillCodes(temporary);
        }
    }

private:
    bool isLinearTiff() const { return isHdr_ || settings_.depth == FileDepth::Float; }

    /// PQ is written in Rec. 2020, Radiance HDR in Rec. 709; linear light in a space, not in a device's profile.
    OutputSpace spaceWithin() const
    {
        const PictureFormat f = settings_.format;
        if (f == PictureFormat::Hdr)
            return OutputSpace::Srgb;
        if (isHdr_ && (f == PictureFormat::Avif || f == PictureFormat::Jxl))
            return OutputSpace::Rec2020;
        const bool isLinear = f == PictureFormat::Exr || (f == PictureFormat::Tiff && isLinearTiff());
        if (settings_.space == OutputSpace::Profile && (isHdr_ || isLinear))
            throw ArgumentError(target_.path + ": linear and HDR light is written in one of the named colour spaces, "
                                               "not through a profile");
        return settings_.space;
    }

    /// Of the lights that the settings ask for, or standard.
    Image<float> rendered(bool isHdr, ExecContext &ctx)
    {
        const auto lights =
            isHdr ? std::optional(HdrLights{settings_.lightsBegin / 100.0, settings_.peak / kHdrWhite}) : std::nullopt;
        const OutputLight output(space_, lights);
        Image<float> out = render(plan_, output, request_, ctx);
        const SharpeningStrength strength =
            settings_.sharpening == OutputSharpening::Screen  ? sharpeningForScreen(reduction_)
            : settings_.sharpening == OutputSharpening::Paper ? sharpeningForPaper(settings_.pixelsPerInch)
                                                              : SharpeningStrength{};
        const Matrix3 toXyz = rgbToXyz(primariesOf(space_));
        sharpenOutput(out, {toXyz(1, 0), toXyz(1, 1), toXyz(1, 2)}, strength, output.top(), ctx);
        return out;
    }

    FinishedPicture metadata(const std::string &xmp = {}) const
    {
        return {size_.width,
                size_.height,
                kSoftware,
                settings_.metadata,
                settings_.copyright,
                settings_.caption,
                target_.rating,
                settings_.pixelsPerInch,
                xmp};
    }
    void addMetadata(const std::string &temporary, const std::string &xmp = {})
    {
        writeMetadata(plan_.reference().path, temporary, metadata(xmp), writing_);
    }

    std::vector<std::byte> profileBytes() const
    {
        return space_ == OutputSpace::Profile ? profile_.bytes : iccProfile(space_);
    }
    FileCoder coder() const
    {
        return space_ == OutputSpace::Profile ? FileCoder(profile_) : FileCoder(transferOf(space_));
    }

    void watch(int y)
    {
        if (y % 8 == 0)
            writing_.throwIfStopped();
        if (y % kBandRows == 0)
            writing_.report(double(y) / size_.height);
    }

    /// Codes of a finished picture, three a pixel; of 8 bits with dither. Made some rows ahead, on all threads of the runner.
    FillRow16 codesOf(const Image<float> &display, const FileCoder &coder, int bits)
    {
        static constexpr int kAhead = 128, kRows = 16;
        const size_t samples = size_t(size_.width) * 3;
        return [this, &display, &coder, bits, samples,
                ahead = std::vector<uint16_t>(samples * kAhead)](int y, std::span<uint16_t> row) mutable {
            watch(y);
            if (y % kAhead == 0) {
                const int rows = std::min(kAhead, size_.height - y);
                writing_.runner().run((rows + kRows - 1) / kRows, [&](int part) {
                    std::vector<float> codes(samples);
                    for (int i = part * kRows; i < std::min(rows, (part + 1) * kRows); ++i) {
                        const std::span<uint16_t> out(ahead.data() + size_t(i) * samples, samples);
                        coder.code(display.view(), y + i, codes);
                        if (bits == 8)
                            ditherCodes(codes, y + i, out);
                        else
                            roundCodes(codes, bits, out);
                    }
                });
            }
            std::copy_n(ahead.begin() + ptrdiff_t(size_t(y % kAhead) * samples), samples, row.begin());
        };
    }
    /// The same with a fourth one: whether the frames reach so far.
    FillRow16 withAlpha(FillRow16 fill, const Image<uint8_t> &reached, int bits) const
    {
        return [this, fill = std::move(fill), &reached, bits,
                colours = std::vector<uint16_t>(size_t(size_.width) * 3)](int y, std::span<uint16_t> row) mutable {
            fill(y, colours);
            for (size_t x = 0; x < size_t(size_.width); ++x) {
                std::copy_n(colours.data() + 3 * x, 3, row.data() + 4 * x);
                row[4 * x + 3] = reached.row(0, y)[x] ? uint16_t((1u << bits) - 1) : uint16_t(0);
            }
        };
    }

    /// TIFF or PNG, with alpha where not all is reached.
    void writeCodes(const std::string &temporary)
    {
        // A TIFF that is written so has a depth for codes.
        bits_ = std::min(16, depthFor(settings_.format, int(settings_.depth)));
        const Image<float> display = rendered(false, rendering_);
        const Image<uint8_t> reached = reachedIn(plan_, request_, rendering_);
        const FileCoder coding = coder();
        FillRow16 fill = codesOf(display, coding, bits_);
        const Alpha alpha = reached.height() == 0 ? Alpha::None : Alpha::Unassociated;
        if (alpha != Alpha::None)
            fill = withAlpha(std::move(fill), reached, bits_);
        if (settings_.format == PictureFormat::Png)
            writePng(temporary, size_.width, size_.height, profileBytes(), {bits_, alpha, settings_.pixelsPerInch},
                     fill);
        else
            (bits_ == 8 ? writeTiff8 : writeTiff)(temporary, size_.width, size_.height, profileBytes(), fill, alpha);
        addMetadata(temporary);
    }

    void writeLinear(const std::string &temporary)
    {
        const Image<float> display = rendered(isHdr_, rendering_);
        const Primaries &primaries = primariesOf(space_);
        bits_ = settings_.format == PictureFormat::Tiff ? 32 : depthFor(settings_.format, int(settings_.depth));
        const FillStrip fill = [&](const RadianceStrip &strip) {
            watch(strip.y);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < strip.rgb.height(); ++y)
                    std::copy_n(display.row(c, strip.y + y), size_.width, strip.rgb.row(c, y));
        };
        if (settings_.format == PictureFormat::Exr) {
            RadianceNotes notes;
            notes.primaries = primaries;
            notes.software = kSoftware;
            if (settings_.metadata != KeptMetadata::None) {
                const Metadata &shot = plan_.reference().metadata;
                notes.exposureSeconds = shot.exposureSeconds;
                notes.fNumber = shot.fNumber;
                notes.iso = shot.iso;
                notes.dateTime = shot.dateTime.substr(0, 19);
                notes.camera = shot.camera;
            }
            return writeExr(temporary, size_.width, size_.height, notes,
                            {bits_ == 16 ? RadiancePixels::Half : RadiancePixels::Float}, fill);
        }
        if (settings_.format == PictureFormat::Hdr) {
            writeRadianceHdr(temporary, size_.width, size_.height, fill);
            return;
        }
        writeRadianceTiff(temporary, size_.width, size_.height, linearIccProfile(primaries, "Linear light"),
                          [&](int y, std::span<float> row) {
                              watch(y);
                              for (size_t x = 0; x < size_t(size_.width); ++x)
                                  for (size_t c = 0; c < 3; ++c)
                                      row[3 * x + c] = display.row(int(c), y)[x];
                          });
        addMetadata(temporary);
    }

    FillRow8 bytesOf(const Image<float> &display, const FileCoder &coding)
    {
        return [fill = codesOf(display, coding, 8),
                codes = std::vector<uint16_t>(size_t(size_.width) * 3)](int y, std::span<uint8_t> row) mutable {
            fill(y, codes);
            std::ranges::copy(codes, row.begin());
        };
    }

    void writeStandardJpeg(const std::string &temporary)
    {
        bits_ = 8;
        const Image<float> display = rendered(false, rendering_);
        const FileCoder coding = coder();
        const FillRow8 fill = bytesOf(display, coding);
        const auto write = [&](int quality) {
            writeJpeg(temporary, size_.width, size_.height, quality, profileBytes(), fill, settings_.chroma);
            addMetadata(temporary);
            return double(std::filesystem::file_size(temporary)) <= settings_.mostKilobytes * 1000.0;
        };
        if (settings_.mostKilobytes <= 0.0) {
            write(quality_);
            return;
        }
        constexpr int kLeast = 5; // below it nobody would call it a picture
        if (write(quality_))
            return;
        int low = kLeast, high = quality_; // high is too large
        if (high <= low || !write(low))
            throw ArgumentError(target_.path + textOf(": it cannot be written in %.0f kB; ask for fewer pixels",
                                                      settings_.mostKilobytes));
        while (high - low > 1) {
            const int middle = (low + high) / 2;
            (write(middle) ? low : high) = middle;
        }
        quality_ = low;
        write(quality_);
    }

    void writeHdrJpeg(const std::string &temporary)
    {
        bits_ = 8;
        ExecContext first = rendering_.part(0.0, 0.7), second = rendering_.part(0.7, 1.0);
        const Image<float> display = rendered(false, first), bright = rendered(true, second);
        const FileCoder coding = coder();
        const double stops = std::log2(settings_.peak / kHdrWhite);
        writeJpeg(temporary, size_.width, size_.height, quality_, profileBytes(), bytesOf(display, coding),
                  settings_.chroma);
        const std::vector<std::byte> map = gainMapFile(temporary, display.view(), bright.view(), stops, writing_);
        addMetadata(temporary, gainMapDirectoryXmp(map.size()));
        appendGainMap(temporary, map);
    }

    void writeStillCodes(const std::string &temporary)
    {
        const bool isAvif = settings_.format == PictureFormat::Avif;
        bits_ = depthFor(settings_.format, int(settings_.depth));
        constexpr int kLeastHdrBits = 10; // PQ shows steps below
        if (isHdr_)
            bits_ = std::max(bits_, kLeastHdrBits);
        const Image<float> display = rendered(isHdr_, rendering_);
        const MetadataBlobs blobs = metadataFor(plan_.reference().path, metadata());
        StillPicture picture;
        picture.format = isAvif ? StillFormat::Avif : StillFormat::Jxl;
        picture.width = size_.width;
        picture.height = size_.height;
        picture.bits = bits_;
        picture.quality = quality_;
        picture.halvedChroma = settings_.chroma == JpegChroma::Halved;
        picture.codePoints = codePoints();
        if (!isHdr_)
            picture.profile = profileBytes();
        picture.exif = blobs.exif;
        picture.xmp = blobs.xmp;
        const FileCoder coding = isHdr_ ? FileCoder(Transfer::Pq, kHdrWhite / kPqPeak) : coder();
        writeStill(temporary, picture, codesOf(display, coding, bits_), writing_);
    }

    /// Source: [H273] tables 2 to 4.
    CodePoints codePoints() const
    {
        constexpr int kRec709Primaries = 1, kP3Primaries = 12, kRec2020Primaries = 9, kSrgbTransfer = 13,
                      kPqTransfer = 16, kRec709Matrix = 1, kRec2020Matrix = 9;
        if (isHdr_)
            return {kRec2020Primaries, kPqTransfer, kRec2020Matrix};
        switch (space_) {
        case OutputSpace::Srgb:
            return {kRec709Primaries, kSrgbTransfer, kRec709Matrix};
        case OutputSpace::DisplayP3:
            return {kP3Primaries, kSrgbTransfer, kRec709Matrix};
        case OutputSpace::Rec2020:
            return {kRec2020Primaries, kSrgbTransfer, kRec2020Matrix};
        default:
            return {}; // the profile says it
        }
    }

    const RenderPlan &plan_;
    const ExportSettings &settings_;
    const PictureTarget &target_;
    const FormatTraits &traits_;
    ExecContext rendering_, writing_;
    bool isHdr_ = false;
    Shape size_;
    double reduction_ = 1.0;
    RenderRequest request_;
    OutputSpace space_ = OutputSpace::Srgb;
    TargetProfile profile_;
    int bits_ = 0, quality_ = 0;
};

} // namespace

Shape fittedSize(int width, int height, int maxWidth, int maxHeight)
{
    double scale = 1.0;
    if (maxWidth > 0)
        scale = std::min(scale, double(maxWidth) / width);
    if (maxHeight > 0)
        scale = std::min(scale, double(maxHeight) / height);
    return {std::max(1, int(std::lround(width * scale))), std::max(1, int(std::lround(height * scale))), 3};
}

std::string outputNameOf(const ExportSettings &settings, const NamedPicture &picture)
{
    const std::filesystem::path path(picture.path);
    const Shape shape = sizeUnder(settings, std::max(1, picture.width), std::max(1, picture.height));
    const std::string &taken = picture.metadata.dateTime; // as Exif has it
    const auto dashed = [](std::string text) {
        std::ranges::replace(text, ':', '-');
        return text;
    };
    return fileNameOf(settings.name, {{"name", path.stem().string()},
                                      {"set", path.parent_path().filename().string()},
                                      {"date", dashed(taken.substr(0, 10))},
                                      {"time", taken.size() >= 19 ? dashed(taken.substr(11, 8)) : ""},
                                      {"number", picture.number > 0 ? textOf("%03d", picture.number) : ""},
                                      {"camera", picture.metadata.camera},
                                      {"rating", std::to_string(picture.rating)},
                                      {"width", std::to_string(shape.width)},
                                      {"height", std::to_string(shape.height)}}) +
           suffixesOf(settings.format).front();
}

Shape sizeUnder(const ExportSettings &settings, int width, int height)
{
    const int pixels = int(std::lround(settings.pixels));
    const auto scaled = [&](double scale) {
        return fittedSize(width, height, std::max(1, int(std::lround(width * scale))),
                          std::max(1, int(std::lround(height * scale))));
    };
    switch (settings.sizeBy) {
    case SizeBy::LongEdge:
        return fittedSize(width, height, pixels, pixels);
    case SizeBy::Width:
        return fittedSize(width, height, pixels, 0);
    case SizeBy::Height:
        return fittedSize(width, height, 0, pixels);
    case SizeBy::Megapixels:
        return scaled(std::sqrt(settings.megapixels * 1e6 / (double(width) * height)));
    case SizeBy::Percent:
        return scaled(settings.percent / 100.0);
    case SizeBy::Full:
        break;
    }
    return {width, height, 3};
}

PictureReport exportPicture(const Sources &sources, const Recipe &recipe, const Measured &measured,
                            const PictureTarget &target, ExecContext &ctx)
{
    ExportSettings settings = recipe.output;
    settings.format = pictureFormatOf(target.path);
    const RenderPlan plan(sources, measured, recipe);
    Writing writing(plan, settings, target, ctx);
    // First the file, so that a bad place is said at once.
    writeAtomically(
        target.path, [&](const std::string &temporary) { writing.to(temporary); }, Durability::Flushed, &ctx);
    ctx.report(1.0);
    return writing.report();
}

} // namespace yolk
