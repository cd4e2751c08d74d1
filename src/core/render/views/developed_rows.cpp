#include "render/views/developed_rows.h"

#include <algorithm>
#include <thread>

namespace yolk {
namespace {

/// Wide enough that what lies round a tile costs little (41 pixels of it, as with every adjustment on: 1.25 times), small
/// enough that one is made, and with it a stop heard, within a tenth of a second.
constexpr int kTileWidth = 1024, kTileHeight = 512;

} // namespace

DevelopedRows::DevelopedRows(const MergedSet &set, const SceneRows &scene, const Developer &developer,
                             const ExecContext &ctx)
    : set_(set), scene_(scene), developer_(developer),
      ctx_(ctx), grid_{0.0, 0.0, double(set.reduction), double(set.reduction)},
      margin_(developer.context(grid_.scale()))
{
}

RowSource DevelopedRows::source()
{
    return {set_.pixels.radiance.shape(), [this](int y, int x0, int x1, ImageView<float> scratch, const float **rows) {
                ctx_.throwIfStopped();
                if (margin_ > 0)
                    readTiles(y, x0, x1, scratch);
                else
                    developer_(sceneOf({x0, y, x1, y + 1}).view(), grid_.from(x0, y), scratch.crop({x0, 0, x1, 1}));
                for (int c = 0; c < 3; ++c)
                    rows[c] = scratch.row(c, 0);
            }};
}

/// Scene light of an area and what must lie round it; beyond the picture its edge repeats.
Image<float> DevelopedRows::sceneOf(const Rect &area) const
{
    const int width = set_.pixels.radiance.width(), height = set_.pixels.radiance.height();
    Image<float> out({area.width() + 2 * margin_, area.height() + 2 * margin_, 3}, Fill::Anything);
    const int left = std::max(0, area.x0 - margin_), right = std::min(width, area.x1 + margin_);
    const int before = left - (area.x0 - margin_), count = right - left;
    for (int y = 0; y < out.height(); ++y) {
        float *const to[3] = {out.row(0, y) + before, out.row(1, y) + before, out.row(2, y) + before};
        scene_.read(std::clamp(area.y0 - margin_ + y, 0, height - 1), left, right, to);
        for (float *row : to) {
            std::fill(row - before, row, row[0]);
            std::fill(row + count, row - before + out.width(), row[count - 1]);
        }
    }
    return out;
}

void DevelopedRows::readTiles(int y, int x0, int x1, ImageView<float> scratch)
{
    using State = TileRow::State;
    const std::shared_ptr<TileRow> row = tileRow(y / kTileHeight);
    const int first = x0 / kTileWidth, last = (x1 - 1) / kTileWidth;
    std::unique_lock lock(mutex_);
    for (int tile = first; tile <= last; ++tile) { // threads that want the same row share its tiles
        if (row->tiles[size_t(tile)] != State::Untouched || row->failure)
            continue;
        row->tiles[size_t(tile)] = State::Making;
        lock.unlock();
        std::exception_ptr failure;
        try {
            ctx_.throwIfStopped();
            makeTile(*row, tile);
        } catch (...) {
            failure = std::current_exception();
        }
        lock.lock();
        row->tiles[size_t(tile)] = State::Made;
        row->failure = failure ? failure : row->failure;
        changed_.notify_all();
    }
    changed_.wait(lock, [&] {
        return row->failure || std::all_of(row->tiles.begin() + first, row->tiles.begin() + last + 1,
                                           [](State state) { return state == State::Made; });
    });
    if (row->failure)
        std::rethrow_exception(row->failure);
    lock.unlock();
    for (int c = 0; c < 3; ++c)
        std::copy(row->pixels.row(c, y % kTileHeight) + x0, row->pixels.row(c, y % kTileHeight) + x1,
                  scratch.row(c, 0) + x0);
}

std::shared_ptr<DevelopedRows::TileRow> DevelopedRows::tileRow(int index)
{
    // Each thread reads its own band from the top down, and so one row of tiles at a time.
    const size_t kept = std::max(1u, std::thread::hardware_concurrency()) + 1;
    const std::lock_guard lock(mutex_);
    const auto at = std::ranges::find(rows_, index, [](const auto &row) { return row->index; });
    if (at != rows_.end()) {
        rows_.splice(rows_.begin(), rows_, at);
        return rows_.front();
    }
    const Shape shape = set_.pixels.radiance.shape();
    auto row = std::make_shared<TileRow>();
    row->index = index;
    row->pixels =
        Image<float>({shape.width, std::min(kTileHeight, shape.height - index * kTileHeight), 3}, Fill::Anything);
    row->tiles.assign(size_t((shape.width + kTileWidth - 1) / kTileWidth), TileRow::State::Untouched);
    rows_.push_front(row);
    if (rows_.size() > kept)
        rows_.pop_back();
    return row;
}

void DevelopedRows::makeTile(TileRow &row, int tile) const
{
    const int x0 = tile * kTileWidth, x1 = std::min(x0 + kTileWidth, row.pixels.width()), y0 = row.index * kTileHeight;
    developer_(sceneOf({x0, y0, x1, y0 + row.pixels.height()}).view(), grid_.from(x0, y0),
               row.pixels.view().crop({x0, 0, x1, row.pixels.height()}));
}

} // namespace yolk
