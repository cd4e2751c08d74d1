#include "framing/pull_tool.h"

#include "geometry/pull.h"

#include <QPainter>

namespace yolk::app {

PullTool::PullTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
    connect(document, &Document::areaChanged, this, &PullTool::changed);
}

QList<QPointF> PullTool::handles() const
{
    constexpr double kIn = 1.0 / 12.0; // of a side, from the edge
    const QSizeF plane(document_->planeSize());
    if (plane.isEmpty())
        return {};
    QList<QPointF> out;
    for (const auto &[x, y] :
         {std::pair(kIn, kIn), std::pair(1.0 - kIn, kIn), std::pair(1.0 - kIn, 1.0 - kIn), std::pair(kIn, 1.0 - kIn)})
        out << QPointF(x * plane.width(), y * plane.height());
    if (drag_)
        out[drag_->handle] = drag_->egg;
    return out;
}

QString PullTool::handleName(int handle) const
{
    constexpr int kLeftBelow = 3; // round the frame from above at the left
    const bool left = handle == 0 || handle == kLeftBelow;
    return handle < 2 ? (left ? tr("Pull at the upper left") : tr("Pull at the upper right"))
                      : (left ? tr("Pull at the lower left") : tr("Pull at the lower right"));
}

void PullTool::take(int grip, const QPointF &place)
{
    const QPointF egg = handles()[grip];
    drag_ = Drag{grip,
                 place - egg,
                 document_->toReference(egg),
                 egg,
                 document_->recipe().geometry,
                 QStringLiteral("pull %1").arg(++drags_)};
}

void PullTool::pull(const Drag &drag, const QPointF &to)
{
    const Frame &frame = *document_->bracket().frames[document_->bracket().reference].frame;
    document_->setGeometry(pulled(drag.settings, {drag.scene.x(), drag.scene.y()}, {to.x(), to.y()}, frame.width,
                                  frame.height, opticsOf(frame, document_->recipe().lens)),
                           tr("pull a corner"), drag.gesture);
}

void PullTool::dragTo(const QPointF &place)
{
    if (!drag_)
        return;
    drag_->egg = place - drag_->offset;
    pull(*drag_, drag_->egg);
    Q_EMIT changed();
}

void PullTool::letGo()
{
    drag_.reset();
    Q_EMIT changed();
}

void PullTool::giveUp()
{
    if (!drag_)
        return Q_EMIT finished();
    document_->setGeometry(drag_->settings, tr("pull a corner"), drag_->gesture);
    letGo();
}

void PullTool::step(int handle, const QPointF &by)
{
    const QPointF egg = handles()[handle];
    pull({handle,
          {},
          document_->toReference(egg),
          egg,
          document_->recipe().geometry,
          QStringLiteral("pull keys %1").arg(handle)},
         egg + by);
}

void PullTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    QList<QPointF> eggs;
    for (const QPointF &handle : handles())
        eggs << toDevice.map(handle);
    for (qsizetype i = 0; i < eggs.size(); ++i)
        paintLine(painter, eggs[i], eggs[(i + 1) % eggs.size()], ratio);
    paintHandles(painter, eggs, ratio, drag_ ? drag_->handle : chosen);
    if (drag_ && !eggs.isEmpty()) {
        const GeometrySettings &now = document_->recipe().geometry;
        paintWords(painter, tr("Verticals %1°, horizontals %2°").arg(now.tilt, 0, 'f', 2).arg(now.swing, 0, 'f', 2),
                   eggs[drag_->handle], ratio);
    }
}

} // namespace yolk::app
