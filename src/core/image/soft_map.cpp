#include "image/soft_map.h"

#include "base/vectorise.h"

#include <algorithm>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void mixRow(const float *__restrict first, const float *__restrict second, float share, int width,
            float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] = first[x] + share * (second[x] - first[x]);
}

YOLK_MULTIVERSION
void betweenRow(const float *__restrict line, const int *__restrict left, const float *__restrict share, int width,
                float *__restrict out)
{
    for (int x = 0; x < width; ++x) {
        const float before = line[left[x]];
        out[x] = before + share[x] * (line[left[x] + 1] - before);
    }
}

} // namespace

SoftMap::SoftMap(Image<float> planes, double width, double height)
    : planes_(std::move(planes)), perX_(planes_.width() / width), perY_(planes_.height() / height)
{
}

SoftMap::Rows::Rows(const SoftMap &map, const PixelGrid &grid, int width)
    : map_(map), grid_(grid), left_(size_t(width)), share_(size_t(width)), line_(size_t(map.planes_.width()) + 1)
{
    for (size_t x = 0; x < left_.size(); ++x) {
        const double u = std::clamp(grid.x(int(x)) * map.perX_ - 0.5, 0.0, map.planes_.width() - 1.0);
        left_[x] = int(u);
        share_[x] = float(u - left_[x]);
    }
}

void SoftMap::Rows::read(int plane, int y, float *out)
{
    const Image<float> &planes = map_.planes_;
    const double v = std::clamp(grid_.y(y) * map_.perY_ - 0.5, 0.0, planes.height() - 1.0);
    const int above = int(v), below = std::min(above + 1, planes.height() - 1);
    mixRow(planes.row(plane, above), planes.row(plane, below), float(v - above), planes.width(), line_.data());
    line_.back() = line_[line_.size() - 2];
    betweenRow(line_.data(), left_.data(), share_.data(), int(left_.size()), out);
}

} // namespace yolk
