#include "render/files/hdr_jpeg.h"

#include "base/errors.h"
#include "io/jpeg.h"

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>

namespace yolk {

std::vector<std::byte> gainMapFile(ImageView<const float> standard, ImageView<const float> bright, double headroom,
                                   ExecContext &ctx)
{
    const int width = standard.width(), height = standard.height();
    GainMap map;
    map.headroom = headroom;
    Image<float> gains(width, height, 3);
    const float offset = float(map.offset);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int c = 0; c < 3; ++c)
            for (int y = y0; y < y1; ++y)
                for (int x = 0; x < width; ++x)
                    gains.row(c, y)[x] = std::log2((std::max(bright.row(c, y)[x], 0.0f) + offset) /
                                                   (std::max(standard.row(c, y)[x], 0.0f) + offset));
    });
    for (int c = 0; c < 3; ++c) {
        float least = 0.0f, most = 0.0f; // no gain is always among them
        for (int y = 0; y < height; ++y) {
            const auto [low, high] = std::minmax_element(gains.row(c, y), gains.row(c, y) + width);
            least = std::min(least, *low);
            most = std::max(most, *high);
        }
        constexpr double kApart = 0.01; // stops, where nothing shines
        map.least[size_t(c)] = double(least);
        map.most[size_t(c)] = std::max(double(most), double(least) + kApart);
    }
    constexpr int kQuality = 95; // errors well below a step of 8 bits of some stops
    const std::vector<std::byte> jpeg = encodeJpeg(
        width, height, kQuality, {},
        [&](int y, std::span<uint8_t> row) {
            if (y % 8 == 0)
                ctx.throwIfStopped();
            for (size_t c = 0; c < 3; ++c) {
                const float low = float(map.least[c]), scale = 255.0f / float(map.most[c] - map.least[c]);
                for (size_t x = 0; x < size_t(width); ++x)
                    row[3 * x + c] = uint8_t(std::clamp((gains.row(int(c), y)[x] - low) * scale + 0.5f, 0.0f, 255.0f));
            }
        },
        JpegChroma::Full);
    return withGainMapMetadata(jpeg, map);
}

void appendGainMap(const std::string &path, std::span<const std::byte> map)
{
    std::vector<std::byte> standard;
    {
        std::ifstream in(path, std::ios::binary | std::ios::ate);
        standard.resize(in ? size_t(in.tellg()) : 0);
        in.seekg(0);
        in.read(reinterpret_cast<char *>(standard.data()), std::streamsize(standard.size()));
        if (!in)
            throw OutputError(path, "cannot be read again");
    }
    const std::vector<std::byte> both = joinedWithMap(standard, map);
    std::ofstream out(path, std::ios::binary | std::ios::trunc);
    out.write(reinterpret_cast<const char *>(both.data()), std::streamsize(both.size()));
    out.flush();
    if (!out)
        throw OutputError(path, errno ? std::strerror(errno) : "could not be written whole");
}

} // namespace yolk
