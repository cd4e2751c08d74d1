// Straightening and cropping.
#include "document/document.h"

#include "colour/transfer.h"
#include "geometry/crop_shape.h"
#include "render/views/picture.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {

void Document::setGeometry(const GeometrySettings &geometry, const QString &what, const QString &gesture)
{
    Recipe next = recipe();
    next.geometry = geometry;
    setRecipe(std::move(next), what, gesture);
}

void Document::straightenBy(const std::vector<SceneLine> &lines)
{
    if (!isOpen())
        return;
    const Frame &frame = *bracket_->frames[bracket_->reference].frame;
    if (const auto found = straightened(recipe().geometry, lines, Straightening::All, frame.width, frame.height,
                                        opticsOf(frame, recipe().lens)))
        setGeometry(*found, lines.size() == 1 ? tr("straighten by a line") : tr("straighten by lines"));
}

void Document::straighten(Straightening what)
{
    if (!isOpen())
        return;
    auto work = [sources = sources_, measured = *measured_, settings = recipe(), what](ExecContext &ctx) {
        ExecContext painting = ctx.part(0.0, 0.7), finding = ctx.part(0.7, 1.0);
        const int reduction = previewReduction(sources);
        const RenderPlan plan(sources, measured, withoutMap(settings));
        const Image<float> display = render(plan, OutputSpace::Srgb, {reduction, {}, 0, 0}, painting);
        const Vector3 weights = luminanceRow(rgbToRgb(kRec709, kRec2020));
        Image<float> seen(display.width(), display.height(), 1);
        for (int y = 0; y < seen.height(); ++y)
            for (int x = 0; x < seen.width(); ++x) {
                double light = 0.0;
                for (int c = 0; c < 3; ++c)
                    light += weights[size_t(c)] * double(display.row(c, y)[x]);
                seen.row(0, y)[x] = float(encodeSrgb(std::clamp(light, 0.0, 1.0)));
            }
        std::vector<SceneLine> lines = findLines(seen.view(), finding);
        for (SceneLine &line : lines)
            for (Point *p : {&line.a, &line.b})
                *p = {p->x * reduction, p->y * reduction};
        const Frame &frame = plan.reference();
        return straightenedByMost(settings.geometry, lines, what, frame.width, frame.height,
                                  opticsOf(frame, settings.lens));
    };
    pickLane_.start<std::optional<GeometrySettings>>(
        {}, work, [this, what](Outcome<std::optional<GeometrySettings>> outcome) {
            if (!outcome.error.isEmpty())
                Q_EMIT failed(outcome.error);
            if (!outcome.result)
                return;
            if (!*outcome.result)
                return Q_EMIT remarked(tr("No lines in this picture say clearly what is level or upright: nothing was "
                                          "changed. Draw one along something that should be."));
            setGeometry(**outcome.result, what == Straightening::Angle ? tr("level by itself") : tr("plumb by itself"));
        });
}

void Document::cropTo(CropShape shape)
{
    if (!isOpen())
        return;
    GeometrySettings next = recipe().geometry;
    next.shape = shape;
    if (const auto ratio = shapeOf(next, map_->width(), map_->height()))
        next = croppedTo(next, *ratio, map_->width(), map_->height());
    setGeometry(next, tr("shape of the crop"));
}

void Document::turnCrop()
{
    if (!isOpen())
        return;
    GeometrySettings next = recipe().geometry;
    const QSize size = area_.size();
    next.ownShape = std::clamp(1.0 / next.ownShape, 0.1, 10.0);
    setGeometry(croppedTo(next, double(size.height()) / size.width(), map_->width(), map_->height()),
                tr("crop the other way up"));
}

void Document::uncrop()
{
    if (isOpen())
        setGeometry(uncropped(recipe().geometry), tr("take all of the picture"));
}

QString Document::lensName() const
{
    if (!isOpen())
        return {};
    const LensProfilePtr lens = lensOf(*bracket_->frames[bracket_->reference].frame, recipe().lens);
    return lens ? QString::fromStdString(lens->name) : QString();
}

void Document::setLens(const LensSettings &lens, const QString &what, const QString &gesture)
{
    Recipe next = recipe();
    next.lens = lens;
    setRecipe(std::move(next), what, gesture);
}

} // namespace yolk::app
