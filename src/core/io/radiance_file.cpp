#include "io/radiance_file_p.h"

namespace yolk {

PictureInfo radianceInfo(Shape shape, const Primaries &primaries)
{
    PictureInfo out{shape.width, shape.height, 3, 32, {}};
    out.primaries = primaries;
    return out;
}

void deliver(const RadianceFile &file, const RowSink &sink, ExecContext &ctx)
{
    std::vector<float> row(size_t(file.rgb.width()) * 3);
    for (int y = 0; y < file.rgb.height(); ++y) {
        if (y % kBandRows == 0)
            ctx.throwIfStopped();
        for (int x = 0; x < file.rgb.width(); ++x)
            for (int c = 0; c < 3; ++c)
                row[size_t(3 * x + c)] = file.rgb.row(c, y)[x];
        sink(y, {.real = row});
    }
}

void checkRgb(Shape shape, const std::string &path)
{
    if (shape.empty() || shape.planes != 3)
        throw ArgumentError(path + textOf(": radiance of %d x %d x %d: must have three planes", shape.width,
                                          shape.height, shape.planes));
}

FillStrip copying(ImageView<const float> rgb)
{
    return [rgb](const RadianceStrip &strip) {
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < strip.rgb.height(); ++y)
                std::copy_n(rgb.row(c, strip.y + y), rgb.width(), strip.rgb.row(c, y));
    };
}

void forEachStrip(int width, int height, bool variance, int shares, const FillStrip &fill, const FillStrip &use)
{
    Image<float> rgb(width, kStripRows, 3), noise(width, variance ? kStripRows : 0, 3),
        parts(width, shares ? kStripRows : 0, shares);
    for (int y = 0; y < height; y += kStripRows) {
        const Rect rows{0, 0, width, std::min(kStripRows, height - y)};
        RadianceStrip strip{y, rgb.view().crop(rows), {}, {}};
        if (variance)
            strip.variance = noise.view().crop(rows);
        if (shares)
            strip.shares = parts.view().crop(rows);
        fill(strip);
        use(strip);
    }
}

} // namespace yolk
