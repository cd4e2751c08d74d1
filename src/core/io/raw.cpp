// Raw files and DNG through LibRaw: unpacking, levels, colour and demosaicing are the library's; nothing is brightened.
#include "base/errors.h"
#include "base/text.h"
#include "io/codec.h"
#include "io/linear_codes.h"
#include "io/tiff_p.h"

#include <libraw/libraw.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <ctime>
#include <memory>
#include <optional>

namespace yolk {
namespace {

/// LibRaw's numbers. DHT breaks least into colours where very bright stands beside very dark; AHD takes half its time,
/// PPG a fifth.
int methodOf(Demosaic demosaic)
{
    constexpr int kDht = 11, kAhd = 3, kPpg = 2;
    return demosaic == Demosaic::Best ? kDht : demosaic == Demosaic::Balanced ? kAhd : kPpg;
}

/// What sensor values, 0 to 1, go through before their neighbours are mixed: about linear in the dark, where noise is,
/// and logarithmic above the knee. Mixed as they are, a bright pixel drowns the dark one beside it. DHT compares by
/// ratios, which on a high floor become differences of logarithms. Of the panoramas that tests shoot through a filter
/// array, five out of six gained 0.3 to 2.3 dB of PU21-PSNR and one lost 0.4 (docs/merge.md).
constexpr double kBendKnee = 0.02, kBendFloor = 0.67;
double bent(double light)
{
    return kBendFloor + (1.0 - kBendFloor) * std::log1p(light / kBendKnee) / std::log1p(1.0 / kBendKnee);
}
double unbent(double value)
{
    const double part = std::max(0.0, value - kBendFloor) / (1.0 - kBendFloor);
    return kBendKnee * std::expm1(part * std::log1p(1.0 / kBendKnee));
}

constexpr uint16_t kLinearRaw = 34892; // [DNG1.4]; libtiff has no name for it

/// Whether the present directory of a TIFF holds sensor values.
bool holdsSensorValues(TIFF *tiff)
{
    uint16_t photometric = 0;
    return TIFFGetField(tiff, TIFFTAG_PHOTOMETRIC, &photometric) &&
           (photometric == PHOTOMETRIC_CFA || photometric == kLinearRaw);
}

/// Many raw formats are TIFF inside. A DNG says so; others keep sensor values in the first or a sub-directory.
bool isRawTiff(const std::string &path)
{
    const Tiff tiff = openTiff(path, "rm");
    if (!tiff)
        return false;
    if (isLinearFloatDng(tiff.get()))
        return false; // radiance
    uint16_t count = 0;
    const uint8_t *version = nullptr;
    if (TIFFGetField(tiff.get(), TIFFTAG_DNGVERSION, &version) || holdsSensorValues(tiff.get()))
        return true;
    const uint64_t *offsets = nullptr;
    if (!TIFFGetField(tiff.get(), TIFFTAG_SUBIFD, &count, &offsets))
        return false;
    const std::vector<uint64_t> subDirectories(offsets, offsets + std::min<int>(count, 16));
    return std::ranges::any_of(subDirectories, [&](uint64_t offset) {
        return TIFFSetSubDirectory(tiff.get(), offset) && holdsSensorValues(tiff.get());
    });
}

/// Formats by their first bytes. What is only TIFF outside is looked into by isRawTiff().
bool recognises(std::span<const std::byte> head, const std::string &path)
{
    const auto has = [&](size_t at, const char *magic, size_t length) {
        return head.size() >= at + length && std::memcmp(head.data() + at, magic, length) == 0;
    };
    const bool tiff = has(0, "II\x2a\0", 4) || has(0, "MM\0\x2a", 4);
    if (tiff)
        return has(8, "CR", 2) || isRawTiff(path);
    return has(0, "IIRO", 4) || has(0, "IIRS", 4) || has(0, "MMOR", 4) || has(0, "IIU\0", 4) || has(0, "FUJIFILM", 8) ||
           has(4, "ftypcrx", 7) || has(0, "\0MRM", 4) || has(0, "FOVb", 4);
}

/// One opened file. LibRaw is large; it lives on the heap and reports damage through handlers instead of printing.
class RawFile {
public:
    explicit RawFile(const std::string &path) : path_(path), raw_(std::make_unique<LibRaw>(LIBRAW_OPTIONS_NONE))
    {
        raw_->set_dataerror_handler([](void *self, const char *, auto) { static_cast<RawFile *>(self)->cut_ = true; },
                                    this);
        check(raw_->open_file(path.c_str()));
        const libraw_image_sizes_t &sizes = raw_->imgdata.sizes;
        checkSize(path, sizes.width, sizes.height);
        const libraw_iparams_t &id = raw_->imgdata.idata;
        if (id.colors != 3 && id.colors != 1)
            throw InputError(path, textOf("comes from a sensor with %d colours; 1 and 3 can be read", id.colors));
        refuseLargeCells();
    }

    libraw_data_t &data() { return raw_->imgdata; }

    /// What the library says of the shot.
    Metadata shot() const
    {
        const libraw_imgother_t &o = raw_->imgdata.other;
        const auto known = [](float v) {
            return v > 0.0f && std::isfinite(v) ? std::optional(double(v)) : std::nullopt;
        };
        Metadata out;
        out.exposureSeconds = known(o.shutter);
        out.fNumber = known(o.aperture);
        out.iso = known(o.iso_speed);
        out.focalLength = known(o.focal_len);
        out.camera = raw_->imgdata.idata.model;
        if (std::tm taken{}; o.timestamp > 0 && localtime_r(&o.timestamp, &taken)) {
            char text[32];
            if (std::strftime(text, sizeof text, "%Y:%m:%d %H:%M:%S", &taken) > 0)
                out.dateTime = text;
        }
        switch (raw_->imgdata.sizes.flip) {
        case 3:
            out.turned = Orientation::UpsideDown;
            break;
        case 5:
            out.turned = Orientation::TurnLeft;
            break;
        case 6:
            out.turned = Orientation::TurnRight;
            break;
        default:
            break;
        }
        return out;
    }
    void check(int result) const
    {
        if (cut_ || result == LIBRAW_IO_ERROR || result == LIBRAW_DATA_ERROR)
            throw InputError(path_, "its picture data is cut off or damaged");
        if (result == LIBRAW_CANCELLED_BY_CALLBACK)
            throw Cancelled();
        if (result == LIBRAW_FILE_UNSUPPORTED || result == LIBRAW_NOT_IMPLEMENTED || result == LIBRAW_UNSPECIFIED_ERROR)
            throw InputError(path_, "is a raw file of a camera or kind that cannot be read");
        if (result != LIBRAW_SUCCESS)
            throw InputError(path_, textOf("cannot be read as a raw file (%s)", libraw_strerror(result)));
    }

    bool isMonochrome() const { return raw_->imgdata.idata.colors == 1; }

    /// Camera white and matrix; of a sensor without colours white is (1, 1, 1). Without a white balance in the file, daylight by the matrix stands in.
    CameraColour colour() const
    {
        const libraw_colordata_t &c = raw_->imgdata.color;
        CameraColour out;
        if (isMonochrome()) {
            out.toRec2020 = rgbToRgb(kRec709, kRec2020);
            return out;
        }
        Matrix3 toRec709;
        for (int row = 0; row < 3; ++row)
            for (int column = 0; column < 3; ++column)
                toRec709.m[size_t(3 * row + column)] = double(c.rgb_cam[row][column]);
        if (std::ranges::any_of(toRec709.m, [](double v) { return !std::isfinite(v); }))
            throw InputError(path_, "carries a colour matrix that is not of numbers");
        out.toRec2020 = rgbToRgb(kRec709, kRec2020) * toRec709;
        out.daylight = neutralOf(c.pre_mul);
        const bool balanced = c.cam_mul[0] > 0 && c.cam_mul[1] > 0 && c.cam_mul[2] > 0;
        out.neutral = balanced ? neutralOf(c.cam_mul) : out.daylight;
        return out;
    }

    /// Of a filter array of two by two. LibRaw's `filters` up to 1000 mean others.
    std::optional<ColourCells> cells() const
    {
        std::optional<std::array<int, 2>> red, blue;
        for (int y = 0; y < 2 && raw_->imgdata.idata.filters > 1000; ++y)
            for (int x = 0; x < 2; ++x) {
                const int channel = raw_->COLOR(y, x);
                if (channel == 0)
                    red = {x, y};
                else if (channel == 2)
                    blue = {x, y};
            }
        return red && blue ? std::optional(ColourCells{*red, *blue}) : std::nullopt;
    }

    /// How values were delivered.
    struct Delivered {
        double scale[3], offset;
        bool isBent = false;
        /// Of a value that was delivered, sensor's white 1. White is found again though the library cuts fractions off.
        double linear(int channel, int value) const
        {
            const auto light = [&](double v) { return offset + scale[channel] * (isBent ? unbent(v) : v); };
            return light((value + 2.0) / 65535.0) >= 1.0 ? 1.0 : light(value / 65535.0);
        }
    };
    /// Unpacks and demosaics into imgdata.image: 16 bit, balanced by the camera's white so that the interpolation of
    /// colour differences sees grey as grey, scaled so that no channel exceeds its range.
    Delivered process(bool half, const RawOptions &options, ExecContext &ctx)
    {
        raw_->set_progress_handler([](void *context, LibRaw_progress, int,
                                      int) { return int(static_cast<ExecContext *>(context)->stopRequested()); },
                                   &ctx);
        check(raw_->unpack());
        const std::array<double, 4> blacks = blackLevels();
        const double black = std::floor(std::ranges::min(blacks)), stated = double(raw_->imgdata.color.maximum);
        if (!(stated - black >= 15.0))
            throw InputError(path_,
                             textOf("says that its black level is %.0f and its white level %.0f", black, stated));
        const double white = black + std::round((stated - black) * options.whiteShare), range = white - black;
        if (options.count)
            options.count(counted(blacks));
        const std::optional<Mosaic> sensor = mosaicOf(int(white)), mosaic = half ? std::nullopt : sensor;
        if (sensor && options.look)
            options.look(*sensor);
        if (mosaic && options.edit)
            options.edit(*mosaic);
        // Values below black are kept by subtracting less than black.
        const double pedestal = std::min(black, std::floor(range * kPedestal / double(kCodeScale)));
        const Vector3 neutral = colour().neutral;
        libraw_output_params_t &p = raw_->imgdata.params;
        p.user_black = int(black - pedestal);
        p.user_sat = int(white) - p.user_black; // LibRaw takes no black away from it
        for (size_t i = 0; i < 4; ++i)
            p.user_cblack[i] = int(std::lround(blacks[i] - black));
        p.adjust_maximum_thr = 0.0f; // its default moves white with the content
        p.highlight = 1;             // multipliers are taken as they are, at most 1
        p.user_qual = methodOf(options.demosaic);
        p.half_size = half;
        p.no_auto_bright = 1;
        p.output_bps = 16;
        p.output_color = 0;
        p.user_flip = 0;
        Delivered out{};
        const double least = std::min({neutral[0], neutral[1], neutral[2]});
        for (size_t i = 0; i < 3; ++i) {
            p.user_mul[i] = float(least / neutral[i]);
            out.scale[i] = (range + pedestal) / range / double(p.user_mul[i]);
        }
        p.user_mul[3] = p.user_mul[1];
        out.offset = -pedestal / range;
        if (mosaic) {
            bend(*mosaic, white);
            out.isBent = true;
        }
        check(raw_->dcraw_process());
        raw_->set_progress_handler(nullptr, nullptr);
        return out;
    }

private:
    /// Cells of several pixels of one colour: their values would be taken for those of other colours.
    void refuseLargeCells() const
    {
        const char *kWords = "comes from a sensor whose colour cells are larger than 2 x 2 pixels, or 6 x 6; that kind "
                             "cannot be read";
        constexpr unsigned kFree = 1000; // LibRaw's `filters` up to here are not patterns
        const unsigned filters = raw_->imgdata.idata.filters;
        if (filters > kFree && filters != (filters & 0xffu) * 0x01010101u) // two rows that do not repeat
            throw InputError(path_, kWords);
        const Tiff tiff = openTiff(path_, "rm");
        if (!tiff)
            return;
        const auto look = [&] {
            const uint16_t *repeat = nullptr;
            const auto isSmall = [](uint16_t side) { return side <= 2 || side == 6; };
            if (TIFFGetField(tiff.get(), TIFFTAG_CFAREPEATPATTERNDIM, &repeat) &&
                !(isSmall(repeat[0]) && isSmall(repeat[1])))
                throw InputError(path_, kWords);
        };
        look();
        uint16_t count = 0;
        const uint64_t *offsets = nullptr;
        if (!TIFFGetField(tiff.get(), TIFFTAG_SUBIFD, &count, &offsets))
            return;
        for (uint64_t offset : std::vector<uint64_t>(offsets, offsets + std::min<int>(count, 16)))
            if (TIFFSetSubDirectory(tiff.get(), offset))
                look();
    }

    /// Histograms of what the sensor shows, where it keeps one value a pixel; empty ones otherwise.
    SensorCounts counted(const std::array<double, 4> &blacks)
    {
        const libraw_data_t &d = raw_->imgdata;
        SensorCounts out;
        out.white = double(d.color.maximum);
        for (size_t c = 0; c < 3; ++c) {
            out.black[c] = isMonochrome() ? blacks[0] : blacks[c];
            const double own = double(d.color.linear_max[c]);
            out.saturation[c] = own > out.black[c] && own < out.white ? own : out.white;
        }
        if (!d.rawdata.raw_image)
            return out;
        for (std::vector<uint32_t> &counts : out.of)
            counts.assign(65536, 0u);
        constexpr int kPeriod = 6; // of arrays of 2 x 2 and of 6 x 6
        std::array<std::array<size_t, kPeriod>, kPeriod> channel{};
        for (int y = 0; y < kPeriod; ++y)
            for (int x = 0; x < kPeriod; ++x) {
                const int colour = isMonochrome() ? 1 : raw_->COLOR(y, x);
                channel[size_t(y)][size_t(x)] = colour == 3 ? 1 : size_t(colour) % 3;
            }
        const ptrdiff_t stride = d.sizes.raw_pitch / ptrdiff_t(sizeof(ushort));
        for (int y = 0; y < d.sizes.height; ++y) {
            const ushort *row = d.rawdata.raw_image + (d.sizes.top_margin + y) * stride + d.sizes.left_margin;
            uint32_t *counts[kPeriod];
            for (size_t i = 0; i < kPeriod; ++i)
                counts[i] = out.of[channel[size_t(y % kPeriod)][i]].data();
            int x = 0;
            for (; x + kPeriod <= d.sizes.width; x += kPeriod)
                for (int i = 0; i < kPeriod; ++i)
                    ++counts[i][row[x + i]];
            for (; x < d.sizes.width; ++x)
                ++counts[x % kPeriod][row[x]];
        }
        return out;
    }

    /// The values behind a filter array of two by two. Others stay as they are.
    std::optional<Mosaic> mosaicOf(int clipped)
    {
        const libraw_data_t &d = raw_->imgdata;
        const auto cells = this->cells();
        if (!d.rawdata.raw_image || !cells)
            return std::nullopt;
        const ptrdiff_t stride = d.sizes.raw_pitch / ptrdiff_t(sizeof(ushort));
        return Mosaic{{d.rawdata.raw_image + d.sizes.top_margin * stride + d.sizes.left_margin,
                       {d.sizes.width, d.sizes.height, 1},
                       stride,
                       stride * d.sizes.height},
                      cells->red,
                      cells->blue,
                      clipped};
    }

    /// Does what LibRaw was asked to do with black and white, and bends; then nothing of it is left for LibRaw to do.
    void bend(const Mosaic &mosaic, double white)
    {
        libraw_output_params_t &p = raw_->imgdata.params;
        for (int y = 0; y < 2; ++y)
            for (int x = 0; x < 2; ++x) {
                const auto channel = size_t(raw_->COLOR(y, x)) & 3;
                const double black = p.user_black + p.user_cblack[channel];
                const double scale = double(p.user_mul[channel]) / (white - p.user_black);
                std::vector<uint16_t> table(65536);
                for (size_t i = 0; i < table.size(); ++i)
                    table[i] = uint16_t(std::lround(65535.0 * bent(std::clamp((double(i) - black) * scale, 0.0, 1.0))));
                for (int v = y; v < mosaic.values.height(); v += 2) {
                    ushort *row = mosaic.values.row(0, v);
                    for (int u = x; u < mosaic.values.width(); u += 2)
                        row[u] = table[row[u]];
                }
            }
        p.user_black = 0;
        p.user_sat = 0;
        std::fill_n(p.user_cblack, 4, 0);
        std::fill_n(p.user_mul, 4, 1.0f);
        for (libraw_colordata_t *c : {&raw_->imgdata.color, &raw_->imgdata.rawdata.color}) {
            c->black = 0;
            std::ranges::fill(c->cblack, 0u); // patterns that repeat over the sensor too
            c->maximum = c->data_maximum = 65535;
        }
    }

    /// What multipliers make white; white itself where they are senseless.
    static Vector3 neutralOf(const float *multipliers)
    {
        const double smallest = double(std::min({multipliers[0], multipliers[1], multipliers[2]}));
        Vector3 out;
        for (size_t i = 0; i < 3; ++i)
            out[i] = smallest / double(multipliers[i]);
        if (!std::ranges::all_of(out, [](double n) { return n >= 1e-3 && n <= 1.0; }))
            return {1.0, 1.0, 1.0};
        return out;
    }

    /// Of the filter array's four cells: a common level, one per channel, and a pattern that repeats over the sensor.
    std::array<double, 4> blackLevels() const
    {
        const libraw_colordata_t &c = raw_->imgdata.color;
        std::array<double, 4> sums{}, counts{}, out;
        const unsigned rows = c.cblack[4], columns = c.cblack[5];
        if (size_t(rows) * columns <= std::size(c.cblack) - 6)
            for (unsigned i = 0; i < rows * columns; ++i) {
                const auto channel = size_t(raw_->COLOR(int(i / columns), int(i % columns))) & 3;
                sums[channel] += c.cblack[6 + i];
                counts[channel] += 1.0;
            }
        // A second green that the array does not name is the first one.
        for (size_t i = 0; i < 4; ++i)
            out[i] = double(c.black) + double(c.cblack[i]) + (counts[i] > 0.0 ? sums[i] / counts[i] : 0.0);
        if (rows > 0 && counts[3] == 0.0)
            out[3] = out[1];
        return out;
    }

    std::string path_;
    bool cut_ = false;
    std::unique_ptr<LibRaw> raw_;
};

PictureInfo readInfo(const std::string &path)
{
    RawFile file(path);
    const libraw_image_sizes_t &sizes = file.data().sizes;
    PictureInfo out{sizes.width, sizes.height, file.isMonochrome() ? 1 : 3, 16, {}, file.colour()};
    out.library = file.shot();
    out.cells = file.cells();
    const unsigned top = file.data().color.maximum;
    out.sensorBits = int(std::ceil(std::log2(double(std::max(2u, top)))));
    return out;
}

void readRows(const std::string &path, int reduction, const RawOptions &options, const RowSink &sink, ExecContext &ctx)
{
    RawFile file(path);
    const libraw_image_sizes_t &sizes = file.data().sizes;
    const int fullWidth = sizes.width, fullHeight = sizes.height, r = reduction > 1 ? 2 : 1;
    const int width = (fullWidth + r - 1) / r, height = (fullHeight + r - 1) / r;
    const RawFile::Delivered delivered = file.process(r == 2, options, ctx);
    // The cells of a filter array became pixels; files without one come whole and are averaged here.
    const bool whole = sizes.iwidth == fullWidth && sizes.iheight == fullHeight;
    if (!whole && (sizes.iwidth != width || sizes.iheight != height))
        throw InputError(path, "changes its size while it is read; this kind of sensor cannot be read");
    std::vector<uint16_t> table[3];
    for (int c = 0; c < 3; ++c) {
        table[c].resize(65536);
        for (int i = 0; i < 65536; ++i)
            table[c][size_t(i)] = codeOfLinear(std::min(1.0, delivered.linear(c, i)));
    }
    const int block = whole ? r : 1, stride = sizes.iwidth;
    const ushort(*pixels)[4] = file.data().image;
    const int channels = file.isMonochrome() ? 1 : 3;
    std::vector<uint16_t> row(size_t(width) * size_t(channels));
    for (int y = 0; y < height; ++y) {
        if (block == 1)
            for (int x = 0; x < width; ++x)
                for (int c = 0; c < channels; ++c)
                    row[size_t(channels * x + c)] = table[c][pixels[ptrdiff_t(y) * stride + x][c]];
        else
            for (int x = 0; x < width; ++x)
                for (int c = 0; c < channels; ++c) {
                    const int x1 = std::min(2 * x + 1, stride - 1), y1 = std::min(2 * y + 1, int(sizes.iheight) - 1);
                    const auto at = [&](int u, int v) {
                        return unsigned(table[c][pixels[ptrdiff_t(v) * stride + u][c]]);
                    };
                    row[size_t(channels * x + c)] =
                        uint16_t((at(2 * x, 2 * y) + at(x1, 2 * y) + at(2 * x, y1) + at(x1, y1) + 2) / 4);
                }
        sink(y, {.eight = {}, .sixteen = row});
    }
}

} // namespace

extern const Codec kRawCodec{"raw", &recognises, &readInfo, [](int reduction) { return reduction > 1 ? 2 : 1; },
                             &readRows};

} // namespace yolk
