#include "render/stages/scene_rows.h"

#include "colour/matrix_rows.h"

#include <algorithm>
#include <vector>

namespace yolk {

SceneRows::SceneRows(const MergedSet &set, const Matrix3 &white, LampWhitePtr lamp, const RadialCurve &rim,
                     const Matrix3 &onwards, MendingPtr mending)
    : set_(set), mending_(std::move(mending)), lamp_(std::move(lamp)), rim_(rim, set.fullWidth, set.fullHeight),
      matrix_(onwards * white), asShot_(onwards * (set.colour.toRec2020 * set.colour.neutral)),
      shifts_(set.clippedShare > 0.0 && (lamp_ || white != set.colour.toRec2020))
{
}

/// What a pixel's white becomes goes off again, and as it is shot comes in its place. `gains` of the lamp.
SceneRows::Shift SceneRows::shiftOf(int x, float light, const Vector3 &gains) const
{
    const Vector3 &neutral = set_.colour.neutral;
    const Vector3 now = matrix_ * Vector3{gains[0] * neutral[0], gains[1] * neutral[1], gains[2] * neutral[2]};
    Shift out{x, {}};
    for (size_t c = 0; c < 3; ++c)
        out.add[c] = float(asShot_[c] - now[c]) * light;
    return out;
}

template <class LightAt>
void SceneRows::turn(const float *const from[3], int count, const Place &place, const LightAt &lightAt,
                     float *const to[3]) const
{
    std::vector<Shift> shifts;
    const float *in[3] = {from[0], from[1], from[2]};
    if (lamp_) {
        std::vector<float> before[3]; // where it clips: the results may lie on the pixels
        if (shifts_)
            for (int c = 0; c < 3; ++c)
                before[c].assign(from[c], from[c] + count);
        lamp_->gains.apply(from, count, place.x, place.step, place.y, to);
        std::ranges::copy(to, to + 3, in);
        for (int x = 0; shifts_ && x < count; ++x)
            if (const float light = lightAt(x); light > 0.0f) {
                Vector3 gains;
                for (size_t c = 0; c < 3; ++c)
                    gains[c] = before[c][size_t(x)] > 0.0f ? double(to[c][x]) / double(before[c][size_t(x)]) : 1.0;
                shifts.push_back(shiftOf(x, light, gains));
            }
    } else if (shifts_) {
        for (int x = 0; x < count; ++x)
            if (const float light = lightAt(x); light > 0.0f)
                shifts.push_back(shiftOf(x, light, {1.0, 1.0, 1.0}));
    }
    turnRow(matrix_, in, count, to);
    for (const Shift &shift : shifts)
        for (size_t c = 0; c < 3; ++c)
            to[c][shift.x] += shift.add[c];
    rim_.apply(to, count, place.x, place.step, place.y);
}

void SceneRows::read(int y, int x0, int x1, float *const to[3]) const
{
    const Merged &pixels = set_.pixels;
    const float *const from[3] = {pixels.radiance.row(0, y) + x0, pixels.radiance.row(1, y) + x0,
                                  pixels.radiance.row(2, y) + x0};
    const double step = double(set_.reduction) / set_.fullWidth;
    const Place place{(x0 + 0.5) * step, step, (y + 0.5) * set_.reduction / set_.fullHeight};
    if (!mending_ || !isMended(mending_->patches, y, x0, x1))
        return turn(
            from, x1 - x0, place,
            [&](int x) { return clippedLight(set_.colour, from, pixels.clipped.row(0, y)[x0 + x], x); }, to);
    std::vector<uint8_t> clipped(pixels.clipped.row(0, y) + x0, pixels.clipped.row(0, y) + x1);
    layOverClipped(mending_->patches, y, x0, x1, clipped.data());
    for (int c = 0; c < 3; ++c) {
        std::copy(from[c], from[c] + (x1 - x0), to[c]);
        layOver(mending_->patches, c, y, x0, x1, to[c]);
    }
    std::vector<float> lights; // before the pixels change under it
    const float *const mended[3] = {to[0], to[1], to[2]};
    for (int x = 0; shifts_ && x < x1 - x0; ++x)
        lights.push_back(clippedLight(set_.colour, mended, clipped[size_t(x)], x));
    turn(
        mended, x1 - x0, place, [&](int x) { return lights[size_t(x)]; }, to);
}

void SceneRows::turn(const float *const from[4], int count, const Place &place, float *const to[3]) const
{
    turn(
        from, count, place, [&](int x) { return from[3][x]; }, to);
}

float SceneRows::clippedLight(const CodeValues &colour, const float *const rgb[3], uint8_t clipped, int x)
{
    if (clipped <= 1)
        return 0.0f;
    float level = 0.0f; // a mix of the frame's value and white of this level has the same level
    for (int c = 0; c < 3; ++c)
        level = std::max(level, rgb[c][x] / float(colour.neutral[size_t(c)]));
    return level * float(clipped - 1) / 254.0f;
}

} // namespace yolk
