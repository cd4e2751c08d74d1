#include "render/stages/merged_noise.h"

#include "base/vectorise.h"
#include "render/plan/render_plan.h"

#include <algorithm>
#include <vector>

namespace yolk {
namespace {

/// Variances of the channels of a merge through the squares of a matrix, in single precision.
YOLK_MULTIVERSION
void sceneVariance(const uint16_t *r, const uint16_t *g, const uint16_t *b, const float *squares, int width,
                   float *__restrict out)
{
    const float a = squares[0], c = squares[1], d = squares[2];
    for (int x = 0; x < width; ++x)
        out[x] = a * ofBrief(r[x]) + c * ofBrief(g[x]) + d * ofBrief(b[x]);
}

/// Columns of a merge reduced by `r` under the pixels of a row, from `first` on.
YOLK_MULTIVERSION
void columnsUnder(double origin, double step, int from, double r, int first, int last, int width, int *__restrict out)
{
    for (int x = 0; x < width; ++x) {
        const int at = int((origin + (double(from + x) + 0.5) * step) / r);
        out[x] = (at < first ? first : at > last ? last : at) - first;
    }
}

YOLK_MULTIVERSION
void takeColumns(const float *__restrict from, const int *__restrict columns, int width, float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] = from[columns[x]];
}

class MergedNoise : public NoiseField {
public:
    MergedNoise(MergedPtr set, const Matrix3 &white, double coarser)
        : set_(std::move(set)), squares_(white), coarser_(coarser)
    {
        // The mean of a block of pixels, which is what a reduced merge holds, has less noise than they.
        for (double &m : squares_.m)
            m *= m * double(set_->reduction) * set_->reduction;
    }
    void fill(const PixelGrid &grid, int y, int width, float *const variance[3]) const override
    {
        const Image<uint16_t> &from = set_->pixels.variance;
        const double r = set_->reduction;
        const int row = std::clamp(int(grid.y(y) / r), 0, from.height() - 1);
        const auto columnAt = [&](int x) { return std::clamp(int(grid.x(x) / r), 0, from.width() - 1); };
        const int first = columnAt(0), last = columnAt(width - 1);
        std::vector<int> columns(static_cast<size_t>(width));
        columnsUnder(grid.originX, grid.stepX, grid.firstX, r, first, last, width, columns.data());
        std::vector<float> own(size_t(last - first) + 1);
        for (int c = 0; c < 3; ++c) {
            const float squares[3] = {float(squares_(c, 0)), float(squares_(c, 1)), float(squares_(c, 2))};
            sceneVariance(from.row(0, row) + first, from.row(1, row) + first, from.row(2, row) + first, squares,
                          int(own.size()), own.data());
            takeColumns(own.data(), columns.data(), width, variance[c]);
        }
    }

    double coarser() const override { return coarser_; }

private:
    MergedPtr set_;
    Matrix3 squares_; ///< of the matrix to the scene: noise of the channels is independent before it
    double coarser_;
};

} // namespace

std::shared_ptr<const NoiseField> noiseFieldOf(const RenderPlan &plan, ExecContext &ctx)
{
    MergedPtr set = mergedOf(plan, previewReduction(plan.sources), ctx);
    if (!set->noiseKnown())
        return nullptr;
    // A mosaic samples green at half of the pixels, red and blue at a quarter: the noise of a mean over many pixels is
    // that of so few, 1.4 and 2 times. Between them, as brightness is mostly green.
    constexpr double kMosaic = 1.5;
    return std::make_shared<MergedNoise>(std::move(set), plan.white, plan.reference().isRaw() ? kMosaic : 1.0);
}

} // namespace yolk
