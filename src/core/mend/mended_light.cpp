#include "mend/mended_light.h"

#include <algorithm>

namespace yolk {
namespace {

/// Lays the part of row y that a patch shows over pixels from x0 to x1.
template <class T> void layPatch(const Rect &area, const T *from, int y, int x0, int x1, T *row)
{
    const int left = std::max(x0, area.x0), right = std::min(x1, area.x1);
    if (y >= area.y0 && y < area.y1 && left < right)
        std::copy(from + left - area.x0, from + right - area.x0, row + left - x0);
}

template <class T> const T *rowOf(const Image<T> &image, const Rect &area, int plane, int y)
{
    return image.row(plane, std::clamp(y - area.y0, 0, image.height() - 1));
}

/// An area of a plane; beyond the picture its edge repeats.
template <class T, class Lay>
void readArea(ImageView<const T> from, int plane, const Rect &area, Image<T> &to, const Lay &lay)
{
    const int left = std::clamp(area.x0, 0, from.width() - 1), right = std::clamp(area.x1, left + 1, from.width());
    std::vector<T> row(size_t(right - left));
    for (int y = 0; y < area.height(); ++y) {
        const int at = std::clamp(area.y0 + y, 0, from.height() - 1);
        std::copy(from.row(plane, at) + left, from.row(plane, at) + right, row.begin());
        lay(at, left, right, row.data());
        for (int x = 0; x < area.width(); ++x)
            to.row(plane, y)[x] = row[size_t(std::clamp(area.x0 + x, left, right - 1) - left)];
    }
}

} // namespace

bool isMended(const MendPatches &patches, int y, int x0, int x1)
{
    return std::ranges::any_of(patches, [&](const auto &patch) {
        return y >= patch->area.y0 && y < patch->area.y1 && x0 < patch->area.x1 && x1 > patch->area.x0;
    });
}

void layOver(const MendPatches &patches, int plane, int y, int x0, int x1, float *row)
{
    for (const auto &patch : patches)
        layPatch(patch->area, rowOf(patch->light, patch->area, plane, y), y, x0, x1, row);
}

void layOverClipped(const MendPatches &patches, int y, int x0, int x1, uint8_t *row)
{
    for (const auto &patch : patches)
        layPatch(patch->area, rowOf(patch->clipped, patch->area, 0, y), y, x0, x1, row);
}

Image<float> MendedLight::light(const Rect &area) const
{
    Image<float> out({area.width(), area.height(), 3}, Fill::Anything);
    for (int c = 0; c < 3; ++c)
        readArea(light_, c, area, out, [&](int y, int x0, int x1, float *row) {
            for (const auto &patch : patches_)
                layPatch(patch->area, rowOf(patch->light, patch->area, c, y), y, x0, x1, row);
        });
    return out;
}

Image<uint8_t> MendedLight::clipped(const Rect &area) const
{
    Image<uint8_t> out({area.width(), area.height(), 1}, Fill::Anything);
    readArea(clipped_, 0, area, out, [&](int y, int x0, int x1, uint8_t *row) {
        for (const auto &patch : patches_)
            layPatch(patch->area, rowOf(patch->clipped, patch->area, 0, y), y, x0, x1, row);
    });
    return out;
}

} // namespace yolk
