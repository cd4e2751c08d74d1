#include "colour/matrix_rows.h"

#include "base/exec_context.h"
#include "base/vectorise.h"

#include <algorithm>

namespace yolk {

YOLK_MULTIVERSION
void turnRow(const Matrix3 &matrix, const float *const from[3], int width, float *const to[3])
{
    float m[9];
    std::ranges::copy(matrix.m, m);
    const float *inR = from[0], *inG = from[1], *inB = from[2];
    float *outR = to[0], *outG = to[1], *outB = to[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // a pixel depends on itself alone
        const float red = inR[x], green = inG[x], blue = inB[x];
        outR[x] = m[0] * red + m[1] * green + m[2] * blue;
        outG[x] = m[3] * red + m[4] * green + m[5] * blue;
        outB[x] = m[6] * red + m[7] * green + m[8] * blue;
    }
}

void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx)
{
    forEachBand(ctx, rgb.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            float *const rows[3] = {rgb.row(0, y), rgb.row(1, y), rgb.row(2, y)};
            turnRow(matrix, rows, rgb.width(), rows);
        }
    });
}

} // namespace yolk
