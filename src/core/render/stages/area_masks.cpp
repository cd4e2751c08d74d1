#include "render/stages/area_masks.h"

#include "areas/shape_edges.h"
#include "base/field_hash.h"
#include "render/stages/align_stage.h"
#include "render/stages/scene_stage.h"
#include "tone/tone_map.h"
#include "tone/tone_rows.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

StageCache &viewsOf(const Sources &sources)
{
    return sources.views ? *sources.views : *sources.cache;
}

/// Makes the masks of single shapes under a plan.
class Shapes {
public:
    Shapes(const RenderPlan &plan, ExecContext &ctx) : plan_(plan), ctx_(ctx) {}

    ShapeMaskPtr maskOf(const AreaShape &shape)
    {
        ShapeMaskPtr out = drawn(shape);
        if (shape.keepsToEdges && isDrawn(shape))
            out = keptToEdges(out, modelOf(shape, out));
        return shape.inverts ? inverted(std::move(out)) : out;
    }

private:
    ShapeMaskPtr drawn(const AreaShape &shape)
    {
        const PointList &places = shape.places;
        switch (shape.kind) {
        case ShapeKind::Gradient:
            return places.size() < 2 ? wholeMask() : gradientMask(here(shape, places[0]), here(shape, places[1]));
        case ShapeKind::Oval:
            return places.size() < 3 ? wholeMask()
                                     : ovalMask(here(shape, places[0]), here(shape, places[1]), here(shape, places[2]),
                                                shape.feather);
        case ShapeKind::Brush:
            return strokesMask(rasterOf(shape));
        case ShapeKind::Stops:
            return stopsMask(shape.low, shape.high, shape.soft);
        case ShapeKind::Hue:
            return hueMask(shape.hue, shape.hueWidth);
        case ShapeKind::Whole:
            break;
        }
        return wholeMask();
    }

    Transform toHere(const AreaShape &shape) const
    {
        return transformBetween(shape.drawnOn, plan_.reference().id, plan_.sources, plan_.measured);
    }
    Point here(const AreaShape &shape, const Point &p) const { return toHere(shape)(p); }

    /// As the stroke lies on the present reference frame.
    static Stroke brought(const Stroke &stroke, const Transform &transform)
    {
        if (transform == Transform())
            return stroke;
        Stroke out = stroke;
        std::vector<Point> points;
        for (const Point &p : stroke.points)
            points.push_back(transform(p));
        const Point a = stroke.points.empty() ? Point{} : stroke.points[0], b = transform({a.x + 1.0, a.y}),
                    c = transform(a);
        out.radius = stroke.radius * std::hypot(b.x - c.x, b.y - c.y);
        out.points = std::move(points);
        return out;
    }

    std::shared_ptr<const StrokeRaster> rasterOf(const AreaShape &shape)
    {
        const Transform transform = toHere(shape);
        const Frame &reference = plan_.reference();
        Hash128 key = plan_.measured.generation;
        std::vector<Hash128> keys; // of the first strokes, one more each
        for (const Stroke &s : shape.strokes) {
            Hasher hasher;
            hasher.value(StageKey::Strokes).value(key.high).value(key.low).text(reference.id).text(shape.drawnOn);
            hasher.value(shape.buildsUp);
            hashFields(hasher, s, kStrokeFields);
            keys.push_back(key = hasher.finish());
        }
        auto raster =
            std::make_shared<const StrokeRaster>(StrokeRaster{.step = rasterStep(reference.width, reference.height)});
        if (keys.empty())
            return raster;
        return viewsOf(plan_.sources)
            .get<StrokeRaster>(
                keys.back(), ctx_,
                [&](ExecContext &own) {
                    size_t first = 0; // while one is being drawn, those before it are there already
                    if (keys.size() > 1)
                        if (auto before = viewsOf(plan_.sources).held<StrokeRaster>(keys[keys.size() - 2])) {
                            raster = before;
                            first = keys.size() - 1;
                        }
                    for (size_t i = first; i < keys.size(); ++i) {
                        own.throwIfStopped();
                        StrokeRaster next = withStroke(*raster, brought(shape.strokes[i], transform), shape.buildsUp);
                        if (i + 1 == keys.size())
                            return next;
                        raster = std::make_shared<const StrokeRaster>(std::move(next));
                    }
                    return StrokeRaster{};
                },
                [](const StrokeRaster &r) { return r.bytes(); });
    }

    /// Half a side of the windows in which light is compared, pixels of the reference frame: as wide as a hand may miss.
    double reachOf(const AreaShape &shape)
    {
        const auto away = [&](size_t a, size_t b) {
            const Point p = here(shape, shape.places[a]), q = here(shape, shape.places[b]);
            return std::hypot(p.x - q.x, p.y - q.y);
        };
        if (shape.kind == ShapeKind::Brush)
            return 1.5 * rasterOf(shape)->reach;
        if (shape.kind == ShapeKind::Gradient)
            return shape.places.size() < 2 ? 0.0 : 0.5 * away(0, 1);
        return shape.places.size() < 3 ? 0.0 : 0.25 * (away(0, 1) + away(0, 2));
    }

    std::shared_ptr<const EdgeModel> modelOf(const AreaShape &shape, const ShapeMaskPtr &mask)
    {
        const RenderPlan plain(plan_.sources, plan_.measured, layersRecipe(plan_.recipe));
        const RenderRequest whole{previewReduction(plan_.sources), {}, 0, 0};
        const Hash128 sceneKey = plain.sceneKey(whole);
        Hasher hasher;
        hasher.value(StageKey::Edges).value(sceneKey.high).value(sceneKey.low);
        hashFields(hasher, shape, kShapeFields);
        return viewsOf(plan_.sources)
            .get<EdgeModel>(
                hasher.finish(), ctx_,
                [&](ExecContext &own) {
                    const PicturePtr scene = sceneOf(plain, whole, own);
                    const auto raster = shape.kind == ShapeKind::Brush ? rasterOf(shape) : nullptr;
                    return edgesOf(scene->view(), whole.reduction, *mask, raster.get(), reachOf(shape),
                                   float(luminanceOfEv(plan_.measured.tone.lowEv)), own);
                },
                [](const EdgeModel &m) { return m.bytes(); });
    }

    const RenderPlan &plan_;
    ExecContext &ctx_;
};

} // namespace

AreaMasks::AreaMasks(const RenderPlan &plan, const SharedList<Area> &areas, ExecContext &ctx)
{
    Shapes shapes(plan, ctx);
    Hasher hasher;
    const Hash128 &generation = plan.measured.generation;
    hasher.value(generation.high).value(generation.low).text(plan.reference().id);
    for (const Area &area : areas) {
        std::vector<std::pair<Meets, ShapeMaskPtr>> parts;
        for (const AreaShape &shape : area.shapes) {
            parts.emplace_back(shape.meets, shapes.maskOf(shape));
            hashFields(hasher, shape, kShapeFields);
        }
        hasher.value(area.shapes.size());
        masks_.push_back(metMask(std::move(parts)));
        readsLight_ = readsLight_ || masks_.back()->readsLight();
    }
    key_ = hasher.finish();
}

MaskRows AreaMasks::rows(ImageView<const float> scene, const PixelGrid &grid) const
{
    SerialRunner here;
    ExecContext ctx(here);
    return rows(scene, grid, ctx);
}

MaskRows AreaMasks::rows(ImageView<const float> scene, const PixelGrid &grid, ExecContext &ctx) const
{
    const int width = scene.width(), height = scene.height();
    MaskRows out(grid.firstX, grid.firstY);
    std::vector<Image<float>> planes;
    for (const ShapeMaskPtr &mask : masks_)
        planes.push_back(mask->misses(grid, width, height) ? Image<float>()
                                                           : Image<float>({width, height, 1}, Fill::Anything));
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<float> ev(readsLight_ ? size_t(width) : 0);
        for (int y = y0; y < y1; ++y) {
            if (readsLight_)
                evRow(scene.row(0, y), scene.row(1, y), scene.row(2, y), width, ev.data());
            const LightRow light{scene.row(0, y), scene.row(1, y), scene.row(2, y), readsLight_ ? ev.data() : nullptr};
            for (size_t i = 0; i < masks_.size(); ++i)
                if (!planes[i].shape().empty())
                    masks_[i]->row(grid, y, width, light, planes[i].row(0, y));
        }
    });
    for (Image<float> &plane : planes)
        out.add(std::move(plane));
    return out;
}

} // namespace yolk
