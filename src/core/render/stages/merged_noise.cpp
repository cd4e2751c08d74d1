#include "render/stages/merged_noise.h"

#include "render/plan/render_plan.h"

#include <algorithm>

namespace yolk {
namespace {

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
        const uint16_t *const channels[3] = {from.row(0, row), from.row(1, row), from.row(2, row)};
        const auto columnAt = [&](int x) { return std::clamp(int(grid.x(x) / r), 0, from.width() - 1); };
        const int wide = std::max(1, int(r / grid.stepX)); // a pixel of a reduced merge serves so many, or one more
        for (int x = 0, end = 0; x < width; x = end) {
            const int at = columnAt(x);
            end = std::min(width, x + wide);
            while (end > x + 1 && columnAt(end - 1) != at)
                --end;
            while (end < width && columnAt(end) == at)
                ++end;
            const double own[3] = {double(ofBrief(channels[0][at])), double(ofBrief(channels[1][at])),
                                   double(ofBrief(channels[2][at]))};
            for (int c = 0; c < 3; ++c)
                std::fill(variance[c] + x, variance[c] + end,
                          float(squares_(c, 0) * own[0] + squares_(c, 1) * own[1] + squares_(c, 2) * own[2]));
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
