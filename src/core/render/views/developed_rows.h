// The finished picture row by row, for what reads it once from the top down: no buffer holds its scene.
#pragma once

#include "render/stages/merged_store.h"
#include "render/stages/scene_rows.h"
#include "render/views/develop.h"

#include <condition_variable>
#include <exception>
#include <list>
#include <mutex>

namespace yolk {

/// Thread-safe. Refers to all that it is given.
class DevelopedRows {
public:
    DevelopedRows(const MergedSet &set, const SceneRows &scene, const Developer &developer, const ExecContext &ctx);
    /// Display-linear RGB of the developer's space; can be stopped at every row.
    RowSource source();

private:
    /// Where neighbours are read, pixels are made in tiles: a tile and what lies round it is read once.
    struct TileRow {
        enum class State : char { Untouched, Making, Made };
        int index = 0;
        Image<float> pixels;
        std::vector<State> tiles;
        std::exception_ptr failure;
    };
    Image<float> sceneOf(const Rect &area) const;
    void readTiles(int y, int x0, int x1, ImageView<float> scratch);
    std::shared_ptr<TileRow> tileRow(int index);
    void makeTile(TileRow &row, int tile) const;

    const MergedSet &set_;
    const SceneRows &scene_;
    const Developer &developer_;
    const ExecContext &ctx_;
    PixelGrid grid_;
    int margin_;
    std::mutex mutex_;
    std::condition_variable changed_;
    std::list<std::shared_ptr<TileRow>> rows_; ///< last used first
};

} // namespace yolk
