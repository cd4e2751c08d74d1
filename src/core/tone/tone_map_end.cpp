// Where display light ends: in the colours of the output, and above white where lights go on.
#include "colour/matrix_rows.h"
#include "colour/oklab_rows.h"
#include "tone/tone_map.h"
#include "tone/tone_rows.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr float kFarBelow = 0.5f; // what is darker is no concern of a soft end at kHeld

} // namespace

void ToneMapper::endRow(const float *const open[3], int width, float *const out[3]) const
{
    if (!lights_)
        return standardEndRow(open, width, out);
    const size_t count = size_t(width);
    std::vector<float> own(count *
                           5); // colours as they were, then what they are multiplied by, and how much of them counts
    float *const bright[3] = {own.data(), own.data() + count, own.data() + 2 * count};
    float *const gain = own.data() + 3 * count, *const share = own.data() + 4 * count;
    const float begin = float(lights_->begin), peak = float(lights_->peak);
    for (size_t x = 0; x < count; ++x) {
        const float y =
            kLuminance2020[0] * open[0][x] + kLuminance2020[1] * open[1][x] + kLuminance2020[2] * open[2][x];
        const float t = std::clamp((y - begin) / (1.0f - begin), 0.0f, 1.0f); // NaN: 0, or it is black anyway
        share[x] = t * t * (3.0f - 2.0f * t);
        gain[x] = y > begin ? std::log2(y) : -2.0f * 4.0f;
    }
    unfold_.lookUp({gain, count}, 0.0f, gain);
    for (size_t x = 0; x < count; ++x)
        gain[x] = share[x] > 0.0f ? std::exp2(gain[x]) : 1.0f;
    turnRow(toOutput_, open, width, bright);
    standardEndRow(open, width, out);
    for (float *channel : bright)
        for (size_t x = 0; x < count; ++x)
            channel[x] *= gain[x] / peak;
    constexpr int kChunk = 64; // in most pieces nothing shines
    for (int x = 0; x < width; x += kChunk) {
        const int piece = std::min(kChunk, width - x);
        if (std::all_of(share + x, share + x + piece, [](float s) { return s == 0.0f; }))
            continue;
        if (chroma_ != 1.0f || clampRounding(bright[0] + x, bright[1] + x, bright[2] + x, piece, 1.0f))
            fitColours(bright[0] + x, bright[1] + x, bright[2] + x, piece, oklab_, chroma_);
        for (int c = 0; c < 3; ++c)
            for (int i = x; i < x + piece; ++i)
                out[c][i] = std::lerp(std::min(out[c][i] * gain[i], peak), bright[c][i] * peak, share[i]);
    }
}

void ToneMapper::standardEndRow(const float *const open[3], int width, float *const out[3]) const
{
    turnRow(toOutput_, open, width, out);
    if (soft_) {
        dimColoursRow(out[0], out[1], out[2], width, luminance_[0], luminance_[1], luminance_[2]);
    }
    const float top = soft_ ? kHeld : 1.0f;
    constexpr int kChunk = 64; // most pieces lie well inside the output space
    for (int x = 0; x < width; x += kChunk) {
        const int count = std::min(kChunk, width - x);
        if (chroma_ != 1.0f || clampRounding(out[0] + x, out[1] + x, out[2] + x, count, soft_ ? kFarBelow : 1.0f))
            fitColoursSoftly(out[0] + x, out[1] + x, out[2] + x, count, oklab_, chroma_, top);
    }
}

void ToneMapper::end(ImageView<const float> open, ImageView<float> out) const
{
    for (int y = 0; y < open.height(); ++y) {
        const float *const from[3] = {open.row(0, y), open.row(1, y), open.row(2, y)};
        float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
        endRow(from, open.width(), to);
    }
}

} // namespace yolk
