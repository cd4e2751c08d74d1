// Sums over places of like tone: cells of 16 pixels and one stop.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {

/// K sums a cell, of which the first is the weight. Source: bilateral grid, [Chen2007]; pull and push, [Gortler1996].
template <size_t K> class BilateralGrid {
public:
    using Cell = std::array<float, K>;

    /// `tone` in stops; it must outlive the grid.
    explicit BilateralGrid(ImageView<const float> tone) : tone_(tone)
    {
        for (int y = 0; y < tone.height(); ++y)
            darkest_ = std::min(darkest_, *std::min_element(tone.row(0, y), tone.row(0, y) + tone.width()));
        layers_.assign(kTones, Layer((tone.width() + kCell - 1) / kCell, (tone.height() + kCell - 1) / kCell));
    }

    /// Calls visit(y) for all rows, those of different cells at once: it may add() what lies in its row.
    template <class Visit> void forEachRow(ExecContext &ctx, Visit &&visit) const
    {
        ExecContext own = ctx.child({});
        forEachPart(own, layers_[0].height, [&](int cells, ExecContext &) {
            for (int y = cells * kCell; y < std::min(tone_.height(), (cells + 1) * kCell); ++y)
                visit(y);
        });
    }

    void add(int x, int y, const Cell &sums)
    {
        const float z = toneAt(x, y), above = z - std::floor(z);
        for (size_t side = 0; side < 2; ++side) {
            Cell &cell = layers_[size_t(z) + side].at(x / kCell, y / kCell);
            for (size_t k = 0; k < K; ++k)
                cell[k] += (side == 0 ? 1.0f - above : above) * sums[k];
        }
    }

    /// Gives cells what they lack of `enough` weight: from other tones at the place, each stop counting far less than
    /// the one before, and from coarser and coarser surroundings.
    void fill(float enough, ExecContext &ctx)
    {
        constexpr float kOtherTone = 0.02f;
        for (size_t cell = 0; cell < layers_[0].cells.size(); ++cell)
            for (size_t k = 0; k < K; ++k) {
                std::array<float, kTones> up{}, down{};
                for (size_t z = 1; z < kTones; ++z)
                    up[z] = kOtherTone * (up[z - 1] + layers_[z - 1].cells[cell][k]);
                for (size_t z = kTones - 1; z-- > 0;)
                    down[z] = kOtherTone * (down[z + 1] + layers_[z + 1].cells[cell][k]);
                for (size_t z = 0; z < kTones; ++z)
                    layers_[z].cells[cell][k] += up[z] + down[z];
            }
        ExecContext own = ctx.child({});
        forEachPart(own, int(kTones), [&](int z, ExecContext &) { pullAndPush(layers_[size_t(z)], enough); });
    }

    /// Calls change(cell) for each.
    template <class Change> void forEachCell(Change &&change)
    {
        for (Layer &layer : layers_)
            std::ranges::for_each(layer.cells, change);
    }

    /// The first N sums at a pixel, linear between cells.
    template <size_t N = K> std::array<float, N> at(int x, int y) const
    {
        const float z = toneAt(x, y), above = z - std::floor(z);
        const float u = (float(x) + 0.5f) / kCell - 0.5f, v = (float(y) + 0.5f) / kCell - 0.5f;
        const auto a = layers_[size_t(z)].template between<N>(u, v),
                   b = layers_[size_t(z) + 1].template between<N>(u, v);
        std::array<float, N> out;
        for (size_t k = 0; k < N; ++k)
            out[k] = a[k] + above * (b[k] - a[k]);
        return out;
    }

private:
    static constexpr int kCell = 16;     // pixels
    static constexpr size_t kTones = 24; // stops

    /// One tone's cells, or a coarser version of them.
    struct Layer {
        int width, height;
        std::vector<Cell> cells;
        Layer(int w, int h) : width(w), height(h), cells(size_t(w) * size_t(h), Cell{}) {}
        Cell &at(int x, int y) { return cells[size_t(y) * size_t(width) + size_t(x)]; }
        const Cell &near(int x, int y) const
        {
            return cells[size_t(std::clamp(y, 0, height - 1)) * size_t(width) + size_t(std::clamp(x, 0, width - 1))];
        }
        template <size_t N = K> std::array<float, N> between(float x, float y) const
        {
            const int i = int(std::floor(x)), j = int(std::floor(y));
            const float u = x - float(i), v = y - float(j);
            const Cell &a = near(i, j), &b = near(i + 1, j), &c = near(i, j + 1), &d = near(i + 1, j + 1);
            std::array<float, N> out;
            for (size_t k = 0; k < N; ++k) {
                const float top = a[k] + u * (b[k] - a[k]), bottom = c[k] + u * (d[k] - c[k]);
                out[k] = top + v * (bottom - top);
            }
            return out;
        }
    };

    static void pullAndPush(Layer &layer, float enough)
    {
        if (layer.width <= 1 && layer.height <= 1)
            return;
        Layer coarse((layer.width + 1) / 2, (layer.height + 1) / 2);
        for (int y = 0; y < layer.height; ++y)
            for (int x = 0; x < layer.width; ++x)
                for (size_t k = 0; k < K; ++k)
                    coarse.at(x / 2, y / 2)[k] += layer.at(x, y)[k];
        pullAndPush(coarse, enough);
        for (int y = 0; y < layer.height; ++y)
            for (int x = 0; x < layer.width; ++x) {
                Cell &cell = layer.at(x, y);
                const Cell from = coarse.between((float(x) - 0.5f) / 2.0f, (float(y) - 0.5f) / 2.0f);
                const float missing = enough - cell[0];
                if (missing > 0.0f && from[0] > 0.0f)
                    for (size_t k = 0; k < K; ++k)
                        cell[k] += missing * from[k] / from[0];
            }
    }

    float toneAt(int x, int y) const { return std::clamp(tone_.row(0, y)[x] - darkest_, 0.0f, float(kTones) - 1.001f); }

    ImageView<const float> tone_;
    float darkest_ = INFINITY;
    std::vector<Layer> layers_;
};

} // namespace yolk
