#include "align/warp.h"

#include "base/vectorise.h"
#include "image/lanczos.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <vector>

namespace yolk {
namespace {

constexpr int kTaps = kLanczosTaps, kPhases = kLanczosPhases;
constexpr double kClips = 0.982; // of clipping: two 8-bit codes below the end

struct Plane {
    const uint16_t *data;
    ptrdiff_t stride;
};

/// One row of the result; (u, v) are indices into the source, pixel centres at whole numbers.
YOLK_MULTIVERSION
void warpRow(const Plane *planes, int sourceWidth, int sourceHeight, const float *u, const float *v, int width,
             const float *weights, uint16_t clipped, uint8_t atRim, uint16_t *const *out, uint8_t *trust)
{
    for (int x = 0; x < width; ++x) {
        trust[x] = kNotCovered;
        if (!(u[x] > -0.5f && v[x] > -0.5f && u[x] < float(sourceWidth) - 0.5f && v[x] < float(sourceHeight) - 0.5f)) {
            out[0][x] = out[1][x] = out[2][x] = 0;
            continue;
        }
        const int i = int(u[x] + 1.0f) - 1, j = int(v[x] + 1.0f) - 1; // floors
        const float fu = u[x] - float(i), fv = v[x] - float(j);
        const Float8 wx = loaded(weights + 8 * int(fu * kPhases + 0.5f)),
                     wy = loaded(weights + 8 * int(fv * kPhases + 0.5f));
        const bool inside = i >= 2 && j >= 2 && i + 5 < sourceWidth && j + 3 < sourceHeight;
        Short8 most{};
        for (int c = 0; c < 3; ++c) {
            Short8 rows[kTaps];
            for (int k = 0; k < kTaps; ++k) {
                const int line = j + k - 2;
                const uint16_t *row = planes[c].data + ptrdiff_t(inside                 ? line
                                                                 : line < 0             ? 0
                                                                 : line >= sourceHeight ? sourceHeight - 1
                                                                                        : line) *
                                                           planes[c].stride;
                if (inside) {
                    std::memcpy(&rows[k], row + i - 2, sizeof rows[k]);
                } else {
                    for (int t = 0; t < 8; ++t) {
                        const int column = i + t - 2;
                        rows[k][t] = row[column < 0 ? 0 : column >= sourceWidth ? sourceWidth - 1 : column];
                    }
                }
            }
            Float8 sum{};
            for (int k = 0; k < kTaps; ++k) {
                sum += floatsOf(rows[k]) * wy[k];
                most = rows[k] > most ? rows[k] : most;
            }
            sum *= wx;
            const float value = ((sum[0] + sum[1]) + (sum[2] + sum[3])) + (sum[4] + sum[5]);
            const int a = rows[2][2], b = rows[2][3], d = rows[3][2], e = rows[3][3];
            const int low = std::min(std::min(a, b), std::min(d, e)), high = std::max(std::max(a, b), std::max(d, e));
            const float room = 0.5f * float(high - low);
            const float held = std::min(std::max(value, float(low) - room), float(high) + room);
            out[c][x] = uint16_t(std::min(std::max(held + 0.5f, 0.0f), 65535.0f));
        }
        most[6] = most[7] = 0;
        uint16_t highest = 0;
        for (int t = 0; t < kTaps; ++t)
            highest = std::max(highest, uint16_t(most[t]));
        trust[x] = highest >= clipped ? atRim : kBelieved;
    }
}

/// Adds the displacements of one row of the result.
void displace(const Displacements &local, int y, int width, float *u, float *v)
{
    const Image<float> &f = local.field;
    const double row = std::clamp((y + 0.5) / local.step - 0.5, 0.0, f.height() - 1.0);
    const int j = std::min(int(row), std::max(0, f.height() - 2)), below = std::min(j + 1, f.height() - 1);
    const float t = float(row - j);
    for (int x = 0; x < width; ++x) {
        const double column = std::clamp((x + 0.5) / local.step - 0.5, 0.0, f.width() - 1.0);
        const int i = std::min(int(column), std::max(0, f.width() - 2)), right = std::min(i + 1, f.width() - 1);
        const float s = float(column - i);
        for (int plane = 0; plane < 2; ++plane) {
            const float *a = f.row(plane, j), *b = f.row(plane, below);
            const float top = a[i] + s * (a[right] - a[i]), bottom = b[i] + s * (b[right] - b[i]);
            (plane == 0 ? u : v)[x] += top + t * (bottom - top);
        }
    }
}

} // namespace

Point Displacements::at(const Point &pixel) const
{
    if (empty())
        return {};
    const double column = std::clamp(pixel.x / step - 0.5, 0.0, field.width() - 1.0),
                 row = std::clamp(pixel.y / step - 0.5, 0.0, field.height() - 1.0);
    const int i = int(column), j = int(row), right = std::min(i + 1, field.width() - 1),
              below = std::min(j + 1, field.height() - 1);
    const double s = column - i, t = row - j;
    const auto of = [&](int plane) {
        const float *a = field.row(plane, j), *b = field.row(plane, below);
        return (1.0 - t) * ((1.0 - s) * double(a[i]) + s * double(a[right])) +
               t * ((1.0 - s) * double(b[i]) + s * double(b[right]));
    };
    return {of(0), of(1)};
}

Displacements enlarged(const Displacements &small, double factor, const Transform &before, const Transform &after)
{
    Displacements out{Image<float>(small.field.shape()), small.step * factor};
    for (int y = 0; y < out.field.height(); ++y)
        for (int x = 0; x < out.field.width(); ++x) {
            const Point middle{(x + 0.5) * out.step, (y + 0.5) * out.step}, a = before(middle), b = after(middle);
            out.field.row(0, y)[x] = float(factor * double(small.field.row(0, y)[x]) + a.x - b.x);
            out.field.row(1, y)[x] = float(factor * double(small.field.row(1, y)[x]) + a.y - b.y);
        }
    return out;
}

Warped warpFrame(ImageView<const uint16_t> codes, const Transform &toFrame, const Displacements &local, int width,
                 int height, ClippedRim rim, ExecContext &ctx)
{
    if (codes.shape().empty() || codes.planes() != 3 || width < 1 || height < 1)
        throw ArgumentError("warp: takes three planes and gives at least one pixel");
    const float *weights = lanczosKernel().data();
    const uint16_t clipped = codeOfLinear(kClips);
    Warped out{Image<uint16_t>(width, height, 3), Image<uint8_t>(width, height, 1)};
    Plane planes[3];
    for (int c = 0; c < 3; ++c)
        planes[c] = {codes.row(c, 0), codes.rowStride()};
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<float> u(static_cast<size_t>(width)), v(u.size());
        for (int y = y0; y < y1; ++y) {
            const Matrix3 &m = toFrame.m;
            const double py = y + 0.5;
            const double ax = m(0, 1) * py + m(0, 2), ay = m(1, 1) * py + m(1, 2), aw = m(2, 1) * py + m(2, 2);
            for (int x = 0; x < width; ++x) {
                const double px = x + 0.5, w = 1.0 / (m(2, 0) * px + aw);
                u[size_t(x)] = float((m(0, 0) * px + ax) * w - 0.5);
                v[size_t(x)] = float((m(1, 0) * px + ay) * w - 0.5);
            }
            if (!local.empty())
                displace(local, y, width, u.data(), v.data());
            uint16_t *const rows[3] = {out.codes.row(0, y), out.codes.row(1, y), out.codes.row(2, y)};
            warpRow(planes, codes.width(), codes.height(), u.data(), v.data(), width, weights, clipped,
                    rim == ClippedRim::Drop ? kBesideClipped : kBelieved, rows, out.trust.row(0, y));
        }
    });
    return out;
}

} // namespace yolk
