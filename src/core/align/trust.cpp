#include "align/trust.h"

#include "align/warp.h"
#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr float kResponse = 0.015f;   // share of the light by which response and exposure may be wrong
constexpr float kShift = 0.05f;       // pixels
constexpr float kClips = 0.97f;       // of clipping
constexpr float kContradicts = 40.0f; // in place of a squared difference
// A mean of 75 squares scatters by 0.16; where resampling and demosaicing leave some 20 independent, by 0.32.
constexpr float kFull = 1.5f, kNone = 2.4f; // three of the first above 1, four and a half of the second
constexpr int kRadius = 2;

struct Side {
    const uint16_t *above, *row, *below;
    float inverse; // of its exposure
    float gain, read;
};

/// Squared difference over what is allowed, summed over the channels, and how many count.
YOLK_MULTIVERSION
void differRow(const Side *frame, const Side *known, const uint8_t *frameTrust, const uint8_t *knownTrust, int width,
               float *sum, float *count)
{
    for (int x = 0; x < width; ++x) {
        float total = 0.0f, n = 0.0f;
        const int left = x > 0 ? x - 1 : x, right = x + 1 < width ? x + 1 : x;
        for (int c = 0; c < 3; ++c) {
            const Side &f = frame[c], &k = known[c];
            constexpr float kUnit = 1.0f / kCodeScale, kBase = float(kPedestal);
            const float zf = (float(f.row[x]) - kBase) * kUnit, zk = (float(k.row[x]) - kBase) * kUnit;
            const float a = zf * f.inverse, b = zk * k.inverse;
            const float va = (f.gain * std::max(zf, 0.0f) + f.read) * f.inverse * f.inverse;
            const float vb = (k.gain * std::max(zk, 0.0f) + k.read) * k.inverse * k.inverse;
            const float ax = float(f.row[right]) - float(f.row[left]), ay = float(f.below[x]) - float(f.above[x]);
            const float bx = float(k.row[right]) - float(k.row[left]), by = float(k.below[x]) - float(k.above[x]);
            const float slopeA = (ax * ax + ay * ay) * (f.inverse * kUnit) * (f.inverse * kUnit);
            const float slopeB = (bx * bx + by * by) * (k.inverse * kUnit) * (k.inverse * kUnit);
            const float light = std::max(a, b);
            const float noise = va + vb;
            // What noise alone makes of the slopes is no edge.
            const float edge = 0.25f * kShift * kShift * std::max(0.0f, std::min(slopeA, slopeB) - 4.0f * noise);
            const float allowed = noise + kResponse * kResponse * light * light + edge;
            const float d = a - b;
            const bool frameClips = zf >= kClips, knownClips = zk >= kClips;
            const float q = d * d / allowed;
            // A clipped side says only that there is at least so much light.
            const bool tooDark = knownClips && a + 3.0f * std::sqrt(va) < 0.9f * b;
            const bool tooBright = frameClips && b + 3.0f * std::sqrt(vb) < 0.9f * a;
            const float here =
                frameClips || knownClips ? (tooDark || tooBright ? kContradicts : 0.0f) : std::min(q, kContradicts);
            const float counts = (frameClips || knownClips) && !(tooDark || tooBright) ? 0.0f : 1.0f;
            total += here * counts;
            n += counts;
        }
        const bool both = frameTrust[x] != kNotCovered && knownTrust[x] > kNotBelieved;
        sum[x] = both ? total : 0.0f;
        count[x] = both ? n : 0.0f;
    }
}

/// sums += row
YOLK_MULTIVERSION
void addRow(const float *__restrict row, int width, float *__restrict sums)
{
    for (int x = 0; x < width; ++x)
        sums[x] += row[x];
}

/// Lowers `trust` by what differs around each pixel: `sums` over `counts`, down the columns, both with kRadius zeros
/// before and after them.
YOLK_MULTIVERSION
void judgeRow(const float *__restrict sums, const float *__restrict counts, int width, uint8_t *__restrict trust)
{
    for (int x = 0; x < width; ++x) {
        float total = 0.0f, among = 0.0f;
        for (int u = 0; u <= 2 * kRadius; ++u) {
            total += sums[x + u];
            among += counts[x + u];
        }
        constexpr float kFewest = 9.0f;
        const float belief = std::clamp((kNone - total / std::max(among, 1.0f)) / (kNone - kFull), 0.0f, 1.0f);
        const int least = int(float(kNotBelieved) + belief * float(kBelieved - kNotBelieved) + 0.5f);
        const int t = trust[x];
        trust[x] = uint8_t(t <= kNotBelieved || among < kFewest || t < least ? t : least);
    }
}

} // namespace

Image<uint8_t> doubted(const AlignedFrame &frame, const AlignedFrame &known, ExecContext &ctx)
{
    const Shape shape = frame.codes.shape();
    const Shape one{shape.width, shape.height, 1};
    for (const AlignedFrame *f : {&frame, &known})
        if (shape.empty() || shape.planes != 3 || f->codes.shape() != shape ||
            (f->trust.shape() != Shape{} && f->trust.shape() != one))
            throw ArgumentError("trust: the frames are not of one size");
    Image<uint8_t> out(one);
    const int width = shape.width, height = shape.height;
    const std::vector<uint8_t> everywhere(static_cast<size_t>(width), kBelieved);
    const auto sides = [&](const AlignedFrame &f, int y, Side *side) {
        for (int c = 0; c < 3; ++c)
            side[c] = {f.codes.row(c, std::max(0, y - 1)),
                       f.codes.row(c, y),
                       f.codes.row(c, std::min(height - 1, y + 1)),
                       float(1.0 / f.exposure),
                       float(f.noise.gain),
                       float(f.noise.readVariance)};
    };
    const auto trustRow = [&](const AlignedFrame &f, int y) {
        return f.trust.shape().empty() ? everywhere.data() : f.trust.row(0, y);
    };
    forEachBand(ctx, height, [&](int y0, int y1) {
        const int top = std::max(0, y0 - kRadius), bottom = std::min(height, y1 + kRadius);
        Image<float> sums(width, bottom - top, 1), counts(width, bottom - top, 1);
        for (int y = top; y < bottom; ++y) {
            Side f[3], k[3];
            sides(frame, y, f);
            sides(known, y, k);
            differRow(f, k, trustRow(frame, y), trustRow(known, y), width, sums.row(0, y - top),
                      counts.row(0, y - top));
        }
        std::vector<float> s(static_cast<size_t>(width + 2 * kRadius)), n(s.size());
        for (int y = y0; y < y1; ++y) {
            std::ranges::fill(s, 0.0f);
            std::ranges::fill(n, 0.0f);
            for (int v = std::max(top, y - kRadius); v < std::min(bottom, y + kRadius + 1); ++v) {
                addRow(sums.row(0, v - top), width, s.data() + kRadius);
                addRow(counts.row(0, v - top), width, n.data() + kRadius);
            }
            std::copy_n(trustRow(frame, y), width, out.row(0, y));
            judgeRow(s.data(), n.data(), width, out.row(0, y));
        }
    });
    return out;
}

} // namespace yolk
