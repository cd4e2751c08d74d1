#include "render/set/sources.h"

#include <algorithm>

namespace yolk {

int previewReduction(const Sources &sources)
{
    constexpr double kPreviewPixels = 1.3e6;
    double pixels = 1.0;
    for (const FramePtr &f : sources.frames)
        pixels = std::max(pixels, double(f->width) * f->height);
    int r = 1;
    while (r < 64 && pixels / (double(r) * r) > 1.2 * kPreviewPixels)
        r *= 2;
    return r;
}

} // namespace yolk
