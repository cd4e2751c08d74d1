#include "align/warp.h"
#include "movement/movement.h"

#include <algorithm>
#include <cmath>

namespace yolk {

bool steerRow(const ImageView<const int8_t> &grid, int cell, int y, int width, const uint8_t *trust, uint8_t *out)
{
    const float v = (float(y) + 0.5f) / float(cell) - 0.5f;
    const int above = std::clamp(int(std::floor(v)), 0, grid.height() - 1),
              below = std::clamp(int(std::floor(v)) + 1, 0, grid.height() - 1);
    const float down = std::clamp(v - std::floor(v), 0.0f, 1.0f);
    const int8_t *first = grid.row(0, above), *second = grid.row(0, below);
    const auto says = [](int8_t s) { return s != 0; };
    if (std::none_of(first, first + grid.width(), says) && std::none_of(second, second + grid.width(), says))
        return false;
    for (int x = 0; x < width; ++x) {
        const uint8_t from = trust ? trust[x] : kBelieved;
        const float u = (float(x) + 0.5f) / float(cell) - 0.5f, whole = std::floor(u);
        const int left = std::clamp(int(whole), 0, grid.width() - 1),
                  right = std::clamp(int(whole) + 1, 0, grid.width() - 1);
        out[x] = from;
        if (from == kNotCovered || !(first[left] || first[right] || second[left] || second[right]))
            continue;
        const float across = u - whole;
        const float upper = float(first[left]) + across * float(first[right] - first[left]);
        const float lower = float(second[left]) + across * float(second[right] - second[left]);
        float s = upper + down * (lower - upper);
        // Between cells where it counts and cells where it does not lies a border, and no mixture: a little trust in a
        // dark frame is enough to call a brighter one clipped.
        const auto [least, greatest] = std::minmax({first[left], first[right], second[left], second[right]});
        if (least < 0 && greatest > 0) {
            const int8_t nearest = (down < 0.5f ? first : second)[across < 0.5f ? left : right];
            s = s > 0.0f || (s == 0.0f && nearest > 0) ? float(greatest) : float(least);
        }
        s /= 127.0f;
        // Not believed, but there: where the chosen frame clips, it says at least how bright the place may be.
        const float target = s > 0.0f ? float(kBelieved) : float(kNotBelieved);
        out[x] = uint8_t(float(from) + std::abs(s) * (target - float(from)) + 0.5f);
    }
    return true;
}

} // namespace yolk
