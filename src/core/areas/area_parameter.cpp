#include "areas/area_parameter.h"

#include "base/vectorise.h"

namespace yolk {
namespace {

YOLK_MULTIVERSION
void addRow(const float *__restrict mask, float amount, int width, float *__restrict values)
{
    for (int x = 0; x < width; ++x)
        values[x] += amount * mask[x];
}

YOLK_MULTIVERSION
void holdRow(float least, float most, int width, float *__restrict values)
{
    for (int x = 0; x < width; ++x) {
        const float v = values[x] > least ? values[x] : least;
        values[x] = v < most ? v : most;
    }
}

} // namespace

AreaParameter::AreaParameter(std::vector<Part> parts, double least, double most)
    : parts_(std::move(parts)), least_(float(least)), most_(float(most))
{
}

void AreaParameter::fill(const PixelGrid &grid, int y, std::span<float> values) const
{
    if (!grid.masks)
        return;
    const int width = int(values.size());
    for (const Part &part : parts_) {
        const MaskRows::Row mask = grid.masks->row(part.mask, grid.firstX, grid.firstY + y, width);
        if (part.outside)
            for (float &v : values)
                v += part.amount;
        if (mask.begin < mask.end)
            addRow(mask.values + mask.begin, part.outside ? -part.amount : part.amount, mask.end - mask.begin,
                   values.data() + mask.begin);
    }
    holdRow(least_, most_, width, values.data());
}

} // namespace yolk
