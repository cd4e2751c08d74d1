#include "render/views/picture.h"

#include "render/stages/scene_rows.h"
#include "render/views/develop.h"
#include "render/views/through_map.h"

#include <algorithm>
#include <list>
#include <mutex>
#include <thread>

namespace yolk {
namespace {

/// The merge as the picture shows it, row by row: no buffer holds its scene. A row is where it can be stopped: bands of
/// a small result are many of them.
class DevelopedRows {
public:
    DevelopedRows(const MergedSet &set, const SceneRows &scene, const Developer &developer, const ExecContext &ctx)
        : set_(set), scene_(scene), developer_(developer),
          ctx_(ctx), grid_{0.0, 0.0, double(set.reduction), double(set.reduction)},
          margin_(developer.context(grid_.scale()))
    {
    }
    RowSource source()
    {
        return {set_.pixels.radiance.shape(),
                [this](int y, int x0, int x1, ImageView<float> scratch, const float **rows) {
                    ctx_.throwIfStopped();
                    if (margin_ > 0)
                        return readBlock(y, scratch, rows);
                    const ImageView<float> out = scratch.crop({x0, 0, x1, 1});
                    const Image<float> scene = sceneOf({x0, y, x1, y + 1});
                    developer_(scene.view(), grid_.from(x0, y), out);
                    for (int c = 0; c < 3; ++c)
                        rows[c] = scratch.row(c, 0);
                }};
    }

private:
    /// Scene light of an area and what must lie round it; beyond the picture its edge repeats.
    Image<float> sceneOf(const Rect &area) const
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

    /// Where neighbours are read, rows are made in blocks, of which the last few are kept: bands read them in order.
    void readBlock(int y, ImageView<float> scratch, const float **rows)
    {
        const std::shared_ptr<const Block> block = blockOf(y / kBlockRows);
        for (int c = 0; c < 3; ++c) {
            std::copy_n(block->pixels.row(c, y % kBlockRows), block->pixels.width(), scratch.row(c, 0));
            rows[c] = scratch.row(c, 0);
        }
    }
    struct Block {
        int index;
        Image<float> pixels;
    };
    std::shared_ptr<const Block> blockOf(int index)
    {
        {
            const std::lock_guard lock(mutex_);
            const auto at = std::ranges::find(blocks_, index, [](const auto &block) { return block->index; });
            if (at != blocks_.end())
                return *at;
        }
        const Shape shape = set_.pixels.radiance.shape();
        const Rect area{0, index * kBlockRows, shape.width, std::min((index + 1) * kBlockRows, shape.height)};
        auto block = std::make_shared<Block>(index, Image<float>({area.width(), area.height(), 3}, Fill::Anything));
        developer_(sceneOf(area).view(), grid_.from(0, area.y0), block->pixels.view());
        const std::lock_guard lock(mutex_);
        blocks_.push_front(block);
        if (blocks_.size() > keptBlocks_)
            blocks_.pop_back();
        return block;
    }

    static constexpr int kBlockRows = kBandRows; // at full size a band is a block
    /// A band that lies on two blocks needs both.
    const size_t keptBlocks_ = 2 * std::max(1u, std::thread::hardware_concurrency());
    const MergedSet &set_;
    const SceneRows &scene_;
    const Developer &developer_;
    const ExecContext &ctx_;
    PixelGrid grid_;
    int margin_;
    std::mutex mutex_;
    std::list<std::shared_ptr<const Block>> blocks_; // newest first
};

/// Of the reference frame's plane.
Image<float> flatPicture(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx)
{
    const PlacedView part = placedView(request, regionOf(request, plan.reference()));
    const bool isView = double(part.width) * part.height <= kViewPixels;
    if (!request.exact && (isView || part.averages())) {
        ExecContext finding = ctx.part(0.0, 0.3), viewing = ctx.part(0.3, 1.0);
        return Developer(plan, space, finding).view(request, viewing);
    }
    ExecContext merging = ctx.part(0.0, 0.8), finding = ctx.part(0.8, 0.82), mapping = ctx.part(0.82, 1.0);
    const MergedPtr set = mergedOf(plan, request.reduction, merging);
    const Developer developer(plan, space, finding);
    const SceneRows scene(*set, plan.white, lampWhiteOf(plan, finding), plan.rim);
    DevelopedRows rows(*set, scene, developer, mapping);
    return resample(rows.source(), part.region, part.width, part.height, mapping);
}

} // namespace

Image<float> render(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx)
{
    const auto through = throughMap(plan.map, plan.reference(), request, plan.recipe.geometry.corners);
    if (!through)
        return flatPicture(plan, space, request, ctx);
    ExecContext making = ctx.part(0.0, 0.9), bringing = ctx.part(0.9, 1.0);
    const Image<float> flat = flatPicture(plan, space, through->flat, making);
    return through->light(plan.map, flat.view(), bringing);
}

Image<float> render(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx)
{
    return render(plan, plan.recipe.output.space, request, ctx);
}

} // namespace yolk
