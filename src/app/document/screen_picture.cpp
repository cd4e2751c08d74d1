#include "document/screen_picture.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/resample.h"
#include "render/files/display_codes.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <iterator>
#include <vector>

namespace yolk::app {

QImage screenPicture(ImageView<const float> display, const MonitorTransform *monitor, ExecContext &ctx)
{
    QImage out(display.width(), display.height(), QImage::Format_RGB32);
    uchar *bits = out.bits(); // once: it detaches
    const qsizetype stride = out.bytesPerLine();
    forEachBand(ctx, display.height(), [&](int y0, int y1) {
        std::vector<uint16_t> fine(monitor ? size_t(display.width()) * 3 : 0);
        std::vector<uint8_t> row(fine.size());
        for (int y = y0; y < y1; ++y) {
            auto *to = reinterpret_cast<QRgb *>(bits + y * stride);
            if (!monitor) {
                encodeRowRgb32(display, y, to);
                continue;
            }
            encodeRow16(display, y, fine);
            monitor->convert(fine, row);
            for (size_t x = 0; x < size_t(display.width()); ++x)
                to[x] = qRgb(row[3 * x], row[3 * x + 1], row[3 * x + 2]);
        }
    });
    return out;
}

QImage enlarged(QImage picture, const QSize &size)
{
    if (picture.size() == size)
        return picture;
    QImage out(size, QImage::Format_RGB32);
    const cv::Mat from(picture.height(), picture.width(), CV_8UC4, const_cast<uchar *>(picture.constBits()),
                       size_t(picture.bytesPerLine()));
    cv::Mat to(size.height(), size.width(), CV_8UC4, out.bits(), size_t(out.bytesPerLine()));
    cv::resize(from, to, to.size(), 0.0, 0.0, cv::INTER_LINEAR);
    return out;
}

QColor screenColour(const Vector3 &linear)
{
    Image<float> pixel(1, 1, 3); // by the coder of views and files, so that a reading is what they hold
    for (int c = 0; c < 3; ++c)
        pixel.row(c, 0)[0] = float(linear[size_t(c)]);
    std::array<uint8_t, 3> codes;
    encodeRow8(pixel.view(), 0, codes);
    return QColor(codes[0], codes[1], codes[2]);
}

void paintHatching(QImage &picture, ImageView<const uint8_t> hatch, const QColor &overlay, const QPoint &origin)
{
    constexpr int kPeriod = 8, kStripe = 3; // device pixels
    const QRgb clipped = overlay.rgb(), above = qRgb(255, 255, 255), below = qRgb(0, 0, 0);
    const auto stripe = [](int along) { return ((along % kPeriod) + kPeriod) % kPeriod < kStripe; };
    for (int y = 0; y < picture.height(); ++y) {
        auto *row = reinterpret_cast<QRgb *>(picture.scanLine(y));
        const uint8_t *marks = hatch.row(0, y);
        for (int x = 0; x < picture.width(); ++x) {
            uint64_t eight; // most of a picture has no marks
            if (x + 8 <= picture.width() && (std::memcpy(&eight, marks + x, sizeof eight), eight == 0)) {
                x += 7;
                continue;
            }
            if (marks[x] == 0)
                continue;
            const int u = x + origin.x(), v = y + origin.y();
            switch (Hatch(marks[x])) {
            case Hatch::Clipped: // on grey, so that it is seen on any picture
                row[x] = stripe(u + v) ? clipped : qRgb(214, 213, 209);
                break;
            case Hatch::Moved: // what lies under it stays visible
                row[x] = ((u - v) % (2 * kPeriod) + 2 * kPeriod) % (2 * kPeriod) < kStripe ? clipped : row[x];
                break;
            case Hatch::Reached: // sparse: the picture is what it is about
                row[x] = ((u + v) % (2 * kPeriod) + 2 * kPeriod) % (2 * kPeriod) < kStripe ? clipped : row[x];
                break;
            case Hatch::EndsWhite: // leaning the other way than the dark end
                row[x] = stripe(u - v) ? clipped : row[x];
                break;
            case Hatch::EndsBlack:
                row[x] = stripe(u + v) ? clipped : row[x];
                break;
            case Hatch::Above:
                row[x] = stripe(u - v) ? above : row[x];
                break;
            case Hatch::Below:
                row[x] = stripe(u + v) ? below : row[x];
                break;
            case Hatch::None:
                break;
            }
        }
    }
}

void paintMask(QImage &picture, ImageView<const float> mask, const QColor &overlay, const QPoint &origin)
{
    constexpr int kPeriod = 14, kWidest = 6; // device pixels
    for (int y = 0; y < picture.height(); ++y) {
        auto *row = reinterpret_cast<QRgb *>(picture.scanLine(y));
        const float *m = mask.row(0, y);
        for (int x = 0; x < picture.width(); ++x) {
            const int along = ((x + origin.x() + y + origin.y()) % kPeriod + kPeriod) % kPeriod;
            if (float(along) + 0.5f < m[x] * kWidest)
                row[x] = overlay.rgb();
        }
    }
}

namespace {

QImage smallPicture(const Image<float> &linear, int side, ExecContext &ctx)
{
    const double scale = std::min(1.0, double(side) / std::max(linear.width(), linear.height()));
    const int width = std::max(1, int(std::lround(linear.width() * scale)));
    const int height = std::max(1, int(std::lround(linear.height() * scale)));
    const Image<float> small =
        resample(linear.view(), {0, 0, double(linear.width()), double(linear.height())}, width, height, ctx);
    return screenPicture(small.view(), nullptr, ctx);
}

/// Merged radiance, its median at middle grey.
QImage radianceThumbnail(const Frame &frame, int reduction, int side, ExecContext &ctx)
{
    Image<float> light = decodeRadiance(frame, reduction, ctx);
    std::vector<float> greens;
    for (int y = 0; y < light.height(); ++y)
        std::copy_if(light.row(1, y), light.row(1, y) + light.width(), std::back_inserter(greens),
                     [](float v) { return v > 0.0f; });
    constexpr double kGrey = 0.18;
    double exposure = 1.0;
    if (!greens.empty()) {
        const auto middle = greens.begin() + ptrdiff_t(greens.size() / 2);
        std::nth_element(greens.begin(), middle, greens.end());
        exposure = kGrey / double(*middle);
    }
    const Matrix3 m = rgbToRgb(kRec2020, kRec709) * frame.codeValues.toRec2020;
    for (int y = 0; y < light.height(); ++y)
        for (int x = 0; x < light.width(); ++x) {
            const Vector3 rgb = m * Vector3{light.row(0, y)[x], light.row(1, y)[x], light.row(2, y)[x]};
            for (int c = 0; c < 3; ++c) // cut before pixels are averaged, as a sensor would
                light.row(c, y)[x] = float(std::clamp(exposure * rgb[size_t(c)], 0.0, 1.0));
        }
    return smallPicture(light, side, ctx);
}

} // namespace

QImage frameThumbnail(const Frame &frame, int side, ExecContext &ctx)
{
    const int longest = std::max(frame.width, frame.height);
    int reduction = 1;
    // Channels of a raw frame clip at different light: they must be cut to white before pixels are averaged.
    const int most = frame.isRaw() ? 2 : 32;
    while (reduction < most && longest / (2 * reduction) >= side)
        reduction *= 2;
    if (frame.isRadiance())
        return radianceThumbnail(frame, reduction, side, ctx);
    return frameThumbnail(frame, decodeFrame(frame, reduction, ctx).view(), side, ctx);
}

QImage frameThumbnail(const Frame &frame, ImageView<const uint16_t> decoded, int side, ExecContext &ctx)
{
    Image<float> linear(decoded.shape());
    const Matrix3 m = rgbToRgb(kRec2020, kRec709) * frame.codeValues.toRec2020;
    const Vector3 &white = frame.codeValues.neutral; // no channel may pass it, or clipped places take on a colour
    for (int y = 0; y < decoded.height(); ++y)
        for (int x = 0; x < decoded.width(); ++x) {
            Vector3 light;
            for (int c = 0; c < 3; ++c)
                light[size_t(c)] = std::min(double(linearOfCode(decoded.row(c, y)[x])), white[size_t(c)]);
            const Vector3 rgb = m * light;
            for (int c = 0; c < 3; ++c)
                linear.row(c, y)[x] = float(rgb[size_t(c)]);
        }
    return smallPicture(linear, side, ctx);
}

} // namespace yolk::app
