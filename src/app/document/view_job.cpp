#include "document/view_job.h"

#include "colour/transfer.h"
#include "document/screen_picture.h"
#include "geometry/warp_light.h"
#include "render/views/picture.h"

#include <QPainter>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <utility>

namespace yolk::app {
namespace {

RenderRequest requestOf(const ViewJob &job, const ViewRequest &view)
{
    const QRectF &r = view.region;
    return {
        job.reduction, {r.left(), r.top(), r.right(), r.bottom()}, view.size.width(), view.size.height(), job.exact};
}

QSize draftSize(const ViewJob &job, const QSize &size)
{
    const auto drawn = [&](int side) { return std::max(1, int(std::lround(side * job.draft))); };
    return {drawn(size.width()), drawn(size.height())};
}

/// Where the view begins in the pattern of hatching, which lies still while the picture is moved.
QPoint patternOrigin(const ViewRequest &view)
{
    return {int(view.region.left() * view.size.width() / view.region.width()),
            int(view.region.top() * view.size.height() / view.region.height())};
}

Image<float> displayOf(const ViewJob &job, const RenderPlan &plan, OutputSpace space, const RenderRequest &request,
                       ExecContext &ctx)
{
    if (!job.frame)
        return render(plan, space, request, ctx);
    const FrameBrightness brightness =
        job.frame->as == FrameView::As::Taken ? FrameBrightness::AsTaken : FrameBrightness::LikePicture;
    return lookThrough(plan, job.frame->frame, brightness, space, request, ctx);
}

/// Where two pictures differ by more than a few code values in some channel.
Image<uint8_t> reachOf(const ViewJob &job, const RenderRequest &request, ExecContext &ctx)
{
    const auto &[from, to] = *job.reach;
    const RenderPlan before(job.sources, job.measured, from), after(job.sources, job.measured, to);
    const QImage a = screenPicture(render(before, OutputSpace::Srgb, request, ctx).view(), nullptr, ctx);
    const QImage b = screenPicture(render(after, OutputSpace::Srgb, request, ctx).view(), nullptr, ctx);
    Image<uint8_t> out(a.width(), a.height(), 1);
    constexpr int kSeen = 6; // code values
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            const QRgb p = a.pixel(x, y), q = b.pixel(x, y);
            const int apart =
                std::max({std::abs(qRed(p) - qRed(q)), std::abs(qGreen(p) - qGreen(q)), std::abs(qBlue(p) - qBlue(q))});
            out.row(0, y)[x] = uint8_t(apart >= kSeen ? Hatch::Reached : Hatch::None);
        }
    return out;
}

ViewJob withoutArea(ViewJob job)
{
    std::vector<Area> areas = job.recipe.areas.areas.all();
    if (job.area->first < areas.size())
        areas[job.area->first].on = false;
    job.recipe.areas.areas = std::move(areas);
    job.area.reset();
    return job;
}

/// Coded, a mask is its own grey.
Image<float> greyOf(const Image<float> &mask)
{
    Image<float> out(mask.width(), mask.height(), 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < mask.height(); ++y)
            for (int x = 0; x < mask.width(); ++x)
                out.row(c, y)[x] = float(decodeSrgb(double(std::clamp(mask.row(0, y)[x], 0.0f, 1.0f))));
    return out;
}

void fadeToGrey(const Image<float> &mask, Image<float> &display)
{
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < mask.height(); ++y)
            for (int x = 0; x < mask.width(); ++x) {
                float &v = display.row(c, y)[x];
                v = kEmptyLight + mask.row(0, y)[x] * (v - kEmptyLight);
            }
}

/// A picture of another size in its place; grey round it.
QImage paintOver(ViewJob job, const ViewRequest &view, ExecContext &ctx)
{
    const Frame &frame = *job.sources.frames[job.frame->frame];
    const QRectF over = *std::exchange(job.over, std::nullopt);
    const double scale = std::min(over.width() / frame.width, over.height() / frame.height);
    QRectF place(0.0, 0.0, frame.width * scale, frame.height * scale); // of the whole, in pixels of ours
    place.moveCenter(over.center());
    const double zoom = view.size.width() / view.region.width();
    const QRectF onView((place.left() - view.region.left()) * zoom, (place.top() - view.region.top()) * zoom,
                        place.width() * zoom, place.height() * zoom);
    const QRect target = onView.toRect() & QRect(QPoint(), view.size);
    QImage out(view.size, QImage::Format_RGB32);
    out.fill(QColor(0x76, 0x76, 0x75));
    if (target.isEmpty())
        return out;
    const QRectF whole(0.0, 0.0, frame.width, frame.height);
    const double back = 1.0 / (zoom * scale);
    const QRectF part = QRectF((target.left() - onView.left()) * back, (target.top() - onView.top()) * back,
                               target.width() * back, target.height() * back) &
                        whole;
    QPainter painter(&out);
    painter.drawImage(target, paintView(job, {part, target.size()}, ctx));
    return out;
}

/// Each mark over all the pixels that its own one is enlarged to.
Image<uint8_t> enlargedHatch(Image<uint8_t> hatch, const QSize &size)
{
    if (QSize(hatch.width(), hatch.height()) == size)
        return hatch;
    Image<uint8_t> out(size.width(), size.height(), 1);
    for (int y = 0; y < out.height(); ++y) {
        const uint8_t *from = hatch.row(0, y * hatch.height() / out.height());
        for (int x = 0; x < out.width(); ++x)
            out.row(0, y)[x] = from[x * hatch.width() / out.width()];
    }
    return out;
}

} // namespace

QImage paintView(const ViewJob &job, const ViewRequest &view, ExecContext &ctx)
{
    if (job.over && job.frame)
        return paintOver(job, view, ctx);
    const RenderRequest request = requestOf(job, view);
    const MonitorTransform *fromSrgb = job.monitor->from(OutputSpace::Srgb);
    if (job.inspection) {
        const Inspected seen = inspect(job.sources, job.recipe, job.measured, request, *job.inspection, ctx);
        QImage out = screenPicture(seen.display.view(), fromSrgb, ctx);
        paintHatching(out, seen.hatch.view(), job.overlay, patternOrigin(view));
        return out;
    }
    if (job.frame && job.frame->as == FrameView::As::File)
        return screenPicture(lookAtFrame(job.sources, job.frame->frame, job.recipe, job.measured, request, ctx).view(),
                             fromSrgb, ctx);
    if (job.area && job.area->second == AreaLook::Without)
        return paintView(withoutArea(job), view, ctx);
    const RenderPlan plan(job.sources, job.measured, job.recipe);
    const bool isThere = job.area && job.area->first < plan.recipe.areas.areas.size(); // they may be switched off
    const AreaLook look = isThere ? job.area->second : AreaLook::Picture;
    Image<float> mask;
    if (look != AreaLook::Picture)
        mask = areaMask(plan, job.area->first, request, ctx);
    if (look == AreaLook::Mask)
        return screenPicture(greyOf(mask).view(), fromSrgb, ctx);
    const RenderRequest drawn = requestOf(job, {view.region, draftSize(job, view.size)});
    Image<float> display = displayOf(job, plan, job.space, drawn, ctx);
    if (look == AreaLook::Alone)
        fadeToGrey(mask, display);
    QImage out = enlarged(
        screenPicture(display.view(), job.proof ? job.proof.get() : job.monitor->from(job.space), ctx), view.size);
    if (look == AreaLook::Hatched)
        paintMask(out, mask.view(), job.overlay, patternOrigin(view));
    if (job.ends) { // of what a file would hold, whatever the monitor takes
        const OutputSpace space = job.recipe.output.space;
        Image<uint8_t> hatch = space == job.space
                                   ? outputEnds(display.view(), *job.ends, ctx)
                                   : outputEnds(displayOf(job, plan, space, drawn, ctx).view(), *job.ends, ctx);
        paintHatching(out, enlargedHatch(std::move(hatch), view.size).view(), job.overlay, patternOrigin(view));
    }
    if (job.reach)
        paintHatching(out, reachOf(job, request, ctx).view(), job.overlay, patternOrigin(view));
    return out;
}

} // namespace yolk::app
