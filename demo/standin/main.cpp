// A tiny program to hand pictures to: it puts a white border round a 16-bit TIFF, profile and all, or a glowing one round an
// OpenEXR picture, and writes it back.
//
//   yolk-standin FILE            a border of a fiftieth of the longer side
//   yolk-standin FILE --fail     ends with 3 and leaves the file as it is
#include "base/errors.h"
#include "io/atomic_file.h"
#include "io/codec.h"
#include "io/radiance_file.h"
#include "io/tiff.h"

#include <algorithm>
#include <cstdio>
#include <string_view>

using namespace yolk;

namespace {

constexpr float kGlow = 16.0f; // four stops over what the frames clip at

bool isBorder(int x, int y, int width, int height)
{
    const int border = std::max(1, std::max(width, height) / 50);
    return x < border || y < border || x >= width - border || y >= height - border;
}

void borderPicture(const std::string &path)
{
    const Codec &codec = codecOf(path);
    const PictureInfo info = codec.readInfo(path);
    if (info.bits != 16 || info.channels != 3)
        throw InputError(path, "is no colour picture of 16 bits");
    SerialRunner serial;
    ExecContext ctx(serial);
    std::vector<uint16_t> codes;
    codec.readRows(
        path, 1, {},
        [&](int, const CodedRow &row) { codes.insert(codes.end(), row.sixteen.begin(), row.sixteen.end()); }, ctx);
    const size_t samples = size_t(info.width) * 3;
    writeAtomically(path, [&](const std::string &temporary) {
        writeTiff(temporary, info.width, info.height, info.profile, [&](int y, std::span<uint16_t> row) {
            for (size_t i = 0; i < samples; ++i)
                row[i] =
                    isBorder(int(i / 3), y, info.width, info.height) ? uint16_t(65535) : codes[size_t(y) * samples + i];
        });
    });
}

void borderLight(const std::string &path)
{
    RadianceFile file = readExr(path);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < file.rgb.height(); ++y)
            for (int x = 0; x < file.rgb.width(); ++x)
                if (isBorder(x, y, file.rgb.width(), file.rgb.height()))
                    file.rgb.row(c, y)[x] = kGlow;
    writeAtomically(path, [&](const std::string &temporary) { writeExr(temporary, file.rgb.view(), file.notes); });
}

} // namespace

int main(int argc, char **argv)
{
    if (argc < 2) {
        std::fputs("usage: yolk-standin FILE [--fail]\n", stderr);
        return 2;
    }
    if (argc > 2 && std::string_view(argv[2]) == "--fail")
        return 3;
    try {
        const std::string path = argv[1];
        if (path.ends_with(".exr"))
            borderLight(path);
        else
            borderPicture(path);
    } catch (const Error &e) {
        std::fprintf(stderr, "yolk-standin: %s\n", e.what());
        return 1;
    }
    return 0;
}
