#include "support/synthetic.h"

#include <QDir>
#include <QFile>

#include <algorithm>
#include <cmath>
#include <random>

namespace yolk::test {

Image<float> flat(int width, int height, float r, float g, float b)
{
    Image<float> out(width, height, 3);
    const float rgb[3] = {r, g, b};
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            std::fill_n(out.row(c, y), width, rgb[c]);
    return out;
}

Image<float> rampScene(int width, int height, double low, double stops)
{
    Image<float> out(width, height, 3);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double light = low * std::exp2(stops * x / std::max(1, width - 1)) * (1.0 + 0.2 * std::sin(y * 0.7));
            out.row(0, y)[x] = float(light * 1.1);
            out.row(1, y)[x] = float(light);
            out.row(2, y)[x] = float(light * 0.8);
        }
    return out;
}

Image<float> grainyScene(int width, int height, double low, double stops)
{
    std::mt19937 random(3);
    Image<float> out(width, height, 3);
    for (int y = 0; y < height; y += 4)
        for (int x = 0; x < width; x += 4) {
            const auto light = float(low * std::exp2(stops * double(random() % 1024) / 1024.0));
            for (int c = 0; c < 3; ++c)
                for (int v = y; v < std::min(height, y + 4); ++v)
                    std::fill_n(out.row(c, v) + x, std::min(4, width - x), light);
        }
    return out;
}

Image<uint16_t> codesOf(ImageView<const float> linear)
{
    Image<uint16_t> out(linear.shape());
    for (int c = 0; c < linear.planes(); ++c)
        for (int y = 0; y < linear.height(); ++y)
            for (int x = 0; x < linear.width(); ++x)
                out.row(c, y)[x] = codeOfLinear(std::min(double(linear.row(c, y)[x]), 1.0));
    return out;
}

demo::Shot shotAt(double ev, double clipsAt, uint64_t seed)
{
    demo::Shot shot;
    shot.clipsAt = clipsAt * std::exp2(-ev);
    shot.exposureSeconds = std::exp2(ev) / 32.0; // 0 EV is marked 1/32 s
    shot.seed = seed;
    return shot;
}

QStringList writeBracket(const QString &folder, ImageView<const float> scene, const std::vector<double> &evs,
                         double clipsAt, demo::FrameFile kind)
{
    QStringList paths;
    for (size_t i = 0; i < evs.size(); ++i) {
        const demo::Shot shot = shotAt(evs[i], clipsAt, i + 1);
        paths << QDir(folder).filePath(
            QStringLiteral("frame%1.%2")
                .arg(i + 1)
                .arg(kind == demo::FrameFile::Jpeg ? QStringLiteral("jpg") : QStringLiteral("tif")));
        demo::writeFrame(paths.back().toStdString(), demo::expose(scene, shot).view(), shot, kind);
    }
    return paths;
}

DecodedPtr decodeAtOnce(const Frame &frame, int reduction, ExecContext &ctx)
{
    return std::make_shared<const Image<uint16_t>>(decodeFrame(frame, reduction, ctx));
}

SensorLookPtr lookAtOnce(const Frame &frame, ExecContext &ctx)
{
    auto out = std::make_shared<SensorLook>();
    decodeFrame(frame, measuringReduction(frame), ctx,
                {.count = [&](const SensorCounts &counts) { out->counts = counts; },
                 .look = [&](const Mosaic &mosaic) { out->standingOut = standingOut(mosaic); }});
    return out;
}

QByteArray bytesOf(const QString &path, qint64 count)
{
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? (count < 0 ? file.readAll() : file.read(count)) : QByteArray();
}

void writeBytes(const QString &path, const QByteArray &bytes)
{
    QFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size())
        qFatal("cannot write %s", qPrintable(path));
}

} // namespace yolk::test
