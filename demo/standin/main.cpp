// A tiny program to hand pictures to: it puts a white border round a 16-bit TIFF and writes it back, profile and all.
//
//   yolk-standin FILE            a border of a fiftieth of the longer side
//   yolk-standin FILE --fail     ends with 3 and leaves the file as it is
#include "base/errors.h"
#include "io/atomic_file.h"
#include "io/codec.h"
#include "io/tiff.h"

#include <algorithm>
#include <cstdio>
#include <string_view>

int main(int argc, char **argv)
{
    using namespace yolk;
    if (argc < 2) {
        std::fputs("usage: yolk-standin FILE [--fail]\n", stderr);
        return 2;
    }
    if (argc > 2 && std::string_view(argv[2]) == "--fail")
        return 3;
    try {
        const std::string path = argv[1];
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
        const int border = std::max(1, std::max(info.width, info.height) / 50);
        const size_t samples = size_t(info.width) * 3;
        for (int y = 0; y < info.height; ++y) {
            const bool isOutside = y < border || y >= info.height - border;
            const auto row = codes.begin() + ptrdiff_t(size_t(y) * samples);
            if (isOutside) {
                std::fill(row, row + ptrdiff_t(samples), uint16_t(65535));
                continue;
            }
            std::fill(row, row + 3 * border, uint16_t(65535));
            std::fill(row + ptrdiff_t(samples) - 3 * border, row + ptrdiff_t(samples), uint16_t(65535));
        }
        writeAtomically(path, [&](const std::string &temporary) {
            writeTiff(temporary, info.width, info.height, info.profile, [&](int y, std::span<uint16_t> row) {
                std::copy_n(codes.begin() + ptrdiff_t(size_t(y) * samples), samples, row.begin());
            });
        });
    } catch (const Error &e) {
        std::fprintf(stderr, "yolk-standin: %s\n", e.what());
        return 1;
    }
    return 0;
}
