// Merged light with mended pieces over it.
#pragma once

#include "image/image.h"

#include <memory>
#include <vector>

namespace yolk {

/// A mended piece: what it shows in place of these pixels.
struct MendPatch {
    Rect area;
    Image<float> light;     ///< three planes
    Image<uint8_t> clipped; ///< as Merged::clipped
    size_t bytes() const { return light.bytes() + clipped.bytes() + sizeof *this; }
};

using MendPatches = std::vector<std::shared_ptr<const MendPatch>>; ///< later ones lie over earlier ones

/// Refers to the images.
class MendedLight {
public:
    /// Shapes: `light` three planes, `clipped` one, both of one size.
    MendedLight(ImageView<const float> light, ImageView<const uint8_t> clipped) : light_(light), clipped_(clipped) {}
    void add(std::shared_ptr<const MendPatch> patch) { patches_.push_back(std::move(patch)); }

    int width() const { return light_.width(); }
    int height() const { return light_.height(); }
    /// An area of it; beyond the picture its edge repeats.
    Image<float> light(const Rect &area) const;
    Image<uint8_t> clipped(const Rect &area) const;

private:
    ImageView<const float> light_;
    ImageView<const uint8_t> clipped_;
    MendPatches patches_;
};

/// Whether some patch shows pixels of row y from x0 to x1.
bool isMended(const MendPatches &patches, int y, int x0, int x1);
/// Lays patches over such pixels of a plane.
void layOver(const MendPatches &patches, int plane, int y, int x0, int x1, float *row);
void layOverClipped(const MendPatches &patches, int y, int x0, int x1, uint8_t *row);

} // namespace yolk
