#include "frames/frame.h"

#include "base/errors.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <filesystem>
#include <numeric>

namespace yolk {
namespace {

bool swapsSides(Orientation o)
{
    return int(o) >= int(Orientation::MirroredTurnedLeft);
}

/// Raw files: no curve, the camera's white and matrix in one.
CodeValues cameraCodeValues(const CameraColour &camera)
{
    CodeValues out;
    out.name = "camera RGB";
    out.neutral = camera.neutral;
    out.daylight = camera.daylight;
    Matrix3 balance;
    for (size_t i = 0; i < 3; ++i)
        balance.m[4 * i] = 1.0 / camera.neutral[i];
    out.toRec2020 = camera.toRec2020 * balance;
    return out;
}

/// Radiance files: linear already, in the primaries they name, or by the matrix of their profile.
CodeValues radianceCodeValues(const PictureInfo &info)
{
    CodeValues out;
    if (!info.primaries && !info.profile.empty())
        out = codeValuesOf(info.profile);
    else
        out.toRec2020 = rgbToRgb(info.primaries.value_or(kRec709), kRec2020);
    out.name = "linear light";
    out.curves = {};
    return out;
}

/// Table from stored samples to linear codes. Raw files have no curve: their samples are codes already.
std::vector<uint16_t> tableOf(const std::vector<float> &curve, int bits)
{
    const size_t codes = bits == 8 ? 256 : 65536;
    std::vector<uint16_t> table(codes);
    if (curve.empty()) {
        std::iota(table.begin(), table.end(), uint16_t(0));
        return table;
    }
    for (size_t i = 0; i < codes; ++i) {
        const double at = double(i) / double(codes - 1) * double(curve.size() - 1);
        const size_t k = std::min(size_t(at), curve.size() - 2);
        const double part = at - double(k);
        table[i] = codeOfLinear(std::clamp((1.0 - part) * double(curve[k]) + part * double(curve[k + 1]), 0.0, 1.0));
    }
    return table;
}

/// Where stored pixel (x, y) of a width x height picture goes when it is turned upright: an offset and two steps.
struct Turn {
    ptrdiff_t start, perX, perY;
};
Turn turnOf(Orientation o, int width, int height, ptrdiff_t stride)
{
    const ptrdiff_t w = width - 1, h = height - 1;
    switch (o) {
    case Orientation::Mirrored:
        return {w, -1, stride};
    case Orientation::UpsideDown:
        return {w + h * stride, -1, -stride};
    case Orientation::MirroredUpsideDown:
        return {h * stride, 1, -stride};
    case Orientation::MirroredTurnedLeft:
        return {0, stride, 1};
    case Orientation::TurnRight:
        return {h, stride, -1};
    case Orientation::MirroredTurnedRight:
        return {h + w * stride, -stride, -1};
    case Orientation::TurnLeft:
        return {w * stride, -stride, 1};
    case Orientation::Upright:
        break;
    }
    return {0, 1, stride};
}

/// A way across the picture as stored, upright.
std::array<double, 2> turned(Orientation o, double dx, double dy)
{
    constexpr ptrdiff_t kDown = 2;
    const Turn turn = turnOf(o, 1, 1, kDown);
    std::array<double, 2> out{};
    out[std::abs(turn.perX) == kDown] += turn.perX > 0 ? dx : -dx;
    out[std::abs(turn.perY) == kDown] += turn.perY > 0 ? dy : -dy;
    return out;
}

/// Means of r x r blocks of linear codes, row by row.
class BlockMeans {
public:
    BlockMeans(int width, int reduction)
        : width_(width), r_(reduction), sums_(size_t(3 * ((width + reduction - 1) / reduction)))
    {
    }
    void add(std::span<const uint16_t> planarRow) // three planes of `width` samples
    {
        const size_t cells = sums_.size() / 3;
        for (size_t c = 0; c < 3; ++c)
            for (int x = 0; x < width_; ++x)
                sums_[c * cells + size_t(x / r_)] += planarRow[c * size_t(width_) + size_t(x)];
        ++rows_;
    }
    bool full() const { return rows_ == r_; }
    void take(std::vector<uint16_t> &out)
    {
        const size_t cells = sums_.size() / 3;
        out.resize(sums_.size());
        for (size_t i = 0; i < sums_.size(); ++i) {
            const int left = int(i % cells) * r_;
            const uint32_t count = uint32_t(std::min(r_, width_ - left) * rows_);
            out[i] = uint16_t((sums_[i] + count / 2) / count);
        }
        std::ranges::fill(sums_, 0u);
        rows_ = 0;
    }

private:
    int width_, r_, rows_ = 0;
    std::vector<uint32_t> sums_;
};

void checkReduction(int reduction)
{
    if (reduction < 1 || reduction > 64 || !std::has_single_bit(unsigned(reduction)))
        throw ArgumentError(textOf("reduction %d: must be 1, 2, 4, ... 64", reduction));
}

/// What the file says now, which must be what it said when it was loaded.
PictureInfo infoOfUnchanged(const Frame &frame)
{
    PictureInfo info = frame.codec->readInfo(frame.path);
    const bool swapped = swapsSides(frame.metadata.orientation());
    if (info.width != (swapped ? frame.height : frame.width) || info.height != (swapped ? frame.width : frame.height) ||
        (info.camera ? info.sensorBits : info.bits) != frame.bits)
        throw InputError(frame.path, "has changed since it was opened; open the set again");
    return info;
}

} // namespace

FramePtr loadFrame(const std::string &path)
{
    auto frame = std::make_shared<Frame>();
    frame->path = path;
    frame->name = std::filesystem::path(path).filename().string();
    frame->codec = &codecOf(path);
    frame->format = frame->codec->name;
    const PictureInfo info = frame->codec->readInfo(path);
    frame->metadata = readMetadata(path);
    complete(frame->metadata, info.library);
    if (info.isUpright)
        frame->metadata.turned = Orientation::Upright;
    try {
        frame->codeValues = info.camera       ? cameraCodeValues(*info.camera)
                            : info.bits == 32 ? radianceCodeValues(info)
                                              : codeValuesOf(info.profile);
        static_cast<void>(inverse(frame->codeValues.toRec2020)); // white balance goes both ways through it
    } catch (const ArgumentError &e) {
        throw InputError(path, std::string("its colours cannot be read: ") + e.what());
    }
    const bool swapped = swapsSides(frame->metadata.orientation());
    frame->width = swapped ? info.height : info.width;
    frame->height = swapped ? info.width : info.height;
    frame->bits = info.camera ? info.sensorBits : info.bits;
    const double iso = frame->metadata.iso.value_or(100.0);
    frame->codingVariance = info.codingVariance;
    if (info.cells) {
        const auto offset = [&](const std::array<int, 2> &cell) { // a cell's middle lies between its pixels
            return turned(frame->metadata.orientation(), cell[0] - 0.5, cell[1] - 0.5);
        };
        frame->cellOffsets = {offset(info.cells->red), offset(info.cells->blue)};
    }
    frame->assumedNoise =
        info.camera ? defaultRawNoise(frame->bits, iso) : defaultNoise(frame->bits, iso, info.codingVariance);
    frame->id = hashFile(path).hex();
    return frame;
}

Shape reducedShape(const Frame &frame, int reduction)
{
    return {(frame.width + reduction - 1) / reduction, (frame.height + reduction - 1) / reduction, 3};
}

ColourOffsets colourOffsets(const Frame &frame, int reduction)
{
    ColourOffsets out = frame.cellOffsets;
    for (auto *way : {&out.red, &out.blue})
        for (double &v : *way)
            v = reduction > 1 ? v / reduction : 0.0;
    return out;
}

Image<uint16_t> decodeFrame(const Frame &frame, int reduction, ExecContext &ctx, const RawOptions &raw)
{
    if (frame.isRadiance())
        throw ArgumentError(frame.path + ": is radiance, not a frame of 16 bits");
    checkReduction(reduction);
    const PictureInfo info = infoOfUnchanged(frame);
    const bool swapped = swapsSides(frame.metadata.orientation());
    const int byCodec = frame.codec->reducedBy(reduction), byUs = reduction / byCodec;
    const int codedWidth = (info.width + byCodec - 1) / byCodec, codedHeight = (info.height + byCodec - 1) / byCodec;
    const int width = (codedWidth + byUs - 1) / byUs, height = (codedHeight + byUs - 1) / byUs;
    Image<uint16_t> out({swapped ? height : width, swapped ? width : height, 3}, Fill::Anything);
    const Turn turn = turnOf(frame.metadata.orientation(), width, height, out.view().rowStride());
    const std::array<std::vector<uint16_t>, 3> tables = {tableOf(frame.codeValues.curves[0], info.bits),
                                                         tableOf(frame.codeValues.curves[1], info.bits),
                                                         tableOf(frame.codeValues.curves[2], info.bits)};
    const auto target = [&](int c, int y) { return out.row(c, 0) + turn.start + y * turn.perY; };
    const auto store = [&](int y, const uint16_t *planar) {
        for (int c = 0; c < 3; ++c) {
            uint16_t *to = target(c, y);
            const uint16_t *in = planar + size_t(c) * size_t(width);
            for (int x = 0; x < width; ++x)
                to[x * turn.perX] = in[x];
        }
    };
    std::vector<uint16_t> planar(size_t(codedWidth) * 3), means;
    BlockMeans blocks(codedWidth, byUs);
    const auto linearise = [&](const auto &samples, auto &&rowOf) {
        const size_t channels = size_t(info.channels), n = size_t(codedWidth);
        for (size_t c = 0; c < 3; ++c) {
            const uint16_t *table = tables[c].data();
            const auto *in = samples.data() + (channels == 3 ? c : 0);
            uint16_t *to = rowOf(int(c));
            for (size_t x = 0; x < n; ++x)
                to[x] = table[in[x * channels]];
        }
    };
    const bool straight = byUs == 1 && turn.perX == 1;
    int written = 0;
    frame.codec->readRows(
        frame.path, byCodec, raw,
        [&](int y, const CodedRow &row) {
            if (y % kBandRows == 0) {
                ctx.throwIfStopped();
                ctx.report(double(y) / codedHeight);
            }
            const auto rowOf = [&](int c) {
                return straight ? target(c, y) : planar.data() + ptrdiff_t(c) * codedWidth;
            };
            if (row.eight.empty())
                linearise(row.sixteen, rowOf);
            else
                linearise(row.eight, rowOf);
            if (straight)
                return void(++written);
            if (byUs == 1)
                return store(written++, planar.data());
            blocks.add(planar);
            if (blocks.full() || y == codedHeight - 1) {
                blocks.take(means);
                store(written++, means.data());
            }
        },
        ctx);
    if (written != height)
        throw InputError(frame.path, textOf("holds %d of its %d rows", written, height));
    ctx.report(1.0);
    return out;
}

Image<float> decodeRadiance(const Frame &frame, int reduction, ExecContext &ctx)
{
    if (!frame.isRadiance())
        throw ArgumentError(frame.path + ": is a frame, not radiance");
    checkReduction(reduction);
    const PictureInfo info = infoOfUnchanged(frame);
    const bool swapped = swapsSides(frame.metadata.orientation());
    const int width = (info.width + reduction - 1) / reduction, height = (info.height + reduction - 1) / reduction;
    Image<float> out(swapped ? height : width, swapped ? width : height, 3);
    const Turn turn = turnOf(frame.metadata.orientation(), width, height, out.view().rowStride());
    std::vector<double> sums(size_t(width) * 3);
    frame.codec->readRows(
        frame.path, 1, {},
        [&](int y, const CodedRow &row) {
            if (y % kBandRows == 0) {
                ctx.throwIfStopped();
                ctx.report(double(y) / info.height);
            }
            const size_t channels = size_t(info.channels);
            for (int x = 0; x < info.width; ++x)
                for (size_t c = 0; c < 3; ++c) {
                    const float v = row.real[size_t(x) * channels + (channels == 3 ? c : 0)];
                    constexpr float kMost = 1e9f; // infinities too; far beyond any sun
                    sums[size_t(x / reduction) * 3 + c] += std::isnan(v) ? 0.0 : double(std::clamp(v, -kMost, kMost));
                }
            if ((y + 1) % reduction != 0 && y + 1 < info.height)
                return;
            const int rows = y % reduction + 1;
            for (int x = 0; x < width; ++x)
                for (int c = 0; c < 3; ++c) {
                    double &sum = sums[size_t(3 * x + c)];
                    const int columns = std::min(reduction, info.width - x * reduction);
                    out.row(c, 0)[turn.start + y / reduction * turn.perY + x * turn.perX] =
                        float(sum / (rows * columns));
                    sum = 0.0;
                }
        },
        ctx);
    ctx.report(1.0);
    return out;
}

Image<uint16_t> blockMeans(ImageView<const uint16_t> codes, int factor)
{
    if (factor < 1 || factor > 64 || codes.shape().planes != 3)
        throw ArgumentError(
            textOf("blocks of %d pixels in %d planes: must be 1 to 64 in 3", factor, codes.shape().planes));
    const int width = codes.width(), height = codes.height();
    Image<uint16_t> out((width + factor - 1) / factor, (height + factor - 1) / factor, 3);
    BlockMeans blocks(width, factor);
    std::vector<uint16_t> planar(size_t(width) * 3), means;
    for (int y = 0; y < height; ++y) {
        for (int c = 0; c < 3; ++c)
            std::copy_n(codes.row(c, y), width, planar.data() + ptrdiff_t(c) * width);
        blocks.add(planar);
        if (!blocks.full() && y < height - 1)
            continue;
        blocks.take(means);
        for (int c = 0; c < 3; ++c)
            std::copy_n(means.data() + ptrdiff_t(c) * out.width(), out.width(), out.row(c, y / factor));
    }
    return out;
}

} // namespace yolk
