#include "render/stages/scene_rows.h"

#include "colour/matrix_rows.h"

#include <algorithm>

namespace yolk {

SceneRows::SceneRows(const MergedSet &set, const Matrix3 &white, const Matrix3 &onwards)
    : set_(set), matrix_(onwards * white), shifts_(set.clippedShare > 0.0 && white != set.colour.toRec2020)
{
    const Vector3 asShot = set.colour.toRec2020 * set.colour.neutral, now = white * set.colour.neutral;
    const Vector3 shift = onwards * Vector3{asShot[0] - now[0], asShot[1] - now[1], asShot[2] - now[2]};
    std::ranges::copy(shift, shift_);
}

void SceneRows::read(int y, int x0, int x1, float *const to[3]) const
{
    const Merged &pixels = set_.pixels;
    const float *const from[3] = {pixels.radiance.row(0, y) + x0, pixels.radiance.row(1, y) + x0,
                                  pixels.radiance.row(2, y) + x0};
    turnRow(matrix_, from, x1 - x0, to);
    if (!shifts_)
        return;
    const uint8_t *clipped = pixels.clipped.row(0, y);
    for (int x = x0; x < x1; ++x)
        if (clipped[x] > 1)
            for (int c = 0; c < 3; ++c)
                to[c][x - x0] += shift_[c] * clippedLight(set_, x, y);
}

void SceneRows::turn(const float *const from[4], int count, float *const to[3]) const
{
    turnRow(matrix_, from, count, to);
    for (int c = 0; shifts_ && c < 3; ++c)
        for (int x = 0; x < count; ++x)
            to[c][x] += shift_[c] * from[3][x];
}

float SceneRows::clippedLight(const MergedSet &set, int x, int y)
{
    float level = 0.0f; // a mix of the frame's value and white of this level has the same level
    for (int c = 0; c < 3; ++c)
        level = std::max(level, set.pixels.radiance.row(c, y)[x] / float(set.colour.neutral[size_t(c)]));
    return level * float(set.pixels.clipped.row(0, y)[x] - 1) / 254.0f;
}

} // namespace yolk
