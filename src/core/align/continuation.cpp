#include "align/continuation.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kCell = 16;           // pixels
constexpr int kTones = 24;          // stops
constexpr float kOtherTone = 0.02f; // what a neighbouring tone counts, stop by stop

/// Weight and weighted flow.
using Cell = std::array<float, 3>;

/// One tone's cells, or a coarser version of them.
struct Layer {
    int width = 0, height = 0;
    std::vector<Cell> cells;
    Layer() = default;
    Layer(int w, int h) : width(w), height(h), cells(size_t(w) * size_t(h), Cell{}) {}
    Cell &at(int x, int y) { return cells[size_t(y) * size_t(width) + size_t(x)]; }
    const Cell &at(int x, int y) const
    {
        return cells[size_t(std::clamp(y, 0, height - 1)) * size_t(width) + size_t(std::clamp(x, 0, width - 1))];
    }
    /// Between cells, in units of cells, centres at whole numbers.
    Cell between(float x, float y) const
    {
        const int i = int(std::floor(x)), j = int(std::floor(y));
        const float u = x - float(i), v = y - float(j);
        Cell out;
        for (size_t k = 0; k < 3; ++k)
            out[k] = std::lerp(std::lerp(at(i, j)[k], at(i + 1, j)[k], u),
                               std::lerp(at(i, j + 1)[k], at(i + 1, j + 1)[k], u), v);
        return out;
    }
};

/// Fills cells with little weight from the next coarser version, down to a single cell.
void pullAndPush(Layer &layer)
{
    if (layer.width > 1 || layer.height > 1) {
        Layer coarse((layer.width + 1) / 2, (layer.height + 1) / 2);
        for (int y = 0; y < layer.height; ++y)
            for (int x = 0; x < layer.width; ++x)
                for (size_t k = 0; k < 3; ++k)
                    coarse.at(x / 2, y / 2)[k] += layer.at(x, y)[k];
        pullAndPush(coarse);
        for (int y = 0; y < layer.height; ++y)
            for (int x = 0; x < layer.width; ++x) {
                constexpr float kEnough = 8.0f; // pixels believed in full
                Cell &c = layer.at(x, y);
                const Cell from = coarse.between((float(x) - 0.5f) / 2.0f, (float(y) - 0.5f) / 2.0f);
                const float missing = std::max(0.0f, kEnough - c[0]);
                if (missing > 0.0f && from[0] > 0.0f)
                    for (size_t k = 0; k < 3; ++k)
                        c[k] += missing * from[k] / from[0];
            }
    }
}

} // namespace

void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone)
{
    const int width = flow.width(), height = flow.height();
    if (flow.shape().empty() || flow.planes() != 2 || belief.shape() != Shape{width, height, 1} ||
        tone.shape() != belief.shape())
        throw ArgumentError("flow, belief and tone must be of one size");
    float darkest = INFINITY;
    for (int y = 0; y < height; ++y)
        darkest = std::min(darkest, *std::min_element(tone.row(0, y), tone.row(0, y) + width));
    const auto toneAt = [&](int x, int y) { return std::clamp(tone.row(0, y)[x] - darkest, 0.0f, kTones - 1.001f); };
    std::vector<Layer> layers(kTones, Layer((width + kCell - 1) / kCell, (height + kCell - 1) / kCell));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const float w = belief.row(0, y)[x], z = toneAt(x, y);
            if (!(w > 0.0f))
                continue;
            for (int side = 0; side < 2; ++side) {
                const float part = w * (side == 0 ? 1.0f - (z - std::floor(z)) : z - std::floor(z));
                Cell &c = layers[size_t(int(z) + side)].at(x / kCell, y / kCell);
                c[0] += part;
                c[1] += part * flow.row(0, y)[x];
                c[2] += part * flow.row(1, y)[x];
            }
        }
    // Other tones, each less than the one before: up, then down.
    for (size_t cell = 0; cell < layers[0].cells.size(); ++cell)
        for (size_t k = 0; k < 3; ++k) {
            std::array<float, kTones> up{}, down{};
            for (size_t z = 1; z < kTones; ++z)
                up[z] = kOtherTone * (up[z - 1] + layers[z - 1].cells[cell][k]);
            for (size_t z = kTones - 1; z-- > 0;)
                down[z] = kOtherTone * (down[z + 1] + layers[z + 1].cells[cell][k]);
            for (size_t z = 0; z < kTones; ++z)
                layers[z].cells[cell][k] += up[z] + down[z];
        }
    for (Layer &layer : layers)
        pullAndPush(layer);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const float z = toneAt(x, y), above = z - std::floor(z), known = belief.row(0, y)[x];
            if (known >= 1.0f)
                continue;
            const float u = (float(x) + 0.5f) / kCell - 0.5f, v = (float(y) + 0.5f) / kCell - 0.5f;
            const Cell a = layers[size_t(z)].between(u, v), b = layers[size_t(z) + 1].between(u, v);
            const float weight = std::lerp(a[0], b[0], above);
            for (int k = 0; k < 2; ++k) {
                const float mean = weight > 0.0f ? std::lerp(a[size_t(k) + 1], b[size_t(k) + 1], above) / weight : 0.0f;
                float &f = flow.row(k, y)[x];
                f = std::lerp(mean, f, known);
            }
        }
}

} // namespace yolk
