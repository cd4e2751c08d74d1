#include "drawing/shape_tool.h"

#include "drawing/area_text.h"

#include <QPainter>

#include <cmath>
#include <numbers>

namespace yolk::app {
namespace {

constexpr int kMiddle = 2; // of a gradient: the handle that moves it

} // namespace

ShapeTool::ShapeTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
    for (const auto signal : {&Areas::changed, &Areas::chosenChanged})
        connect(document->areas(), signal, this, &ShapeTool::changed);
    connect(document, &Document::areaChanged, this, &ShapeTool::changed);
}

const AreaShape *ShapeTool::shape() const
{
    const Area *area = document_->isOpen() ? document_->areas()->chosen() : nullptr;
    if (!area || area->shapes.empty())
        return nullptr;
    const AreaShape &out = area->shapes[size_t(document_->areas()->chosenShape())];
    return hasPlaces(out) && out.places.size() >= (out.kind == ShapeKind::Oval ? 3u : 2u) ? &out : nullptr;
}

QList<QPointF> ShapeTool::handles() const
{
    const AreaShape *s = shape();
    if (!s)
        return {};
    QList<QPointF> out;
    for (const Point &p : s->places)
        out << document_->onPicture(s->drawnOn, p);
    if (s->kind == ShapeKind::Gradient)
        out = {out[0], out[1], (out[0] + out[1]) / 2.0};
    return out;
}

QString ShapeTool::handleName(int handle) const
{
    const AreaShape *s = shape();
    if (s && s->kind == ShapeKind::Oval)
        return handle == 0 ? tr("Middle of the oval") : handle == 1 ? tr("First radius") : tr("Second radius");
    return handle == 0 ? tr("Where it is whole") : handle == 1 ? tr("Where it ends") : tr("Middle of the gradient");
}

void ShapeTool::take(int grip, const QPointF &place)
{
    drag_ =
        Drag{grip, place - handles()[grip], *document_->areas()->chosen(), QStringLiteral("shape %1").arg(++drags_)};
}

void ShapeTool::dragTo(const QPointF &place)
{
    if (drag_)
        moveTo(drag_->handle, place - drag_->offset, drag_->gesture);
}

void ShapeTool::moveTo(int handle, const QPointF &place, const QString &gesture)
{
    const AreaShape *s = shape();
    if (!s)
        return;
    Areas *areas = document_->areas();
    QList<QPointF> at;
    for (const Point &p : s->places)
        at << document_->onPicture(s->drawnOn, p);
    const bool oval = s->kind == ShapeKind::Oval;
    const QPointF by = place - handles()[handle];
    if (handle == (oval ? 0 : kMiddle)) {
        for (QPointF &p : at)
            p += by;
    } else {
        at[handle] = place;
        if (oval) { // the other radius stays upright on this one
            const QPointF own = at[handle] - at[0], other = at[3 - handle] - at[0];
            const double length = std::hypot(own.x(), own.y()), kept = std::hypot(other.x(), other.y());
            if (length > 1.0) {
                const QPointF turned(-own.y() / length * kept, own.x() / length * kept);
                at[3 - handle] = at[0] + (QPointF::dotProduct(turned, other) < 0.0 ? -turned : turned);
            }
        }
    }
    Area next = *areas->chosen();
    AreaShape &to = next.shapes[size_t(areas->chosenShape())];
    std::vector<Point> places;
    for (const QPointF &p : at)
        places.push_back(document_->onFrame(s->drawnOn, p));
    to.places = std::move(places);
    areas->set(areas->chosenIndex(), std::move(next), tr("move %1").arg(areas->nameOf(areas->chosenIndex())), gesture);
}

void ShapeTool::letGo()
{
    drag_.reset();
    Q_EMIT changed();
}

void ShapeTool::giveUp()
{
    if (!drag_)
        return;
    Areas *areas = document_->areas();
    areas->set(areas->chosenIndex(), drag_->before, tr("move %1").arg(areas->nameOf(areas->chosenIndex())),
               drag_->gesture);
    letGo();
}

void ShapeTool::step(int handle, const QPointF &by)
{
    if (handle < handles().size())
        moveTo(handle, handles()[handle] + by, {});
}

void ShapeTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    const AreaShape *s = shape();
    if (!s)
        return;
    QList<QPointF> at;
    for (const QPointF &p : handles())
        at << toDevice.map(p);
    if (s->kind == ShapeKind::Gradient) {
        const QPointF way = at[1] - at[0];
        const double length = std::hypot(way.x(), way.y());
        const QPointF across = length > 0.0 ? QPointF(-way.y(), way.x()) / length : QPointF(1, 0);
        constexpr double kFar = 10000.0; // device pixels: past any picture, of which they stay
        painter.save();
        painter.setClipRect(toDevice.mapRect(QRectF(document_->pictureArea())));
        for (int edge : {0, 1})
            paintLine(painter, at[edge] - across * kFar, at[edge] + across * kFar, ratio);
        painter.restore();
        paintLine(painter, at[0], at[1], ratio);
    } else {
        const QPointF a = at[1] - at[0], b = at[2] - at[0];
        constexpr int kSides = 72;
        const double inner = 1.0 - s->feather / 100.0;
        for (const double share : {1.0, inner}) {
            if (share < 0.02)
                continue;
            QPointF before = at[0] + a * share;
            for (int i = 1; i <= kSides; ++i) {
                const double t = 2.0 * std::numbers::pi * i / kSides;
                const QPointF next = at[0] + (a * std::cos(t) + b * std::sin(t)) * share;
                paintLine(painter, before, next, share < 1.0 ? 0.6 * ratio : ratio);
                before = next;
            }
        }
    }
    paintHandles(painter, at, ratio, drag_ ? drag_->handle : chosen);
    if (drag_)
        paintWords(painter, amountsText(*document_->areas()->chosen()), at[drag_->handle], ratio);
}

} // namespace yolk::app
