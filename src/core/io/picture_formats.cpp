#include "io/picture_formats.h"

#include "base/errors.h"
#include "base/text.h"

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <filesystem>
#include <vector>

namespace yolk {

std::span<const std::string> suffixesOf(PictureFormat format)
{
    static const auto all = [] {
        std::array<std::vector<std::string>, kPictureFormats.size()> out;
        for (const FormatTraits &traits : kPictureFormats)
            for (const std::string_view suffix : partsOf(traits.suffixes, ' '))
                out[size_t(traits.format)].emplace_back(suffix);
        return out;
    }();
    return all[size_t(format)];
}

std::string extensionOf(const std::string &path)
{
    std::string ext = std::filesystem::path(path).extension().string();
    std::ranges::transform(ext, ext.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return ext;
}

PictureFormat pictureFormatOf(const std::string &path)
{
    const std::string ext = extensionOf(path);
    std::string possible;
    for (const FormatTraits &traits : kPictureFormats) {
        const auto suffixes = suffixesOf(traits.format);
        if (std::ranges::find(suffixes, ext) != suffixes.end())
            return traits.format;
        possible += (possible.empty() ? "" : ", ") + suffixes.front();
    }
    throw ArgumentError(path + ": a finished picture can be written as " + possible);
}

int depthFor(PictureFormat format, int asked)
{
    const FormatTraits &traits = traitsOf(format);
    if (asked == 0)
        return traits.usualDepth;
    int best = traits.depths[0];
    for (const int depth : traits.depths)
        if (depth != 0 && std::abs(depth - asked) <= std::abs(best - asked))
            best = depth;
    return best;
}

} // namespace yolk
