#include "render/files/hdr_jpeg.h"

#include "base/errors.h"
#include "colour/icc.h"
#include "io/codec.h"
#include "io/jpeg.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>

namespace yolk {

std::vector<std::byte> gainMapFile(const std::string &jpeg, ImageView<const float> standard,
                                   ImageView<const float> bright, double headroom, ExecContext &ctx)
{
    const int width = standard.width(), height = standard.height();
    GainMap map;
    map.headroom = headroom;
    Image<float> gains(width, height, 3);
    const float offset = float(map.offset);
    const Codec &codec = codecOf(jpeg);
    const CodeValues values = codeValuesOf(codec.readInfo(jpeg).profile);
    std::array<std::array<float, 256>, 3> lightOf{};
    for (size_t c = 0; c < 3; ++c)
        for (size_t code = 0; code < 256; ++code)
            lightOf[c][code] = values.curves[c][(code * (values.curves[c].size() - 1) + 127) / 255];
    codec.readRows(
        jpeg, 1, {},
        [&](int y, const CodedRow &row) {
            if (y % 8 == 0)
                ctx.throwIfStopped();
            for (size_t c = 0; c < 3; ++c)
                for (size_t x = 0; x < size_t(width); ++x) {
                    const float wanted = bright.row(int(c), y)[x];
                    gains.row(int(c), y)[x] = wanted == standard.row(int(c), y)[x]
                                                  ? 0.0f
                                                  : std::log2((std::max(wanted, 0.0f) + offset) /
                                                              (lightOf[c][row.eight[3 * x + c]] + offset));
                }
        },
        ctx);
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
    constexpr int kQuality = 98; // at 95 coding errs by more than a step of 8 bits of some stops
    const std::vector<std::byte> coded = encodeJpeg(
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
    return withGainMapMetadata(coded, map);
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
