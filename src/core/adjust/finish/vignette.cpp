#include "adjust/finish/vignette.h"

#include "base/quick_math.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

struct Form {
    float middleX, middleY;     ///< shares of the picture's sides
    float diagonalX, diagonalY; ///< its sides in diagonals
    float circle, rectangle;    ///< shares beside the ellipse
    float begin, perWidth;      ///< of the step
    float edges, centre;        ///< EV
};

YOLK_MULTIVERSION
void gainRow(const float *px, const float *py, int width, const Form &f, float *gain)
{
    constexpr float kHalf = 0.5f, kCorner = 1.0905077f; // eighth root of 2
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) {
        const float across = px[x] - f.middleX, down = py[x] - f.middleY;
        const float u = 2.0f * across, v = 2.0f * down, uu = u * u, vv = v * v;
        const float ellipse = std::sqrt(kHalf * (uu + vv));
        const float cx = 2.0f * across * f.diagonalX, cy = 2.0f * down * f.diagonalY;
        const float circle = std::sqrt(cx * cx + cy * cy);
        const float u4 = uu * uu, v4 = vv * vv;
        const float rectangle = std::sqrt(std::sqrt(std::sqrt(u4 * u4 + v4 * v4))) * (1.0f / kCorner);
        const float distance = ellipse + f.circle * (circle - ellipse) + f.rectangle * (rectangle - ellipse);
        float t = (distance - f.begin) * f.perWidth;
        t = t > 0.0f ? t : 0.0f;
        t = t < 1.0f ? t : 1.0f;
        t = t * t * (3.0f - 2.0f * t);
        gain[x] = quickExp2(f.centre + t * (f.edges - f.centre));
    }
}

YOLK_MULTIVERSION
void multiplyRow(const float *in, const float *gain, int width, float *out)
{
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) // `out` may be `in`, and overlaps nothing else
        out[x] = in[x] * gain[x];
}

class VignetteOnPicture : public Adjustment {
public:
    VignetteOnPicture(const Form &form, PictureShares shares) : form_(form), shares_(std::move(shares)) {}
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const int width = out.width();
        std::vector<float> x(static_cast<size_t>(width)), y(x.size()), gain(x.size());
        for (int row = 0; row < out.height(); ++row) {
            place(grid, row, x, y);
            gainRow(x.data(), y.data(), width, form_, gain.data());
            for (int c = 0; c < 3; ++c)
                multiplyRow(in.row(c, row), gain.data(), width, out.row(c, row));
        }
    }

private:
    /// Places are found at every kStep pixels of the grid, the same whatever its first pixel, and run linearly between.
    void place(const PixelGrid &grid, int row, std::vector<float> &x, std::vector<float> &y) const
    {
        constexpr int kStep = 16;
        const auto at = [&](int pixel) { return shares_(grid.x(pixel), grid.y(row)); };
        const int width = int(x.size());
        int from = -(((grid.firstX % kStep) + kStep) % kStep); // a multiple of kStep, counted from the whole
        Point left = at(from);
        for (; from < width; from += kStep) {
            const Point right = at(from + kStep);
            for (int i = std::max(0, -from); i < kStep && from + i < width; ++i) {
                const double part = double(i) / kStep;
                x[size_t(from + i)] = float(left.x + part * (right.x - left.x));
                y[size_t(from + i)] = float(left.y + part * (right.y - left.y));
            }
            left = right;
        }
    }
    Form form_;
    PictureShares shares_;
};

class VignetteKernel : public Adjustment {
public:
    explicit VignetteKernel(const VignetteSettings &settings) : settings_(settings) {}
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        constexpr double kHardest = 0.1, kSoftest = 1.2;
        const double diagonal = std::hypot(survey.aspect, 1.0);
        const double wide = kHardest + (kSoftest - kHardest) * settings_.feather / 100.0;
        const Form form{.middleX = float(settings_.x / 100.0),
                        .middleY = float(settings_.y / 100.0),
                        .diagonalX = float(survey.aspect / diagonal),
                        .diagonalY = float(1.0 / diagonal),
                        .circle = float(std::max(0.0, -settings_.shape / 100.0)),
                        .rectangle = float(std::max(0.0, settings_.shape / 100.0)),
                        .begin = float(settings_.size / 100.0 - 0.5 * wide),
                        .perWidth = float(1.0 / wide),
                        .edges = float(settings_.amount),
                        .centre = float(settings_.centre)};
        return std::make_shared<VignetteOnPicture>(form, survey.shares);
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    VignetteSettings settings_;
};

} // namespace

AdjustmentPtr Vignette::make(const Varied<Settings> &settings)
{
    if (settings.settings().amount == 0.0 && settings.settings().centre == 0.0)
        return nullptr;
    return std::make_shared<VignetteKernel>(settings.settings());
}

} // namespace yolk
