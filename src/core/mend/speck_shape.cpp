#include "mend/speck_shape.h"

#include "frames/measure.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>

namespace yolk {

void giveBackLight(Image<uint16_t> &codes, const SharedList<DustSpot> &dust, int reduction)
{
    const uint16_t clipped = codeOfLinear(kClippedFrom);
    for (const DustSpot &spot : dust) {
        if (!isDepthKnown(spot))
            continue;
        const double x0 = spot.x / reduction, y0 = spot.y / reduction, radius = spot.radius / reduction;
        const int left = std::max(0, int(std::floor(x0 - radius))), top = std::max(0, int(std::floor(y0 - radius)));
        const int right = std::min(codes.width(), int(std::ceil(x0 + radius)) + 1),
                  bottom = std::min(codes.height(), int(std::ceil(y0 + radius)) + 1);
        for (int y = top; y < bottom; ++y)
            for (int x = left; x < right; ++x) {
                const double dx = (x + 0.5 - x0) / radius, dy = (y + 0.5 - y0) / radius;
                const double kept = 1.0 - spot.depth * speckShape(dx * dx + dy * dy);
                if (kept == 1.0)
                    continue;
                for (int c = 0; c < codes.planes(); ++c)
                    if (uint16_t &code = codes.row(c, y)[x]; code < clipped)
                        code = codeOfLinear(double(linearOfCode(code)) / kept);
            }
    }
}

} // namespace yolk
