// Two frames at one level of their guides, compared block by block: what registration.cpp is fitted to.
#pragma once

#include "align/guide.h"
#include "align/transform.h"

#include <array>
#include <vector>

namespace yolk {

inline constexpr int kBlock = 16; ///< pixels of a side

/// The still frame in one block, row by row: together, so that the block is read as one run of memory.
struct Tile {
    static constexpr int kPixels = kBlock * kBlock;
    std::array<float, kPixels> value{}, gradientX{}, gradientY{}, weight{}; ///< weight 0: not valid, or past the rim
};

/// Two frames at one level, ready to be compared.
struct PairLevel {
    int width = 0, height = 0, columns = 0; ///< of the still one; tiles in a row
    std::vector<Tile> tiles;
    Image<float> moving;
    Image<uint8_t> movingValid;
    size_t indexOf(int x, int y) const { return size_t(y / kBlock) * size_t(columns) + size_t(x / kBlock); }
};

/// Log light of both, smoothed, with the slopes and weights of the still one. Threads: bands, the same bits for any.
PairLevel pairLevel(const Guide &still, const Guide &moving, int level, ExecContext &ctx);

/// What one block says: with its own offset eliminated.
struct Block {
    int x = 0, y = 0; ///< of its left upper pixel
    Point at;         ///< middle, of the level's pixels
    double n = 0, covered = 0;
    double xx = 0, xy = 0, yy = 0; ///< information on a shift
    double bx = 0, by = 0;
    double texture = 0, difference = 0; ///< weighted sums of squares; noise alone would give n
    double belief = 0;
};

/// The block at place.x, place.y under a transform, in pixels of the level; n is 0 where too little of it is valid.
Block lookAt(const PairLevel &pair, const Block &place, const Transform &transform);

inline bool isTextured(const Block &b)
{
    return b.n > 0 && b.texture > 4.0 * b.n;
}
inline bool agrees(const Block &b)
{
    return b.difference < 2.0 * b.n + 0.15 * b.texture;
}

} // namespace yolk
