#include "io/codec.h"

#include "base/errors.h"
#include "base/text.h"

#include <array>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <sys/stat.h>

namespace yolk {

const Codec &codecOf(const std::string &path)
{
    struct stat status {};
    if (stat(path.c_str(), &status) != 0)
        throw InputError(path, errno == ENOENT ? "there is no such file" : std::strerror(errno));
    if (!S_ISREG(status.st_mode))
        throw InputError(path, S_ISDIR(status.st_mode) ? "is a folder, not a picture" : "is not a regular file");
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "rb"), &std::fclose);
    if (!file)
        throw InputError(path, std::strerror(errno));
    std::array<std::byte, 16> head{};
    const size_t got = std::fread(head.data(), 1, head.size(), file.get());
    if (got == 0)
        throw InputError(path, "the file is empty");
    for (const Codec *codec :
         {&kJpegCodec, &kRawCodec, &kTiffCodec, &kPngCodec, &kHeifCodec, &kJxlCodec, &kExrCodec, &kHdrCodec})
        if (codec->recognises(std::span(head).first(got), path))
            return *codec;
    throw InputError(path, "is not a picture in a format that can be read (raw, DNG, TIFF, JPEG, PNG, HEIF, AVIF, "
                           "JPEG XL, EXR, HDR)");
}

void checkSize(const std::string &path, long long width, long long height)
{
    if (width < 1 || height < 1)
        throw InputError(path, textOf("says that it has %lld x %lld pixels", width, height));
    if (double(width) * double(height) > kLargestMegapixels * 1e6)
        throw InputError(path, textOf("says that it has %lld x %lld pixels, more than the %.0f megapixels that can be "
                                      "opened",
                                      width, height, kLargestMegapixels));
}

} // namespace yolk
